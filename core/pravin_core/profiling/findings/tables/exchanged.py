"""Cells of two columns of few values in each other's place: told by the values that each column has otherwise."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import numpy as np
from sqlglot import exp

from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import LISTED, Evidence, Finding, make, some_records
from pravin_core.profiling.findings.formulas import quoted
from pravin_core.profiling.findings.tables.shifted import SWAPPED
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import Coded, TableStudy
from pravin_core.records.filters import make_filter
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType

MOST_COLUMNS, MOST_VALUES = 30, 5000
LEAST = 3  # cells that a value must have in the column it belongs to
TIMES = 5  # so many times more of a text in one column than in the other, and the columns share it not
STRANGE = 3  # so many times more of them there than where it stands
FEW = 0.05
COMMON = 0.15


def find(table: TableStudy) -> Iterator[Finding]:
    """Pairs of columns with few values in common, and the records in which each holds a value of the other."""
    able = of_few_values(table)
    sampled = {column.name: _Counted(table.sample[column.name]) for column in able}
    for column, other in combinations(able, 2):
        if _any_exchanged(sampled[column.name], sampled[other.name]):
            yield from _exchanged(table, column, other)


def of_few_values(table: TableStudy) -> list[ColumnProfile]:
    """The first columns of text whose values come back, so that a value tells where it belongs."""
    able = [column for column in table.columns if column.type is DataType.TEXT and 2 <= column.distinct <= MOST_VALUES]
    return [column for column in able if column.distinct <= 0.5 * table.records][:MOST_COLUMNS]


class _Counted:
    """A sampled column with the cells of each text."""

    def __init__(self, sample: Coded) -> None:
        self.codes = sample.codes
        self.here = np.bincount(sample.codes, minlength=len(sample.texts))
        self.places = {text: at for at, text in enumerate(sample.texts) if text}


def _any_exchanged(one: _Counted, other: _Counted) -> bool:
    """Whether in any record of the sample each cell seems to belong to the other column; a cheap look before all are asked."""
    if one.places.keys().isdisjoint(other.places):
        return False
    strange, strange_too = _of_the_other(one, other), _of_the_other(other, one)
    return bool((strange[one.codes] & strange_too[other.codes]).any())


def _of_the_other(own: _Counted, other: _Counted) -> np.ndarray:  # type: ignore[type-arg]
    """For each text of a column whether it occurs much more often in the other one."""
    beside = np.zeros(len(own.here), dtype=np.int64)
    for text in own.places.keys() & other.places:
        beside[own.places[text]] = other.here[other.places[text]]
    return (beside >= LEAST) & (beside >= STRANGE * own.here)


def _exchanged(table: TableStudy, one: ColumnProfile, other: ColumnProfile) -> Iterator[Finding]:
    first, second = counts(table, one), counts(table, other)
    strange = [text for text, n in first.items() if text and second.get(text, 0) >= max(LEAST, STRANGE * n)]
    strange_too = [text for text, n in second.items() if text and first.get(text, 0) >= max(LEAST, STRANGE * n)]
    if in_common(first, second) > COMMON or in_common(second, first) > COMMON:
        return  # two columns of one vocabulary, such as from and to
    if not strange or not strange_too or max(len(strange), len(strange_too)) > LISTED:
        return
    door = [make_filter("column", name=one.name, test="one of", values=tuple(strange)),
            make_filter("column", name=other.name, test="one of", values=tuple(strange_too))]  # fmt: skip
    count = table.opened_by(door)
    if not 0 < count <= FEW * table.records:
        return
    pairs = exp.select(exp.alias_(text_of(one.name), "a"), exp.alias_(text_of(other.name), "b"), "count(*) AS n").from_(
        table.source
    )
    for name, texts in ((one.name, strange), (other.name, strange_too)):
        pairs = pairs.where(exp.In(this=text_of(name), expressions=[exp.Literal.string(text) for text in texts]))
    shown = table.ask(pairs.group_by("a", "b").order_by("n DESC", "a", "b").limit(12))
    yield make(
        SWAPPED, [one.name, other.name], "high", count, table.records,
        f"{some_records(count)} in which {one.name} and {other.name} are exchanged: “{shown[0][0]}” is a value of {other.name}, "
        f"“{shown[0][1]}” one of {one.name}",
        evidence=[Evidence(value=f"{a} | {b}", count=n, becomes=f"{b} | {a}") for a, b, n in shown], filters=door,
        rule={"kind": "holds", "columns": [one.name, other.name], "formula": _right(one, other, strange, strange_too)}
        if len(strange) + len(strange_too) <= 60 else None, effect=count, detail="values",
    )  # fmt: skip


def in_common(own: dict[str, int], other: dict[str, int]) -> float:
    """The share of a column's cells whose text belongs to the other column too: not only some strays of it stand there."""
    return sum(n for text, n in own.items() if other.get(text, 0) * TIMES > n) / (sum(own.values()) or 1)


def _right(one: ColumnProfile, other: ColumnProfile, strange: list[str], strange_too: list[str]) -> str:
    return f"not ({is_in(one, strange)} and {is_in(other, strange_too)})"


def is_in(column: ColumnProfile, texts: list[str]) -> str:
    """The formula that a column holds one of some texts."""
    listed = ", ".join("'" + text.replace("'", "''") + "'" for text in texts)
    return f"{quoted(column)} in ({listed})"


def counts(table: TableStudy, column: ColumnProfile) -> dict[str, int]:
    """The cells of each text of a column, the empty one aside."""
    cell = text_of(column.name)
    return dict(
        table.ask(
            exp.select(cell, "count(*)").from_(table.source).where(template(":c <> ''", c=cell)).group_by(cell.copy())
        )
    )
