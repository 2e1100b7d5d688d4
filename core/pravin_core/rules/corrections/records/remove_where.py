"""Remove records by the value of a column."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, RecordCorrection, joined, text, text_of
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column


class RemoveWhere(RecordCorrection):
    """A record goes when the cell is one of the values, letter case as written."""

    title = "Remove records by value"
    group = "Records"
    about = "Removes the records in which a column holds one of the given values, such as a repeated header."
    synonyms = ("filter", "delete rows", "where", "equals", "contains", "exclude", "keep rows")
    examples = (
        Example(
            rule={"columns": ["a"], "values": ["a", "total"]},
            before={"a": ["1", "a", "total", None]},
            after={"a": ["1", None]},
        ),
    )

    kind: Literal["remove-where"] = "remove-where"
    columns: tuple[str, ...] = Field(
        min_length=1, max_length=1, title="Column", json_schema_extra={"widget": "columns"}
    )
    values: tuple[str, ...] = Field(
        min_length=1, max_length=1000, title="Values", json_schema_extra={"widget": "tokens"}
    )

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def sentence(self) -> list[Part]:
        return [
            text("Remove records where "),
            Part(text=self.columns[0], data=True),
            text(" is one of " if len(self.values) > 1 else " is "),
            *joined(self.values),
            text("."),
        ]

    def removed(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        values = exp.Array(expressions=[exp.Literal.string(value) for value in self.values])
        met = template("list_contains(:wanted, :c)", wanted=values, c=text_of(self.columns[0], columns))
        return exp.select(col(RECORD)).from_(live.subquery("live")).where(met)


KIND = RemoveWhere
