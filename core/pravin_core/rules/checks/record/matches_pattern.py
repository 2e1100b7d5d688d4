"""A text must match a regular expression as a whole."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, field_validator
from sqlglot import exp

from pravin_core.rules.base import Check, Example, Part, as_text, consequence_words, never_null, text
from pravin_core.rules.patterns import checked
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class MatchesPattern(Check):
    """RE2 syntax, which takes time in proportion to the text whatever the pattern. Missing values pass."""

    title = "Pattern"
    group = "Per record"
    about = "The whole value must match a regular expression, e.g. [0-9]{4} for four digits."
    synonyms = (
        "matches a pattern", "regex", "regexp", "format", "email", "phone", "postcode", "mask", "contains", "starts with",
        "ends with", "iban",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "pattern": "[0-9]{4}"}, before={"a": ["0042", "42", None]}, after={"a": ["42"]}
        ),
    )

    kind: Literal["matches-pattern"] = "matches-pattern"
    pattern: str = Field(min_length=1, max_length=1000, title="Pattern", json_schema_extra={"widget": "pattern"})

    @field_validator("pattern")
    @classmethod
    def _compiles(cls, pattern: str) -> str:
        return checked(pattern)

    def sentence(self) -> list[Part]:
        verb = self.verb(" matches ", " match ")
        pattern = Part(text=self.pattern, data=True)
        return [*self.meant(), verb, pattern, text("."), *consequence_words(self.consequence)]

    def breaks(self, cell: exp.Expr, column: Column) -> exp.Expr:
        pattern = exp.Literal.string(self.pattern)
        return never_null(
            template("NOT regexp_full_match(:c, :pattern)", c=as_text(cell, column.type), pattern=pattern)
        )

    def phrase(self) -> str:
        return f"does not match {self.pattern}"


KIND = MatchesPattern
