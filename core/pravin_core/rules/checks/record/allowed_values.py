"""A value must be one of a list."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Check, Example, Part, as_text, consequence_words, joined, never_null, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class AllowedValues(Check):
    """Compared as text, letter case as written. Missing values pass."""

    title = "Allowed values"
    group = "Per record"
    about = "Only the listed values may occur."
    synonyms = (
        "is one of", "domain", "enum", "list of values", "valid values", "accepted values", "category", "in list",
        "whitelist",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "values": ["x", "y"]}, before={"a": ["x", "X", "z", None]}, after={"a": ["X", "z"]}
        ),
    )

    kind: Literal["allowed-values"] = "allowed-values"
    values: tuple[str, ...] = Field(
        default=(), max_length=20_000, title="Values", json_schema_extra={"widget": "tokens"}
    )
    code_list: str = Field(
        default="",
        max_length=200,
        title="Or the codes of",
        json_schema_extra={"widget": "code list", "empty": "the values above"},
    )

    @model_validator(mode="after")
    def _listed(self) -> Self:
        if not self.values and not self.code_list:
            raise ValueError("give the values, or the name of a code list in the library")
        return self

    def sentence(self) -> list[Part]:
        verb = self.verb(" is one of ", " are each one of ")
        return [
            *self.meant(),
            verb,
            *([text("the codes of "), Part(text=self.code_list, data=True)] if self.code_list else joined(self.values)),
            text("."),
            *consequence_words(self.consequence),
        ]

    def breaks(self, cell: exp.Expr, column: Column) -> exp.Expr:
        known = exp.Array(expressions=[exp.Literal.string(value) for value in self.values])
        return never_null(template("NOT list_contains(:known, :c)", known=known, c=as_text(cell, column.type)))

    def phrase(self) -> str:
        return "is not one of the allowed values"


KIND = AllowedValues
