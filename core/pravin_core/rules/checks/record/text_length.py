"""A text must have a length."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Check, Example, Part, as_text, between, consequence_words, never_null, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class TextLength(Check):
    """In characters, spaces too. Missing values pass."""

    title = "Text length"
    group = "Per record"
    about = "A text must have at least or at most a number of characters."
    synonyms = ("has a length", "length", "max length", "min length", "characters", "varchar", "too long", "too short")
    examples = (
        Example(
            rule={"columns": ["a"], "least": 4, "most": 4},
            before={"a": ["0042", "42", "00421", None]},
            after={"a": ["42", "00421"]},
        ),
    )

    kind: Literal["text-length"] = "text-length"
    least: int = Field(default=0, ge=0, le=1_000_000, title="At least", json_schema_extra={"widget": "whole"})
    most: int | None = Field(default=None, ge=0, le=1_000_000, title="At most", json_schema_extra={"widget": "whole"})

    @model_validator(mode="after")
    def _bounded(self) -> Self:
        if not self.least and self.most is None:
            raise ValueError("give the least or the most characters")
        if self.most is not None and self.most < self.least:
            raise ValueError("the most characters are fewer than the least")
        return self

    def _range(self) -> str:
        return between(self.least or None, self.most, "character")

    def sentence(self) -> list[Part]:
        return [
            *self.meant(),
            self.verb(" has ", " have each "),
            text(f"{self._range()}."),
            *consequence_words(self.consequence),
        ]

    def breaks(self, cell: exp.Expr, column: Column) -> exp.Expr:
        most = exp.Literal.number(self.most if self.most is not None else 2**31)
        return never_null(
            template(
                "length(:c) < :a OR length(:c) > :b",
                c=as_text(cell, column.type),
                a=exp.Literal.number(self.least),
                b=most,
            )
        )

    def phrase(self) -> str:
        return f"does not have {self._range()}"


KIND = TextLength
