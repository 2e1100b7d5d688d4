"""Two columns must stand in an order, or be alike."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from pydantic.config import JsonDict
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Check, Example, Part, consequence_words, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import NUMBERS, DataType

_WORDS = {
    "<": "is less than",
    "<=": "is at most",
    "=": "is the same as",
    "<>": "differs from",
    ">=": "is at least",
    ">": "is more than",
}
_DATES = (DataType.DATE, DataType.DATETIME)


_SIGNS: JsonDict = {
    "<": "less than", "<=": "at most", "=": "the same as", "<>": "different from", ">=": "at least", ">": "more than",
}  # fmt: skip


class CompareColumns(Check):
    """Numbers are compared by size, dates by time, texts as texts (as numbers where both read as numbers). Where one is
    missing the record passes.
    """

    title = "Compare columns"
    group = "Per record"
    about = "A value must be less, more, alike or different from that of another column of the record."
    synonyms = (
        "compares with a column", "compare", "greater than", "less than", "equals", "before", "after", "start end", "cross-field",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "sign": "<=", "other": "b"},
            before={"a": ["9", "10", "x", None], "b": ["10", "9", "y", "1"]},
            after={"a": ["10"], "b": ["9"]},
        ),
    )

    kind: Literal["compare-columns"] = "compare-columns"
    sign: Literal["<", "<=", "=", "<>", ">=", ">"] = Field(
        default="<=", title="Must be", json_schema_extra={"widget": "choice", "labels": _SIGNS}
    )
    other: str = Field(min_length=1, max_length=2000, title="The column", json_schema_extra={"widget": "column"})

    def needs(self) -> tuple[str, ...]:
        return (*self.columns, self.other)

    def sentence(self) -> list[Part]:
        return [
            *self.meant(),
            text(f" {_WORDS[self.sign]} "),
            Part(text=self.other, data=True),
            text("."),
            *consequence_words(self.consequence),
        ]

    def breaks_among(self, cell: exp.Expr, column: Column, table: Sequence[tuple[Column, exp.Expr]]) -> exp.Expr:
        other, right = next((each_column, result) for each_column, result in table if each_column.name == self.other)
        kinds = {
            (
                "number"
                if each_column.type in NUMBERS
                else "date"
                if each_column.type in _DATES
                else each_column.type.value
            )
            for each_column in (column, other)
        }
        if len(kinds) > 1:
            raise RulebookError(
                f"{column.name} is {column.type} and {other.name} is {other.type}: they cannot be compared.",
                rule=self.id, column=column.name, advice="Convert both to the same type above.",
            )  # fmt: skip
        holds = template(f":a {self.sign} :b", a=cell, b=right)
        if column.type is DataType.TEXT:
            a, b = (template("read_number(:c)", c=side) for side in (cell, right))
            by_size = template(f":a {self.sign} :b", a=a, b=b)
            holds = template(
                "CASE WHEN :a IS NOT NULL AND :b IS NOT NULL THEN :n ELSE :t END", a=a, b=b, n=by_size, t=holds
            )
        return template("coalesce(NOT :h, false)", h=exp.paren(holds))

    def phrase(self) -> str:
        return f"breaks: it {_WORDS[self.sign]} {self.other}"


KIND = CompareColumns
