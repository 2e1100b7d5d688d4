"""Add a column: a constant, or a copy of another one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Corrected, Derivation, Example, Part, text
from pravin_core.sql.trees import column as col
from pravin_core.tables.columns import Column
from pravin_core.tables.types import NUMBERS, SQL_TYPES, DataType


class AddColumn(Derivation):
    """The constant is read in the type that the column is given. A formula is the kind "Compute by a formula"."""

    title = "Add or duplicate a column"
    group = "Columns"
    about = "Adds a column that holds one value in every record, or the values of another column."
    synonyms = (
        "new column", "insert column", "duplicate column", "clone", "constant", "literal", "default value",
    )  # fmt: skip
    examples = (
        Example(
            rule={"name": "n", "type": "whole number", "value": "7"},
            before={"a": ["x", None]},
            after={"a": ["x", None], "n": [7, 7]},
        ),
        Example(
            rule={"name": "b", "copy_of": "a"},
            before={"a": ["x", None], "c": ["1", "2"]},
            after={"a": ["x", None], "b": ["x", None], "c": ["1", "2"]},
        ),
    )

    kind: Literal["add-column"] = "add-column"
    name: str = Field(min_length=1, max_length=200, title="Name", json_schema_extra={"widget": "name"})
    copy_of: str = Field(
        default="",
        max_length=2000,
        title="A copy of",
        json_schema_extra={"widget": "column", "empty": "none: one value"},
    )
    type: DataType = Field(default=DataType.TEXT, title="Type", json_schema_extra={"widget": "choice"})
    value: str = Field(default="", max_length=2000, title="Value", json_schema_extra={"empty": "missing"})

    @model_validator(mode="after")
    def _value_fits(self) -> Self:
        if self.value and self.type in NUMBERS:
            try:
                (int if self.type is DataType.WHOLE else float)(self.value)
            except ValueError:
                raise ValueError(f"the value {self.value!r} is not a {self.type.value}") from None
        return self

    def needs(self) -> tuple[str, ...]:
        return (self.copy_of,) if self.copy_of else ()

    def makes(self) -> tuple[str, ...]:
        return (self.name,)

    def after(self) -> str:
        return self.copy_of

    def sentence(self) -> list[Part]:
        name = Part(text=self.name, data=True)
        if self.copy_of:
            return [text("Duplicate "), Part(text=self.copy_of, data=True), text(" as "), name, text(".")]
        holding = [text(" holding "), Part(text=self.value, data=True)] if self.value else [text(" without values")]
        return [text("Add the column "), name, *holding, text(".")]

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        if self.copy_of:
            return [Corrected(col(self.copy_of), next(column.type for column in table if column.name == self.copy_of))]
        target = exp.DataType.build(SQL_TYPES[self.type], dialect="duckdb")
        value: exp.Expr = (
            exp.TryCast(this=exp.Literal.string(self.value), to=target)
            if self.value
            else exp.cast(exp.null(), SQL_TYPES[self.type])
        )
        return [Corrected(value, self.type)]


KIND = AddColumn
