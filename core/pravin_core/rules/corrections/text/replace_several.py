"""Several texts replaced by others in one rule."""

from __future__ import annotations

import re
from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

_SHOWN = 4


class Replacement(BaseModel):
    """A text that is found, and what takes its place."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    code: str = Field(min_length=1, max_length=2000)
    meaning: str = Field(max_length=2000)


class ReplaceSeveral(ColumnCorrection):
    """The lines are taken in order, each on what those before it left; what is found is no pattern."""

    title = "Replace several texts"
    group = "Text"
    about = "Replaces texts by others within values, as a list says line by line, such as abbreviations by their words."
    synonyms = (
        "find and replace list",
        "substitute",
        "abbreviations",
        "swap",
        "search and replace",
        "expand",
        "dictionary",
    )
    examples = (
        Example(
            rule={
                "columns": ["a"],
                "pairs": [{"code": "St.", "meaning": "Street"}, {"code": "N.", "meaning": "North"}],
            },
            before={"a": ["N. Mill St.", "n. Quay", None]},
            after={"a": ["North Mill Street", "n. Quay", None]},
        ),
        Example(
            rule={
                "columns": ["a"],
                "pairs": [{"code": "lab", "meaning": "L"}, {"code": "-", "meaning": ""}],
                "words": True,
                "ignore_case": True,
            },
            before={"a": ["Lab-2 LABEL", "a lab", "-"]},
            after={"a": ["L2 LABEL", "a L", None]},
        ),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["replace-several"] = "replace-several"
    pairs: tuple[Replacement, ...] = Field(
        min_length=1, max_length=60, title="Find and replace with", json_schema_extra={"widget": "codes"}
    )
    words: bool = Field(default=False, title="Whole words only", json_schema_extra={"widget": "switch"})
    ignore_case: bool = Field(default=False, title="Ignore letter case", json_schema_extra={"widget": "switch"})

    def sentence(self) -> list[Part]:
        parts: list[Part] = [text("Replace ")]
        for place, pair in enumerate(self.pairs[:_SHOWN]):
            by = [text(" with "), Part(text=pair.meaning, data=True)] if pair.meaning else [text(" with nothing")]
            parts += [*([text(", ")] if place else []), Part(text=pair.code, data=True), *by]
        more = len(self.pairs) - _SHOWN
        rest = f" and {more:,} more" if more > 0 else ""
        how = ", whole words only" if self.words else ""
        return [
            *parts,
            text(f"{rest} in "),
            *self.meant(),
            text(f"{how}{', ignoring letter case' if self.ignore_case else ''}."),
        ]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        value = as_text(cell, column.type)
        flags = exp.Literal.string("gi" if self.ignore_case else "g")
        for pair in self.pairs:
            pattern = re.sub(r"([\\^$.|?*+()\[\]{}])", r"\\\1", pair.code)
            if self.words:  # a word boundary only where the text begins or ends with a letter or digit
                pattern = rf"\b{pattern}" if re.match(r"\w", pair.code) else pattern
                pattern = rf"{pattern}\b" if re.search(r"\w$", pair.code) else pattern
            plain = pair.meaning.replace("\\", "\\\\")  # what is put in is meant as it is: \ would name a group
            value = template("regexp_replace(:c, :p, :n, :o)", c=value, p=pattern, n=plain, o=flags)
        return Corrected(template("nullif(:v, '')", v=value))


KIND = ReplaceSeveral
