"""Remove headers that are repeated among the records."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from sqlglot import exp

from pravin_core.rules.base import Example, Part, RecordCorrection, as_text, text
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column


class RemoveHeaders(RecordCorrection):
    """A record goes when every filled cell says the name of its column, letter case and spaces aside, and at least half
    of the cells are filled.
    """

    title = "Remove repeated headers"
    group = "Records"
    about = "Removes records whose cells repeat the names of the columns."
    synonyms = ("repeated header", "header row", "concatenated files")
    examples = (
        Example(
            rule={},
            before={"site": ["0042", "Site", None], "ph": ["7.4", " pH", "8"]},
            after={"site": ["0042", None], "ph": ["7.4", "8"]},
        ),
    )

    kind: Literal["remove-headers"] = "remove-headers"

    def needs(self) -> tuple[str, ...]:
        return ()

    def sentence(self) -> list[Part]:
        return [text("Remove records that repeat the names of the columns.")]

    def removed(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        alike, filled = [], []
        for column in columns:
            name = exp.Literal.string("".join((column.delivered or column.name).lower().split()))
            own = exp.Literal.string("".join(column.name.lower().split()))
            cell = as_text(col(column.name), column.type)
            alike.append(template("CASE WHEN key_text(:c) IN (:n, :o) THEN 1 ELSE 0 END", c=cell, n=name, o=own))
            filled.append(template("CASE WHEN :c IS NOT NULL THEN 1 ELSE 0 END", c=cell))
        met, some = (template("list_sum(:l)", l=exp.Array(expressions=parts)) for parts in (alike, filled))
        whole = template(":m = :s AND :s * 2 >= :n", m=met, s=some, n=exp.Literal.number(max(len(columns), 1)))
        return exp.select(col(RECORD)).from_(live.subquery("live")).where(whole)


KIND = RemoveHeaders
