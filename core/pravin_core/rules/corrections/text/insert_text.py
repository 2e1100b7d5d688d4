"""Insert a text into values."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, counted, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class InsertText(ColumnCorrection):
    """Missing values stay missing. With `once` values that have the text there already are left alone."""

    title = "Insert text"
    group = "Text"
    about = "Puts a text at the beginning, at the end, or after a number of characters of each value."
    synonyms = ("prefix", "suffix", "prepend", "append text", "add text", "insert character")
    examples = (
        Example(
            rule={"columns": ["a"], "insert": "WQ-", "place": "start"},
            before={"a": ["0042", "WQ-0007", None]},
            after={"a": ["WQ-0042", "WQ-0007", None]},
        ),
        Example(
            rule={"columns": ["a"], "insert": ":", "place": "behind", "characters": 2},
            before={"a": ["0940", "09:40", "7", None]},
            after={"a": ["09:40", "09:40", "7", None]},
        ),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["insert-text"] = "insert-text"
    insert: str = Field(min_length=1, max_length=400, title="Insert")
    place: Literal["start", "end", "behind"] = Field(
        default="start",
        title="Where",
        json_schema_extra={
            "widget": "choice",
            "labels": {"start": "at the start", "end": "at the end", "behind": "after a number of characters"},
        },
    )
    characters: int = Field(
        default=0, ge=0, le=10_000, title="After how many characters", json_schema_extra={"widget": "whole"}
    )
    once: bool = Field(default=True, title="Only where it is not there yet", json_schema_extra={"widget": "switch"})

    def sentence(self) -> list[Part]:
        where = {
            "start": " at the beginning of ",
            "end": " at the end of ",
            "behind": f" after {counted(self.characters, 'character')} of ",
        }
        return [text("Insert "), Part(text=self.insert, data=True), text(where[self.place]), *self.meant(), text(".")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        old, new = as_text(cell, column.type), exp.Literal.string(self.insert)
        n = exp.Literal.number(self.characters)
        result, there, fits = {
            "start": (":t || :c", "starts_with(:c, :t)", "true"),
            "end": (":c || :t", "ends_with(:c, :t)", "true"),
            "behind": (
                "left(:c, :n) || :t || substring(:c, :n + 1)",
                "starts_with(substring(:c, :n + 1), :t)",
                "length(:c) >= :n",
            ),
        }[self.place]
        meant: exp.Expr = template(fits, c=old, n=n)
        if self.once:
            meant = template(":m AND NOT :there", m=meant, there=template(there, c=old, t=new, n=n))
        return Corrected(
            template("CASE WHEN :m THEN :v ELSE :c END", m=meant, v=template(result, c=old, t=new, n=n), c=old)
        )


KIND = InsertText
