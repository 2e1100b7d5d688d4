"""Years that cannot be, and years of two digits."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, Rule, cells, listed, matching, of_column, those
from pravin_core.profiling.findings.columns.disguised_missing import DATES
from pravin_core.profiling.findings.formulas import day_of
from pravin_core.profiling.model import ColumnProfile
from pravin_core.tables.types import DataType

YEAR = Kind(
    "impossible year",
    "Dates before 1800, after the day the delivery was received, or more than three interquartile ranges (at least two "
    "years) from the quartiles of the column (Tukey 1977), while few are.",
)
SHORT = Kind("two-digit year", "Dates with two digits for the year, such as 5/6/24, in a column of dates.")
_SHORT = r"^\s*\d{1,2}([./-])\d{1,2}[./-]\d{2}\s*$"
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
    yield from _short(column_values, column)


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
        "formula": f"{day_of(column)} between date '{low}' and date '{high}'",
    }


def _short(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    dated = column_values.kinds.get("date", 0) + column_values.kinds.get("date-time", 0)
    if dated < 0.5 * column_values.present and column_values.match_rate(_SHORT) < 0.02:
        return
    met = column_values.matching(_SHORT, kinds=("text",))
    if not met.cells or dated + met.cells < 0.6 * column_values.present:
        return
    forms = [form.value for form in column.dates.formats] if column.dates else []
    parts = [[int(p) for p in text.replace(".", "/").replace("-", "/").split("/")] for text in met.texts]
    month_first = any(p[1] > 12 for p in parts) or (
        not any(p[0] > 12 for p in parts) and bool(forms) and forms[0].startswith("%m")
    )
    marks = sorted({mark for text in met.texts for mark in "./-" if mark in text})
    short = [mark.join(("%m", "%d", "%y") if month_first else ("%d", "%m", "%y")) for mark in marks]
    yield of_column(
        column_values, SHORT, "middle", met.cells, f"{cells(met.cells)} with a year of two digits: {listed(met.texts)}",
        evidence=[Evidence(value=v, count=n) for v, n in met.values], filters=matching(column_values.name, _SHORT),
        rule={"kind": "to-date", "columns": [column_values.name], "formats": [*forms, *short]}, effect=met.cells,
    )  # fmt: skip
