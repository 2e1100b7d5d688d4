"""Decode what stands for another character, and bring characters into one form."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

_WAYS = {
    "escapes": ("Decode \\t, \\n and \\r in ", "decode_escapes(:c)"),
    "entities": ("Decode names of characters such as &amp; in ", "decode_entities(:c)"),
    "composed": ("Compose letters and their accents (Unicode NFC) in ", "nfc_normalize(:c)"),
    "plain marks": ("Write typographic quotes, dashes and spaces as plain ones in ", "wide_to_plain(:c)"),
    "no accents": ("Remove accents from ", "strip_accents(:c)"),
}


class Decode(ColumnCorrection):
    """Escapes are two characters that stand for one (a backslash and t for a tab); NFC is Unicode's composed form."""

    title = "Decode characters"
    group = "Text"
    about = "Decodes written-out escapes and names of characters, or writes characters in one form."
    synonyms = (
        "html entities", "escape", "unescape", "url encoding", "percent encoding", "unicode", "mojibake",
        "normalize", "quotes",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "what": "escapes"},
            before={"a": ["rain\\tlate", "a\\nb", "c:\\\\new", "plain", None]},
            after={"a": ["rain\tlate", "a\nb", "c:\\new", "plain", None]},
        ),
        Example(
            rule={"columns": ["a"], "what": "entities"},
            before={"a": ["12 &deg;C", "a &amp;lt; b", None]},
            after={"a": ["12 °C", "a &lt; b", None]},
        ),
        Example(
            rule={"columns": ["a"], "what": "composed"}, before={"a": ["e\u0301", None]}, after={"a": ["\u00e9", None]}
        ),
        Example(
            rule={"columns": ["a"], "what": "plain marks"},
            before={"a": ["“5–10”", "a\u00a0b", None]},
            after={"a": ['"5-10"', "a b", None]},
        ),
        Example(
            rule={"columns": ["a"], "what": "no accents"},
            before={"a": ["É. Moreau", None]},
            after={"a": ["E. Moreau", None]},
        ),
    )

    names_columns = False
    repairs_text: ClassVar[bool] = True

    kind: Literal["decode"] = "decode"
    what: Literal["escapes", "entities", "composed", "plain marks", "no accents"] = Field(
        default="escapes", title="What", json_schema_extra={"widget": "choice"}
    )

    def sentence(self) -> list[Part]:
        return [text(_WAYS[self.what][0]), *self.meant(), text(".")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        return Corrected(template(_WAYS[self.what][1], c=as_text(cell, column.type)))


KIND = Decode
