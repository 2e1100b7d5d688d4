"""Values of another column: one that is known there stands where it never else does, and its own place is empty."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import permutations

import numpy as np
from sqlglot import exp

from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import LISTED, Evidence, Finding, Kind, make, some_records
from pravin_core.profiling.findings.formulas import quoted
from pravin_core.profiling.findings.tables.exchanged import (
    COMMON,
    FEW,
    LEAST,
    TIMES,
    counts,
    in_common,
    is_in,
    of_few_values,
)
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import Coded, TableStudy
from pravin_core.records.filters import make_filter
from pravin_core.sql.trees import template

KIND = Kind(
    "value of another column",
    "A text that stands at least three times, and five times more often, in another column of text, which is empty in this "
    "record; where the two have hardly any values in common otherwise, and this is so in at most 5 of 100 records.",
)
MOST_LISTED = 60


def find(table: TableStudy) -> Iterator[Finding]:
    """Pairs of columns, the second with gaps; a sample tells which have too much in common. Each column is counted once."""
    able = of_few_values(table)
    sampled = {column.name: _cells(table.sample[column.name]) for column in able}
    counted: dict[str, dict[str, int]] = {}
    for column, home in permutations(able, 2):
        if not home.missing or _have_much_in_common(sampled[column.name], sampled[home.name]):
            continue
        for name in (column, home):
            if name.name not in counted:
                counted[name.name] = counts(table, name)
        yield from _misplaced(table, column, home, counted[column.name], counted[home.name])


def _cells(coded: Coded) -> dict[str, int]:
    """The cells of each text of a sample, the empty one aside."""
    cells = np.bincount(coded.codes, minlength=len(coded.texts)).tolist()
    return {text: n for text, n in zip(coded.texts, cells, strict=True) if text and n}


def _have_much_in_common(one: dict[str, int], home: dict[str, int]) -> bool:
    return max(in_common(one, home), in_common(home, one)) > 2 * COMMON


def _misplaced(
    table: TableStudy, column: ColumnProfile, home: ColumnProfile, here: dict[str, int], there: dict[str, int]
) -> Iterator[Finding]:
    strange = [text for text, n in here.items() if there.get(text, 0) >= max(LEAST, TIMES * n)]
    if not 0 < len(strange) <= LISTED or in_common(here, there) > COMMON or in_common(there, here) > COMMON:
        return
    door = [make_filter("column", name=column.name, test="one of", values=tuple(strange)),
            make_filter("column", name=home.name, test="missing")]  # fmt: skip
    count = table.opened_by(door)
    if not 0 < count <= FEW * table.records:
        return
    cell = text_of(column.name)
    met = exp.In(this=cell.copy(), expressions=[exp.Literal.string(text) for text in strange])
    empty = template(":h = ''", h=text_of(home.name))
    shown = exp.select(cell, "count(*)").from_(table.source).where(met, empty).group_by(cell.copy())
    rows = table.ask(shown.order_by("2 DESC", "1").limit(12))
    if not rows:
        return
    yield make(
        KIND, [column.name, home.name], "middle", count, table.records,
        f"{some_records(count)} in which {column.name} holds what {home.name} holds otherwise, and {home.name} is missing: “{rows[0][0]}”",
        evidence=[Evidence(value=text, count=n) for text, n in rows], filters=door,
        rule={"kind": "holds", "columns": [column.name, home.name], "formula": f"not ({is_in(column, strange)} and {quoted(home)} is null)"}
        if len(strange) <= MOST_LISTED else None, effect=count,
    )  # fmt: skip
