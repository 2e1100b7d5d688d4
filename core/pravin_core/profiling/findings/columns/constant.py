"""Columns that tell nothing, or everything: constant, nearly empty, all different."""

from __future__ import annotations

from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, of_column
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import DataType, Role

NEARLY = Kind("nearly constant", "At least 995 in 1,000 filled cells hold the same value, and few others do not.")
CONSTANT = Kind("constant", "Every filled cell holds the same value.")
DIFFERENT = Kind("key candidate", "Every record holds another value, so the column can serve as a key.")

OFTEN, LEAST = 0.995, 200


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Constant columns, and columns that could be a key."""
    if column_values.records < 10:
        return
    if column.distinct == 1:
        value = column.values[0].value
        yield of_column(
            column_values, CONSTANT, "low", column.values[0].count, f"always “{value}”",
            filters=[make_filter("column", name=column_values.name, test="is", value=value)],
        )  # fmt: skip
    elif column.values and OFTEN * column_values.present <= column.values[0].count < column_values.present >= LEAST:
        value = column.values[0].value
        others = column_values.present - column.values[0].count
        door = [
            make_filter("column", name=column.name, test="filled"),
            make_filter("column", name=column.name, test="is not", value=value),
        ]
        yield of_column(
            column_values, NEARLY, "low", others, f"{cells(others)} {'is' if others == 1 else 'are'} not “{value}”, which all others are",
            filters=door, evidence=[Evidence(value=each_value.value, count=each_value.count) for each_value in column.values[1:13]],
        )  # fmt: skip
    elif column.distinct == column_values.records and column.role in (
        Role.IDENTIFIER,
        Role.TIME,
        Role.CATEGORY,
        Role.QUANTITY,
    ):
        if column.role is Role.QUANTITY and column.type in (DataType.DECIMAL, DataType.TEXT):
            return  # measurements differ by chance
        rule = {"kind": "unique", "columns": [column_values.name]}
        yield of_column(
            column_values, DIFFERENT, "low", column_values.records, "all values are distinct", rule=rule, effect=0
        )
