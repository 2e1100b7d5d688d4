"""Checks that hold what a profile saw: no later delivery should leave these bounds unnoticed."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import groupby
from typing import Any

from pravin_core.profiling.model import ColumnProfile, Profile
from pravin_core.tables.types import DataType, Role

MOST_VALUES = 30
MOST_SHAPES = 3
ENOUGH = 20
Rule = dict[str, Any]


def bounds_of(profile: Profile) -> list[tuple[Rule, str]]:
    """Proposed checks (rules without id), with what they rest on in words.

    What must be there, ranges of numbers and first dates, few values, one to three shapes, and keys. A column with
    values that do not fit its type, or with findings of middle or high severity, is to be corrected first: of its
    values nothing is proposed.
    """
    faulty = {name for finding in profile.findings if finding.severity != "low" for name in finding.columns}
    return [
        proposal
        for column in profile.columns
        for proposal in _of(column, profile.records, column.name in faulty or column.misfits > 0)
    ]


def _of(column: ColumnProfile, records: int, faulty: bool) -> Iterator[tuple[Rule, str]]:
    present = sum(cells for kind, cells in column.kinds.items() if kind not in ("missing", "missing token"))
    if present < ENOUGH:
        return
    if present == records:
        yield _check("required", column), f"none of {records:,} is missing"
    if column.distinct == present == records and column.type is not DataType.DECIMAL and column.role is not Role.TIME:
        yield _check("unique", column), f"all {records:,} values are different"
    if faulty:
        return
    if column.numbers and column.role is Role.QUANTITY and column.decimal_mark == ".":
        low, high = f"{column.numbers.minimum:.15g}", f"{column.numbers.maximum:.15g}"
        if low != high:
            yield _check("in-range", column, low=low, high=high), f"the least and the greatest of {present:,} numbers"
    elif column.dates and column.type in (DataType.DATE, DataType.DATETIME):
        if column.dates.formats[0].value.startswith("%Y-%m-%d") and len(column.dates.formats) == 1:
            yield _check("in-range", column, low=column.dates.first), f"the first of {present:,} dates"
    elif column.role in (Role.CATEGORY, Role.FLAG) and column.distinct <= MOST_VALUES < present:
        values = sorted(value.value for value in column.values if value.value.strip())
        if len(values) == column.distinct and not column.kinds.get("missing token"):
            yield _check("allowed-values", column, values=values), f"the {len(values)} values seen"
    elif column.role is Role.IDENTIFIER and _few_shapes(column, present):
        pattern = "|".join(sorted(_pattern(shape.value) for shape in column.shapes))
        text = " and ".join(shape.value for shape in column.shapes)
        yield _check("matches-pattern", column, pattern=pattern), f"all {present:,} have the shape {text}"


def _few_shapes(column: ColumnProfile, present: int) -> bool:
    return len(column.shapes) <= MOST_SHAPES and sum(shape.count for shape in column.shapes) == present


def _check(kind: str, column: ColumnProfile, **more: Any) -> Rule:
    return {"kind": kind, "columns": [column.name], **more}


_LETTERS = {"9": "[0-9]", "a": r"\p{Ll}", "A": r"\p{Lu}"}


def _pattern(shape: str) -> str:
    """The regular expression of a shape."""
    pieces = []
    for letter, run in groupby(shape):
        length = len(list(run))
        piece = _LETTERS.get(letter, re.escape(letter))
        pieces.append(piece if length == 1 else f"{piece}{{{length}}}")
    return "".join(pieces)
