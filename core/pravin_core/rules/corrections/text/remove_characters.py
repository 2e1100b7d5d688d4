"""Remove kinds of characters."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.rules.labels import THOSE
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

Characters = Literal["digits", "letters", "punctuation", "spaces", "unseen"]
_SETS = {
    "digits": r"\p{Nd}",
    "letters": r"\p{L}\p{M}",
    "punctuation": r"\p{P}\p{S}",
    "spaces": r"\s\p{Z}",
    "unseen": r"\p{Cc}\p{Cf}",
}
_WORDS = {"unseen": "characters that cannot be seen"}


class RemoveCharacters(ColumnCorrection):
    """Of the chosen kinds, or of all others; a cell without any character left becomes missing."""

    title = "Remove characters"
    group = "Text"
    about = "Removes all digits, letters, punctuation, spaces or characters that cannot be seen, or keeps only these."
    synonyms = (
        "strip", "clean", "punctuation", "digits only", "letters only", "non printable", "special characters",
        "control characters", "whitespace",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "characters": ["letters", "spaces"]},
            before={"a": ["3 bottles", "2 x 250 mL", "mL", None]},
            after={"a": ["3", "2250", None, None]},
        ),
        Example(
            rule={"columns": ["a"], "characters": ["digits"], "those": "keep only"},
            before={"a": ["WQ-0042", "none", None]},
            after={"a": ["0042", None, None]},
        ),
        Example(
            rule={"columns": ["a"], "characters": ["unseen"]},
            before={"a": ["a\u200bb\u0007", "c d", None]},
            after={"a": ["ab", "c d", None]},
        ),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["remove-characters"] = "remove-characters"
    characters: tuple[Characters, ...] = Field(
        min_length=1,
        max_length=5,
        title="Characters",
        json_schema_extra={"widget": "several", "labels": {"unseen": "that cannot be seen"}},
    )
    those: Literal["remove", "keep only"] = Field(
        default="remove", title="These", json_schema_extra={"widget": "choice", "labels": THOSE}
    )

    def sentence(self) -> list[Part]:
        kinds = " and ".join(_WORDS.get(character, character) for character in self.characters)
        begun = f"Remove {kinds} from " if self.those == "remove" else f"Keep only {kinds} in "
        return [text(begun), *self.meant(), text(".")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        inner = "".join(_SETS[character] for character in self.characters)
        pattern = f"[{inner}]" if self.those == "remove" else f"[^{inner}]"
        return Corrected(
            template(
                "nullif(regexp_replace(:c, :p, '', 'g'), '')",
                c=as_text(cell, column.type),
                p=exp.Literal.string(pattern),
            )
        )


KIND = RemoveCharacters
