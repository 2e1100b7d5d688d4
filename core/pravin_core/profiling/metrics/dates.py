"""Statistics and histogram of the cells that read as a date or date-time."""

from __future__ import annotations

from datetime import datetime

import duckdb

from pravin_core.profiling.kinds import GUESSED_FORMS
from pravin_core.profiling.model import Bin, DateStatistics, Distribution, ValueCount
from pravin_core.tables.dates import pattern

BINS = 24
_FITS = """
SELECT coalesce(sum(n), 0)::BIGINT FROM kinds
WHERE kind IN ('date', 'date-time') AND regexp_full_match(trim(value), $pattern)
  AND try_strptime(trim(value), $format) IS NOT NULL
"""
_DATES = """
CREATE OR REPLACE TEMP TABLE dates AS
SELECT try_strptime(trim(value), $formats) AS moment, n FROM kinds WHERE kind IN ('date', 'date-time')
"""
_SUMS = """
SELECT sum(n)::BIGINT, min(moment), max(moment), coalesce(sum(n) FILTER (moment > $1), 0)::BIGINT
FROM dates WHERE moment IS NOT NULL
"""
_BY_YEAR = (
    "SELECT strftime(moment, '%Y') AS k, sum(n)::BIGINT FROM dates WHERE moment IS NOT NULL GROUP BY k ORDER BY k"
)
_BY_MONTH = (
    "SELECT strftime(moment, '%m') AS k, sum(n)::BIGINT FROM dates WHERE moment IS NOT NULL GROUP BY k ORDER BY k"
)
_BY_DAY = (
    "SELECT isodow(moment)::VARCHAR AS k, sum(n)::BIGINT FROM dates WHERE moment IS NOT NULL GROUP BY k ORDER BY k"
)
_HISTOGRAM = """
SELECT least($bins - 1, floor((epoch(moment) - $low) / $width))::INT AS bin, sum(n)::BIGINT
FROM dates WHERE moment IS NOT NULL GROUP BY bin ORDER BY bin
"""


def measure(con: duckdb.DuckDBPyConnection, now: datetime) -> tuple[DateStatistics | None, Distribution | None]:
    """All statistics of dates, and their histogram; None when no cell reads as a date.

    Where a text fits several forms (day and month exchanged), the form that fits most cells of the column is
    taken. `now` decides what lies in the future.
    """
    fits = []
    for form in GUESSED_FORMS:
        parameters = {"pattern": pattern(form.format).strip("^$"), "format": form.format}
        row = con.execute(_FITS, parameters).fetchone()
        if row and row[0]:
            fits.append((form.format, row[0]))
    fits.sort(key=lambda pair: -pair[1])
    if not fits:
        return None, None
    con.execute(_DATES, {"formats": [name for name, _ in fits]})
    row = con.execute(_SUMS, [now]).fetchone()
    if row is None or not row[0]:
        return None, None
    count, first, last, future = row
    statistics = DateStatistics(
        count=count,
        first=_iso(first),
        last=_iso(last),
        formats=tuple(ValueCount(value=name, count=cells) for name, cells in fits),
        by_year=_counts(con, _BY_YEAR),
        by_month=_counts(con, _BY_MONTH),
        by_weekday=_counts(con, _BY_DAY),
        future=future,
    )
    return statistics, _histogram(con, first, last)


def _iso(moment: datetime) -> str:
    return moment.date().isoformat() if moment.time() == datetime.min.time() else moment.isoformat(" ")


def _counts(con: duckdb.DuckDBPyConnection, query: str) -> tuple[ValueCount, ...]:
    return tuple(ValueCount(value=value, count=count) for value, count in con.execute(query).fetchall())


def _histogram(con: duckdb.DuckDBPyConnection, first: datetime, last: datetime) -> Distribution:
    days = (last - first).total_seconds() / 86_400
    bins = max(1, min(BINS, int(days) + 1))
    width = max(1.0, days * 86_400 / bins)
    low = (first - datetime(1970, 1, 1)).total_seconds()
    counted = dict(con.execute(_HISTOGRAM, {"bins": bins, "low": low, "width": width}).fetchall())
    step = (last - first) / bins if bins > 1 else (last - first)
    return Distribution(
        of="dates",
        bins=tuple(
            Bin(
                low=(first + i * step).date().isoformat(),
                high=(first + (i + 1) * step).date().isoformat(),
                count=counted.get(i, 0),
            )
            for i in range(bins)
        ),
    )
