"""Day and month exchanged."""

from __future__ import annotations

import calendar
import datetime as dt
from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, of_column, those
from pravin_core.profiling.model import ColumnProfile
from pravin_core.tables.types import DataType

KIND = Kind(
    "day and month exchanged",
    "Dates whose day could be a month, that lie outside of the months in which nearly all certain dates of the column "
    "lie (those with a day after the 12th, or that no exchange could have brought there), and inside when day and month are exchanged.",
)
MIXED = Kind(
    "two orders of day and month",
    "Dates that can only be day before month beside dates that can only be month before day.",
)
_CERTAIN = "SELECT year(moment), month(moment), sum(n)::BIGINT FROM dates WHERE day(moment) > 12 GROUP BY ALL"
_EARLY = "SELECT DISTINCT year(moment), month(moment), day(moment) FROM dates WHERE day(moment) <= 12"
_EXCHANGED = """
SELECT value, n, make_date(year(moment), day(moment), month(moment)) FROM dates
WHERE moment IS NOT NULL AND day(moment) <= 12 AND day(moment) <> month(moment)
  AND NOT moment::DATE BETWEEN $low AND $high
  AND make_date(year(moment), day(moment), month(moment)) BETWEEN $low AND $high
ORDER BY n DESC, value
"""
Month = tuple[int, int]
LONGEST = 250  # days: a window of nearly a year tells nothing
_ORDERS = ("%d/%m/%Y", "%m/%d/%Y")


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Dates that fit the period of the column only with day and month exchanged."""
    if column.type not in (DataType.DATE, DataType.DATETIME) or column.dates is None:
        return
    yield from _mixed(column_values, column)
    window = _window(column_values)
    if window is None:
        return
    low, high = window
    rows = column_values.ask(_EXCHANGED, {"low": low, "high": high})
    if not rows:
        return
    count = sum(n for _, n, _ in rows)
    texts = [value for value, *_ in rows]
    form = column.dates.formats[0].value
    exchangeable = "%d" in form and "%m" in form and "%H" not in form
    yield of_column(
        column_values, KIND, "high", count, f"{cells(count)} with day and month exchanged: {listed(texts)}",
        evidence=[Evidence(value=v, count=n, becomes=f"{day:{form}}" if exchangeable else f"{day}") for v, n, day in rows],
        filters=those(column_values.name, texts),
        rule={"kind": "exchange-day-month", "columns": [column_values.name], "format": form, "low": f"{low}", "high": f"{high}"}
        if exchangeable else None,
    )  # fmt: skip


def _window(column_values: ColumnValues) -> tuple[dt.date, dt.date] | None:
    """The months around the middle certain date, one beside the other, that hold at least one in two hundred of the
    certain dates each; None when they are most of a year, or hold too few of the dates."""
    months: dict[Month, int] = {(year, month): n for year, month, n in column_values.ask(_CERTAIN)}
    total = sum(months.values())
    if total < 5:
        return None
    often = {month for month, n in months.items() if n >= max(1, total / 200)}
    first = last = max(months, key=lambda month: months[month])
    while (before := _beside(first, -1)) in often:
        first = before
    while (after := _beside(last, 1)) in often:
        last = after
    first, last = _with_unmistakable(column_values, first, last)
    low, high = dt.date(*first, 1), dt.date(*last, calendar.monthrange(*last)[1])
    inside = sum(n for month, n in months.items() if first <= month <= last)
    return (low, high) if (high - low).days <= LONGEST and inside >= 0.9 * total else None


def _with_unmistakable(column_values: ColumnValues, first: Month, last: Month) -> tuple[Month, Month]:
    """The months with those beside that hold days no exchange could have brought there: where dates run on to the 3rd of May,
    the 1st, which would be one of January, says that May belongs to them.
    """
    early = [((year, month), (year, day)) for year, month, day in column_values.ask(_EARLY)]
    for beside in (_beside(first, -1), _beside(last, 1)):
        if any(month == beside and not first <= exchanged <= last for month, exchanged in early):
            first, last = min(first, beside), max(last, beside)
    return first, last


def _beside(month: Month, by: int) -> Month:
    at = month[0] * 12 + month[1] - 1 + by
    return at // 12, at % 12 + 1


def _mixed(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    first = column_values.matching(r"^\s*(?:1[3-9]|2\d|3[01])/(?:0?[1-9]|1[0-2])/\d{4}", kinds=("date", "date-time"))
    second = column_values.matching(r"^\s*(?:0?[1-9]|1[0-2])/(?:1[3-9]|2\d|3[01])/\d{4}", kinds=("date", "date-time"))
    if not first.cells or not second.cells:
        return
    fewer = min(first, second, key=lambda met: met.cells)
    yield of_column(
        column_values, MIXED, "high", fewer.cells,
        f"{cells(first.cells)} with the day before the month, {second.cells:,} with the month before the day",
        evidence=[Evidence(value=v, count=n) for v, n in fewer.values], filters=those(column_values.name, fewer.texts),
    )  # fmt: skip
