"""Decimal and thousands marks that are not those of the rest of the column."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pravin_core.engines.functions import Mark
from pravin_core.profiling.column_values import ColumnValues, quantile
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, matching, of_column
from pravin_core.profiling.model import ColumnProfile

KIND = Kind(
    "decimal or thousands mark",
    "Numbers written with another mark than most of the column. Three digits after a single mark can mean either: the "
    "reading that lies nearer to the median of the other numbers, as a ratio, is taken.",
)
_GROUPED = r"^\s*[+-]?\d{1,3}(?:%s\d{3})+(?:%s\d+)?\s*$"
_SINGLE = r"^\s*[+-]?\d+%s\d+\s*$"


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """The other decimal mark, and grouped thousands, each with the rule that rewrites it."""
    if column_values.numeric < 0.5 * column_values.present or not column_values.count_where(Mark.COMMA):
        return
    comma = column_values.decimal_mark == ","
    own, other = (",", r"\.") if comma else (r"\.", ",")
    values, counts = column_values.numbers
    middle = abs(quantile(values, counts, (0.5,))[0]) if len(values) else 0.0
    single = column_values.matching(_SINGLE % other)
    thousands = {v: n for v, n in single.values if _is_thousands(v, other[-1], middle)}
    decimals = {v: n for v, n in single.values if v not in thousands}
    if (
        column_values.kinds.get("decimal comma", 0) + column_values.kinds.get("decimal", 0)
        == sum(decimals.values())
        == column_values.present
    ):
        decimals = {}
    grouped = dict(column_values.matching(_GROUPED % (other, own)).values) | thousands
    grouped = {v: n for v, n in grouped.items() if v not in decimals}
    written = "," if comma else "."
    if decimals:
        count = sum(decimals.values())
        rule = {"kind": "replace-pattern", "columns": [column_values.name], "find": rf"^\s*([+-]?\d+){other}(\d+)\s*$",
                "replacement": rf"\1{written}\2"}  # fmt: skip
        rule |= {"only": rf"{other}(?:\d{{1,2}}|\d{{4,}})\s*$"} if thousands else {}
        shown = "comma" if other == "," else "point"
        yield of_column(
            column_values, KIND, "middle", count, f"{cells(count)} with a decimal {shown}: {listed(list(decimals))}",
            evidence=[Evidence(value=v, count=n, becomes=v.replace(other[-1], written)) for v, n in decimals.items()],
            filters=matching(column_values.name, _SINGLE % other), rule=rule, detail="decimal",
        )  # fmt: skip
    if grouped:
        count = sum(grouped.values())
        pattern = _GROUPED % (other, own)
        yield of_column(
            column_values, KIND, "middle", count, f"{cells(count)} with a thousands mark: {listed(list(grouped))}",
            evidence=[Evidence(value=v, count=n, becomes=v.replace(other[-1], "")) for v, n in grouped.items()],
            filters=matching(column_values.name, pattern), detail="thousands",
            rule={"kind": "replace-pattern", "columns": [column_values.name], "find": other, "only": pattern},
        )  # fmt: skip


def _is_thousands(value: str, mark: str, middle: float) -> bool:
    """Whether three digits after a mark are thousands: the reading nearer to the middle of the column."""
    whole, _, rest = value.strip().partition(mark)
    if len(rest) != 3 or len(whole.lstrip("+-")) > 3 or whole.lstrip("+-").startswith("0"):
        return False
    small, large = abs(float(f"{whole}.{rest}")), abs(float(whole + rest))
    if not middle or not small:
        return True
    return bool(abs(np.log(large / middle)) < abs(np.log(small / middle)))
