"""Missing cells."""

from __future__ import annotations

from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Finding, Kind, Severity, cells, of_column
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import Role

KIND = Kind("missing", "Cells without any character. Middle where an identifier is missing or nothing is there at all.")
FEW = 0.05


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Cells without a value; where few are missing, that the column is filled can be a check."""
    if not column.missing:
        return
    share = column.missing / column_values.records
    grave = share == 1 or (column.role is Role.IDENTIFIER and share < FEW)
    says = "nothing is filled in" if share == 1 else f"{cells(column.missing)} missing"
    rule = {"kind": "required", "columns": [column_values.name]} if share < FEW else None
    door = make_filter("column", name=column_values.name, test="missing")
    severity: Severity = "middle" if grave else "low"
    yield of_column(
        column_values,
        KIND,
        severity,
        column.missing,
        says,
        filters=[door],
        rule=rule,
        effect=column.missing if rule else None,
    )
