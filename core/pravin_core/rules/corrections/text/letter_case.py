"""Write letters in upper or lower case."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

_WAYS = {
    "small": ("in lower case", "lower(:c)"),
    "capitals": ("in upper case", "upper(:c)"),
    "first": ("with a capital at the beginning only", "first_capital(:c)"),
    "words": ("with a capital at the beginning of each word", "words_capital(:c)"),
}


class LetterCase(ColumnCorrection):
    """Letters of every script that has case are meant; other characters stay."""

    title = "Letter case"
    group = "Text"
    about = "Writes text in lower case, in upper case, or with a capital at the beginning of the text or of each word."
    synonyms = (
        "uppercase", "lowercase", "upper", "lower", "title case", "capitalize",
        "lower case", "upper case",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "letters": "words"},
            before={"a": ["upper MERROW", "é-weir o'neil", "7b", None]},
            after={"a": ["Upper Merrow", "É-Weir O'neil", "7b", None]},
        ),
        Example(rule={"columns": ["a"], "letters": "small"}, before={"a": ["NO3", None]}, after={"a": ["no3", None]}),
        Example(rule={"columns": ["a"], "letters": "first"}, before={"a": ["lab NORTH"]}, after={"a": ["Lab north"]}),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["letter-case"] = "letter-case"
    letters: Literal["small", "capitals", "first", "words"] = Field(
        default="small",
        title="Write",
        json_schema_extra={"widget": "choice", "labels": {way: words for way, (words, _) in _WAYS.items()}},
    )

    def sentence(self) -> list[Part]:
        return [text("Write "), *self.meant(), text(f" {_WAYS[self.letters][0]}.")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        return Corrected(template(_WAYS[self.letters][1], c=as_text(cell, column.type)))


KIND = LetterCase
