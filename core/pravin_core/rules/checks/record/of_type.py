"""A value must read as a type."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Check, Example, Part, as_text, consequence_words, never_null, text
from pravin_core.rules.moments import moment_in
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import NUMBERS, DataType

_FITS = {
    "whole number": r"regexp_full_match(trim(:c), '[+-]?\d+')", "decimal": "read_number(:c) IS NOT NULL",
    "true/false": "is_truth(:c) IS NOT NULL",
}  # fmt: skip
_WORDS = {
    "whole number": "a whole number",
    "decimal": "a number",
    "date": "a date",
    "date-time": "a date with its time",
    "true/false": "true or false",
}


class OfType(Check):
    """Missing values pass. Dates are those written as 2024-03-17; other forms are first read as dates by a correction."""

    title = "Type check"
    group = "Per record"
    about = "A value must be a whole number, a number, a date, or true or false."
    synonyms = ("is of a type", "type", "data type", "numeric", "integer", "date", "is number", "is date", "boolean")
    examples = (
        Example(
            rule={"columns": ["a"], "type": "decimal"},
            before={"a": ["7.4", "x", "1e999", None]},
            after={"a": ["x", "1e999"]},
        ),
        Example(
            rule={"columns": ["a"], "type": "date"},
            before={"a": ["2024-02-29", "2023-02-29", None]},
            after={"a": ["2023-02-29"]},
        ),
    )

    kind: Literal["of-type"] = "of-type"
    type: Literal["whole number", "decimal", "date", "date-time", "true/false"] = Field(
        default="decimal", title="Type", json_schema_extra={"widget": "choice"}
    )

    def sentence(self) -> list[Part]:
        return [
            *self.meant(),
            self.verb(" is ", " are each "),
            text(f"{_WORDS[self.type]}."),
            *consequence_words(self.consequence),
        ]

    def breaks(self, cell: exp.Expr, column: Column) -> exp.Expr:
        fine = {
            "whole number": {DataType.WHOLE}, "decimal": {*NUMBERS}, "date": {DataType.DATE},
            "date-time": {DataType.DATE, DataType.DATETIME}, "true/false": {DataType.BOOLEAN},
        }[self.type]  # fmt: skip
        if column.type in fine:
            return exp.false()
        if column.type is not DataType.TEXT:
            return template(":c IS NOT NULL", c=cell)
        if self.type in ("date", "date-time"):
            fits: exp.Expr = template(":m IS NOT NULL", m=moment_in(cell, column))
        else:
            fits = template(_FITS[self.type], c=as_text(cell, column.type))
        return never_null(template(":c IS NOT NULL AND NOT :f", c=cell, f=exp.paren(fits)))

    def phrase(self) -> str:
        return f"is not {_WORDS[self.type]}"


KIND = OfType
