"""Merge columns into one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Corrected, Derivation, Example, Part, joined, text
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.sql.written import written
from pravin_core.tables.columns import Column


class MergeColumns(Derivation):
    """Missing parts are left out with their mark; where all are missing, so is the result."""

    title = "Merge columns"
    group = "Text"
    about = "Writes the values of several columns one after the other into one column, with a mark between them."
    synonyms = ("concatenate", "concat", "combine", "join texts", "paste")
    examples = (
        Example(
            rule={"columns": ["a", "b"], "mark": "-", "into": "c", "drop": True},
            before={"a": ["WQ", None, None], "b": ["7", "8", None], "z": ["1", "2", "3"]},
            after={"c": ["WQ-7", "8", None], "z": ["1", "2", "3"]},
        ),
    )

    kind: Literal["merge-columns"] = "merge-columns"
    columns: tuple[str, ...] = Field(
        min_length=2, max_length=200, title="Columns, in order", json_schema_extra={"widget": "columns"}
    )
    mark: str = Field(default=" ", max_length=100, title="Mark between them")
    into: str = Field(min_length=1, max_length=200, title="Into the column", json_schema_extra={"widget": "name"})
    drop: bool = Field(default=False, title="Drop the original columns", json_schema_extra={"widget": "switch"})

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def after(self) -> str:
        return self.columns[-1]

    def drops(self) -> tuple[str, ...]:
        return self.columns if self.drop else ()

    def sentence(self) -> list[Part]:
        rest = " and drop them." if self.drop else "."
        between = [text(" with "), Part(text=self.mark, data=True), text(" between them")] if self.mark else []
        return [
            text("Merge "),
            *joined(self.columns),
            *between,
            text(" into "),
            Part(text=self.into, data=True),
            text(rest),
        ]

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        types = {column.name: column.type for column in table}
        parts = [exp.Literal.string(self.mark), *(written(col(name), types[name]) for name in self.columns)]
        whole = exp.Anonymous(this="concat_ws", expressions=parts)
        return [Corrected(template("nullif(:w, '')", w=whole))]


KIND = MergeColumns
