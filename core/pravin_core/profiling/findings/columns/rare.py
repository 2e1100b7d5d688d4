"""Rare categories."""

from __future__ import annotations

from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, of_column, those
from pravin_core.profiling.model import ColumnProfile
from pravin_core.tables.types import Role

KIND = Kind("rare categories", "Values of a category of at most 200 that fewer than 1 in 500 cells hold.")
_RARE = "SELECT value, n FROM column_values WHERE value <> '' AND kind <> 'missing token' AND n <= $most ORDER BY n DESC, value"


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Values that hardly ever occur, in a column of few values."""
    if column.role is not Role.CATEGORY or not 3 <= column.distinct <= 200 or column_values.present < 500:
        return
    rows = column_values.ask(_RARE, {"most": max(1, column_values.present // 500)})
    count = sum(n for _, n in rows)
    if not rows or len(rows) > 0.5 * column.distinct:
        return
    texts = [value for value, _ in rows]
    yield of_column(
        column_values, KIND, "low", count, f"{cells(count)} with {len(rows):,} rare values: {listed(texts)}",
        evidence=[Evidence(value=v, count=n) for v, n in rows], filters=those(column_values.name, texts),
    )  # fmt: skip
