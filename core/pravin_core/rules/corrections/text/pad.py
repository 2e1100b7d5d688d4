"""Fill up texts at the left to a length."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field, field_validator
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, counted, text
from pravin_core.rules.patterns import checked
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class Pad(ColumnCorrection):
    """Texts as long or longer stay as they are; spaces around a text that is filled up go."""

    title = "Pad"
    group = "Text"
    about = "Puts a character, usually 0, before each value until it has the chosen length."
    synonyms = ("fill up at the left", "leading zeros", "zero pad", "pad left", "fixed length")
    examples = (
        Example(
            rule={"columns": ["a"], "length": 4, "only": "^[0-9]+$"},
            before={"a": ["42", "0042", "12345", "4a", None]},
            after={"a": ["0042", "0042", "12345", "4a", None]},
        ),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["pad"] = "pad"
    length: int = Field(ge=1, le=200, title="To the length", json_schema_extra={"widget": "bound"})
    character: str = Field(default="0", min_length=1, max_length=1, title="With the character")
    side: Literal["left", "right"] = Field(default="left", title="At the", json_schema_extra={"widget": "choice"})
    only: str = Field(default="", max_length=500, title="Only values that match")

    @field_validator("only")
    @classmethod
    def _reads(cls, pattern: str) -> str:
        return checked(pattern)

    def sentence(self) -> list[Part]:
        where = [text(" where it matches "), Part(text=self.only, data=True)] if self.only else []
        filled = [
            text(f" at the {self.side} with "),
            Part(text=self.character, data=True),
            text(f" to {counted(self.length, 'character')}"),
        ]
        return [text("Pad "), *self.meant(), *filled, *where, text(".")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        old = as_text(cell, column.type)
        meant = template("length(trim(:c)) < :n", c=old, n=exp.Literal.number(self.length))
        if self.only:
            matched = template("regexp_matches(trim(:c), :p)", c=old, p=exp.Literal.string(self.only))
            meant = exp.and_(meant, matched)
        padded = template(
            "lpad(trim(:c), :n, :f)" if self.side == "left" else "rpad(trim(:c), :n, :f)",
            c=old, n=exp.Literal.number(self.length), f=exp.Literal.string(self.character),
        )  # fmt: skip
        return Corrected(template("CASE WHEN :m THEN :p ELSE :c END", m=meant, p=padded, c=old))


KIND = Pad
