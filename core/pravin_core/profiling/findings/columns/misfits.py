"""Values that are not what their column is: a word among numbers, a number among dates, a day that no calendar has."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import (
    Evidence,
    Finding,
    Kind,
    Rule,
    Severity,
    cells,
    listed,
    of_column,
    values_behind,
)
from pravin_core.profiling.findings.dates import reading
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.type_inference import FITTING
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import NUMBERS, DataType

KIND = Kind(
    "does not fit its type",
    "Cells that hold something, but do not read as the type of the column, proposed or chosen. What another finding of the "
    "column explains (a unit, a token for missing, a written-out mark) is counted there and not here again.",
)
AFTER = True  # it needs what the other modules found in the column
_SHOWN = 12
_NAMES = {
    DataType.WHOLE: "a whole number", DataType.DECIMAL: "a number", DataType.EXACT: "a number", DataType.DATE: "a date",
    DataType.DATETIME: "a date and time", DataType.BOOLEAN: "true or false",
}  # fmt: skip


def find(column_values: ColumnValues, column: ColumnProfile, findings: Sequence[Finding]) -> Iterator[Finding]:
    """One finding for all cells that do not fit and that no other finding of the column explains."""
    if column.type not in FITTING or not column.misfits:
        return
    fitting = ",".join(FITTING[column.type])
    door = [make_filter("column", name=column.name, test="does not read as", value=fitting)]
    values, door = values_behind(column_values, column, door, findings)
    count = sum(n for _, n in values)
    if not count:
        return
    texts = [value for value, _ in values]
    yield of_column(
        column_values, KIND, _severity(count, column), count,
        f"{cells(count)} {'is' if count == 1 else 'are'} not {_NAMES[column.type]}: {listed(texts)}",
        evidence=[Evidence(value=value, count=n) for value, n in values[:_SHOWN]], filters=door,
        rule=_rule(column_values, column),
    )  # fmt: skip


def _severity(count: int, column: ColumnProfile) -> Severity:
    """High where so few cells among so many that fit can hardly be meant; a column that is half texts may be mixed on purpose."""
    return "high" if column.fits >= 20 and count <= 0.05 * column.fits else "middle"


def _rule(column_values: ColumnValues, column: ColumnProfile) -> Rule | None:
    """A check of the type, or the conversion that a check needs: what does not fit is quarantined, a person decides."""
    if column.type in NUMBERS and column.decimal_mark == ",":
        return {"kind": "to-number", "columns": [column.name], "decimal": ",", "unconverted": "quarantine"}
    if column.type in NUMBERS:
        asked = "whole number" if column.type is DataType.WHOLE else "decimal"
        return {"kind": "of-type", "columns": [column.name], "type": asked}
    if column.type is DataType.BOOLEAN:
        return {"kind": "of-type", "columns": [column.name], "type": "true/false"}
    return reading(column_values, column)
