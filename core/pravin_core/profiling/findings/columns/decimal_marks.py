"""Decimal and thousands marks that are not those of the rest of the column, or that plain numbers have none of."""

from __future__ import annotations

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
    translation,
)
from pravin_core.profiling.findings.thousands import SINGLE, Grouped, grouped
from pravin_core.profiling.model import ColumnProfile

KIND = Kind(
    "decimal or thousands mark",
    "Numbers written with another mark than most of the column, and numbers with a mark between their thousands. Three digits "
    "after a single mark can mean either: the reading that lies nearer to the median of the other numbers, as a ratio, is "
    "taken. Digits in groups count as a number where plain numbers are the most, where some have decimals, or where the first "
    "group is not always full.",
)


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """The other decimal mark, and grouped thousands, each with the rule that rewrites it."""
    marked = grouped(column_values)
    if marked and marked.otherwise:
        yield _otherwise(column_values, marked)
    if marked and marked.values:
        plain = {value: marked.plain(value) for value in marked.values}
        rule: Rule | None = translation(column.name, plain)
        if marked.is_clear:
            rule = {"kind": "replace-pattern", "columns": [column.name], "find": marked.marks, "only": marked.pattern}
        yield of_column(
            column_values, KIND, "middle", marked.cells,
            f"{cells(marked.cells)} with a thousands mark: {listed(list(marked.values))}",
            evidence=[Evidence(value=v, count=n, becomes=plain[v]) for v, n in marked.values.items()],
            filters=matching(column.name, marked.pattern), rule=rule, detail="thousands",
        )  # fmt: skip


def _otherwise(column_values: ColumnValues, marked: Grouped) -> Finding:
    other, shown = (r"\.", "point") if marked.decimal == "," else (",", "comma")
    count = sum(marked.otherwise.values())
    rule = {"kind": "replace-pattern", "columns": [column_values.name], "find": rf"^\s*([+-]?\d+){other}(\d+)\s*$",
            "replacement": rf"\1{marked.decimal}\2"}  # fmt: skip
    rule |= {"only": rf"{other}(?:\d{{1,2}}|\d{{4,}})\s*$"} if marked.values else {}
    return of_column(
        column_values, KIND, "middle", count, f"{cells(count)} with a decimal {shown}: {listed(list(marked.otherwise))}",
        evidence=[Evidence(value=v, count=n, becomes=v.replace(other[-1], marked.decimal)) for v, n in marked.otherwise.items()],
        filters=matching(column_values.name, SINGLE % other), rule=rule, detail="decimal",
    )  # fmt: skip
