"""Statistics and histogram of the cells that read as a date or date-time."""

from __future__ import annotations

import re
from datetime import datetime

from pravin_core.engines.kinds import GUESSED_FORMS
from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.model import Bin, DateStatistics, Distribution, ValueCount
from pravin_core.tables.dates import pattern, shape_pattern

BINS = 24
_FITS = """
SELECT coalesce(sum(n), 0)::BIGINT FROM column_values
WHERE kind IN ('date', 'date-time') AND regexp_full_match(trim(value), $pattern)
  AND try_strptime(trim(value), $format) IS NOT NULL
"""
_FITS_ALONE = """
SELECT coalesce(sum(n), 0)::BIGINT FROM column_values
WHERE kind IN ('date', 'date-time') AND regexp_full_match(trim(value), $pattern)
  AND try_strptime(trim(value), $format) IS NOT NULL AND try_strptime(trim(value), $before) IS NULL
"""
_DATES = """
CREATE OR REPLACE TEMP TABLE dates AS
SELECT value, try_strptime(trim(value), $formats) AS moment, n FROM column_values WHERE kind IN ('date', 'date-time')
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
_BY_HOUR = """
SELECT strftime(moment, '%H') AS k, sum(n)::BIGINT FROM dates
WHERE moment IS NOT NULL AND (SELECT bool_or(moment <> date_trunc('day', moment)) FROM dates) GROUP BY k ORDER BY k
"""
_SHAPES = "SELECT DISTINCT shape_of(trim(value)) FROM column_values WHERE kind IN ('date', 'date-time') LIMIT 2000"
_HISTOGRAM = """
SELECT least($bins - 1, floor((epoch(moment) - $low) / $width))::INT AS bin, sum(n)::BIGINT
FROM dates WHERE moment IS NOT NULL GROUP BY bin ORDER BY bin
"""


def measure(column_values: ColumnValues) -> tuple[DateStatistics | None, Distribution | None]:
    """All statistics of dates, and their histogram; None when no cell reads as a date.

    Where a text fits several forms (day and month exchanged), the form that fits most cells of the column is
    taken.
    """
    formats = forms_of(column_values)
    if not formats:
        return None, None
    column_values.ask(_DATES, {"formats": [name for name, _ in formats]})
    count, first, last, future = column_values.ask(_SUMS, [column_values.now])[0]
    if not count:
        return None, None
    statistics = DateStatistics(
        count=count,
        first=iso(first),
        last=iso(last),
        formats=tuple(ValueCount(value=name, count=cells) for name, cells in formats),
        by_year=column_values.pairs(_BY_YEAR),
        by_month=column_values.pairs(_BY_MONTH),
        by_weekday=column_values.pairs(_BY_DAY),
        by_hour=column_values.pairs(_BY_HOUR),
        future=future,
    )
    return statistics, _histogram(column_values, first, last)


def forms_of(column_values: ColumnValues) -> list[tuple[str, int]]:
    """The date forms that fit cells of the column and how many, most first; without one that fits nothing but what those
    before it fit (day before month, where no day can be a month).
    """
    shapes = [row[0] for row in column_values.ask(_SHAPES)]
    fits = []
    for form in GUESSED_FORMS:
        if any(re.fullmatch(shape_pattern(form.format), shape) for shape in shapes):
            parameters = {"pattern": pattern(form.format).strip("^$"), "format": form.format}
            cells = column_values.ask(_FITS, parameters)[0][0]
            if cells:
                fits.append((form.format, cells))
    fits.sort(key=lambda pair: -pair[1])
    needed: list[tuple[str, int]] = []
    for name, cells in fits:
        before = {"before": [form for form, _ in needed]}
        alone = {"pattern": pattern(name).strip("^$"), "format": name, **before}
        if not needed or column_values.ask(_FITS_ALONE, alone)[0][0]:
            needed.append((name, cells))
    return needed


def iso(moment: datetime) -> str:
    return moment.date().isoformat() if moment.time() == datetime.min.time() else moment.isoformat(" ")


def _histogram(column_values: ColumnValues, first: datetime, last: datetime) -> Distribution:
    days = (last - first).total_seconds() / 86_400
    bins = max(1, min(BINS, int(days) + 1))
    width = max(1.0, days * 86_400 / bins)
    low = (first - datetime(1970, 1, 1)).total_seconds()
    counted = dict(column_values.ask(_HISTOGRAM, {"bins": bins, "low": low, "width": width}))
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
