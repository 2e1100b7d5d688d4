"""Statistics and histogram of the cells that read as a date or date-time."""

from __future__ import annotations

import re
from datetime import date, datetime, timedelta

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
SELECT CASE WHEN moment::DATE < $low THEN -1 WHEN moment::DATE > $high THEN 25 ELSE (moment::DATE - $low) // $width END AS bin,
  sum(n)::BIGINT
FROM dates WHERE moment IS NOT NULL GROUP BY bin ORDER BY bin
"""
_QUARTILES = """
SELECT quantile_disc(moment, 0.25), quantile_disc(moment, 0.75) FROM (
  SELECT moment FROM dates, range(least(n, 50)) WHERE moment IS NOT NULL)
"""
_BODY = "SELECT min(moment), max(moment) FROM dates WHERE moment::DATE BETWEEN $low AND $high"


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
        now=column_values.now.isoformat(" "),
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
    """Bars of as many days each over the body of the dates (within three interquartile ranges of the quartiles, Tukey 1977);
    what is beyond has a bar of its own at either side.
    """
    q1, q3 = column_values.ask(_QUARTILES)[0]
    spread = 3 * (q3 - q1).days
    low, high = first.date(), last.date()
    if spread:
        low = max(low, date.fromordinal(max(1, q1.toordinal() - spread)))
        high = min(high, date.fromordinal(min(date.max.toordinal(), q3.toordinal() + spread)))
        low, high = (day.date() for day in column_values.ask(_BODY, {"low": low, "high": high})[0])
    days = (high - low).days + 1
    width = -(-days // BINS)
    counted = dict(column_values.ask(_HISTOGRAM, {"low": low, "high": high, "width": width}))
    bars = [
        Bin(
            low=(begin := low + timedelta(days=at * width)).isoformat(),
            high=min(high, begin + timedelta(days=width - 1)).isoformat(),
            count=counted.get(at, 0),
        )
        for at in range(-(-days // width))
    ]
    for side, ends in (
        (-1, (first.date(), low - timedelta(days=1))),
        (BINS + 1, (high + timedelta(days=1), last.date())),
    ):
        if n := counted.get(side):
            outer = Bin(low=ends[0].isoformat(), high=ends[1].isoformat(), count=n, outer=True)
            bars.insert(0 if side < 0 else len(bars), outer)
    return Distribution(of="dates", bins=tuple(bars))
