"""Entries at weekends where there are otherwise none."""

from __future__ import annotations

from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, of_column, those
from pravin_core.profiling.model import ColumnProfile
from pravin_core.tables.types import DataType

KIND = Kind("weekend entries", "Fewer than 2 in 100 of at least 100 dates fall on a Saturday or Sunday.")
_WEEKEND = "SELECT value, n FROM dates WHERE isodow(moment) > 5 ORDER BY n DESC, value"


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """The dates at weekends."""
    if column.type not in (DataType.DATE, DataType.DATETIME) or column.dates is None:
        return
    by_day = {day.value: day.count for day in column.dates.by_weekday}
    weekend = by_day.get("6", 0) + by_day.get("7", 0)
    working = [by_day.get(str(day), 0) for day in range(1, 6)]
    if column.dates.count < 100 or not 0 < weekend < 0.02 * column.dates.count or min(working) < 3 * weekend:
        return
    rows = column_values.ask(_WEEKEND)
    texts = [value for value, _ in rows]
    yield of_column(
        column_values, KIND, "low", weekend, f"{cells(weekend)} at a weekend, otherwise none: {listed(texts)}",
        evidence=[Evidence(value=v, count=n) for v, n in rows], filters=those(column_values.name, texts),
    )  # fmt: skip
