"""The written form of numbers."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, counted, text
from pravin_core.rules.labels import MARKS
from pravin_core.rules.numeric import number_in
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import NUMBERS, DataType


class WriteNumbers(ColumnCorrection):
    """The column becomes text, so this belongs at the end of the corrections. Texts that are no number stay."""

    title = "Format numbers"
    group = "Numbers"
    about = "Writes numbers as text with a number of decimal places and chosen marks, for all number columns at once if no column is named."
    synonyms = ("write numbers in a form", "format number", "thousands separator", "decimal places", "number to text")
    examples = (
        Example(
            rule={"columns": ["a"], "places": 2, "decimal": ",", "thousands": "."},
            before={"a": ["1234.5", "-0.005", "x", None]},
            after={"a": ["1.234,50", "-0,01", "x", None]},
        ),
    )

    names_columns = False
    all_columns = "all number columns"
    kind: Literal["write-numbers"] = "write-numbers"
    places: int = Field(default=2, ge=0, le=12, title="Decimal places", json_schema_extra={"widget": "whole"})
    decimal: Literal[".", ","] = Field(
        default=".", title="Decimal mark", json_schema_extra={"widget": "choice", "labels": MARKS}
    )
    thousands: Literal["", ",", ".", " ", "'"] = Field(
        default="", title="Thousands mark", json_schema_extra={"widget": "choice", "labels": MARKS}
    )

    @model_validator(mode="after")
    def _marks_differ(self) -> Self:
        if self.decimal == self.thousands:
            raise ValueError("the decimal mark and the thousands mark cannot be the same")
        return self

    def applies_to(self, column: Column) -> bool:
        return column.type in NUMBERS

    def sentence(self) -> list[Part]:
        columns = self.meant() if self.columns or self.by else [Part(text="all number columns", data=True)]
        mark = (
            [text(" and thousands mark "), Part(text=self.thousands.replace(" ", "space"), data=True)]
            if self.thousands
            else []
        )
        return [
            text("Write "),
            *columns,
            text(f" with {counted(self.places, 'decimal place')}, decimal mark "),
            Part(text=self.decimal, data=True),
            *mark,
            text("."),
        ]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        number = number_in(cell, column)
        expression = template("fixed_number(:n, :p, :d, :t)", n=number, p=exp.Literal.number(self.places),
                        d=exp.Literal.string(self.decimal), t=exp.Literal.string(self.thousands))  # fmt: skip
        old = cell.copy() if column.type is DataType.TEXT else exp.cast(exp.null(), "VARCHAR")
        return Corrected(
            template("CASE WHEN :n IS NOT NULL THEN :m ELSE :c END", n=number, m=expression, c=old), reading=True
        )


KIND = WriteNumbers
