"""Years that cannot be, and years of two digits."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import (
    Evidence,
    Finding,
    Kind,
    Rule,
    cells,
    listed,
    matching,
    of_column,
    those,
    translation,
)
from pravin_core.profiling.findings.columns.disguised_missing import DATES
from pravin_core.profiling.findings.dates import SHORT as SHORT_FORM
from pravin_core.profiling.findings.dates import reading
from pravin_core.profiling.findings.formulas import moment_of
from pravin_core.profiling.model import ColumnProfile
from pravin_core.tables.types import DataType

YEAR = Kind(
    "impossible year",
    "Dates before 1800, after the day the delivery was received, or more than three interquartile ranges (at least two "
    "years) from the quartiles of the column (Tukey 1977), while few are.",
)
SHORT = Kind("two-digit year", "Dates with two digits for the year, such as 5/6/24, in a column of dates.")
LONG = Kind(
    "year of five digits",
    "Dates whose year has a digit too many. What it was is proposed where leaving out one of its digits, or one of two that are "
    "the same, gives only one year in which dates of the column lie.",
)
_LONG = r"^\s*(?:(?P<first>\d{5})[-./]\d{1,2}[-./]\d{1,2}|\d{1,2}[-./]\d{1,2}[-./](?P<last>\d{5}))\s*$"
_QUARTILES = """
SELECT quantile_disc(moment, 0.25 ORDER BY moment), quantile_disc(moment, 0.75 ORDER BY moment), count(*)
FROM (SELECT moment FROM dates, range(least(n, 50)) WHERE moment IS NOT NULL)
"""
_OUTSIDE = """
SELECT value, n, sum(n) OVER ()::BIGINT FROM dates
WHERE (moment < $low OR moment > $high) AND NOT list_contains($days, moment::DATE::VARCHAR) ORDER BY n DESC, value LIMIT 500
"""
_INSIDE = "SELECT min(moment), max(moment) FROM dates WHERE moment BETWEEN $low AND $high"


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Dates far outside of the others, and short years."""
    if column.type in (DataType.DATE, DataType.DATETIME):
        yield from _impossible(column_values, column)
        yield from _longer(column_values, column)
    yield from _short(column_values, column)


def _longer(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    met = column_values.matching(_LONG, kinds=("text",))
    if not met.cells or not column.dates:
        return
    years = {int(year.value) for year in column.dates.by_year}
    was = {value: text for value, _ in met.values if (text := _shortened(value, years))}
    yield of_column(
        column_values, LONG, "high", met.cells, f"{cells(met.cells)} with a year of five digits: {listed(met.texts)}",
        evidence=[Evidence(value=v, count=n, becomes=was.get(v)) for v, n in met.values],
        filters=matching(column_values.name, _LONG), rule=translation(column_values.name, was),
    )  # fmt: skip


def _shortened(value: str, years: set[int]) -> str | None:
    """The date with the one year of the column that is left when a digit is left out; None where several are."""
    match = re.match(_LONG, value)
    year = match and (match["first"] or match["last"])
    if not year:
        return None
    possible = {year[:at] + year[at + 1 :] for at in range(5)}
    doubled = {year[:at] + year[at + 1 :] for at in range(4) if year[at] == year[at + 1]}
    for some in (possible, doubled):  # where several fit, a digit that was typed twice
        known = [item for item in some if int(item) in years and len(str(int(item))) == 4]
        if len(known) == 1:
            return value.strip().replace(year, known[0])
    return None


def _impossible(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    q1, q3, _ = column_values.ask(_QUARTILES)[0]
    if q1 is None:
        return
    slack = max(3 * (q3 - q1), dt.timedelta(days=731))
    earliest, latest = dt.datetime(1800, 1, 1), column_values.now + dt.timedelta(days=1)
    low = max(q1 - slack, earliest) if q1.year > 1 + slack.days // 365 else earliest
    try:
        high = q3 + slack
    except OverflowError:
        high = latest
    if q3 <= latest:
        high = min(high, latest)
    rows = column_values.ask(_OUTSIDE, {"low": low, "high": high, "days": list(DATES)})
    if not rows or rows[0][2] > 0.1 * column_values.present:
        return
    first, last = column_values.ask(_INSIDE, {"low": low, "high": high})[0]
    count = rows[0][2]
    texts = [value for value, *_ in rows]
    yield of_column(
        column_values, YEAR, "high", count, f"{cells(count)} with a year that cannot be: {listed(texts)}",
        evidence=[Evidence(value=v, count=n) for v, n, _ in rows], filters=those(column_values.name, texts),
        rule=_window(column, f"{first:%Y-%m-%d}", f"{last:%Y-%m-%d}"),
    )  # fmt: skip


def _window(column: ColumnProfile, low: str, high: str) -> Rule | None:
    """The check that a date lies in a window, in whatever form the column writes its dates; None where that needs a time."""
    formats = [form.value for form in column.dates.formats] if column.dates else []
    if all(format_.startswith("%Y-%m-%d") for format_ in formats):
        return {"kind": "in-range", "columns": [column.name], "low": low, "high": high}
    if any("%H" in format_ or "%I" in format_ for format_ in formats):
        return None
    return {
        "kind": "holds",
        "columns": [column.name],
        "formula": f"{moment_of(column)} between date '{low}' and date '{high}'",
    }


def _short(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    dated = column_values.kinds.get("date", 0) + column_values.kinds.get("date-time", 0)
    if dated < 0.5 * column_values.present and column_values.match_rate(SHORT_FORM) < 0.02:
        return
    met = column_values.matching(SHORT_FORM, kinds=("text",))
    if not met.cells or dated + met.cells < 0.6 * column_values.present:
        return
    yield of_column(
        column_values, SHORT, "middle", met.cells, f"{cells(met.cells)} with a year of two digits: {listed(met.texts)}",
        evidence=[Evidence(value=v, count=n) for v, n in met.values], filters=matching(column_values.name, SHORT_FORM),
        rule=reading(column_values, column), effect=met.cells,
    )  # fmt: skip
