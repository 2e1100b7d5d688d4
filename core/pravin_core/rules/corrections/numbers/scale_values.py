"""Multiply the numbers that lie in a range."""

from __future__ import annotations

import math
from decimal import Decimal
from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.numbers import number_pattern
from pravin_core.tables.types import NUMBERS, DataType


class ScaleValues(ColumnCorrection):
    """Puts slips of scale right (74 for 7.4). Texts that are no number with a decimal point stay as they are."""

    title = "Scale numbers"
    group = "Numbers"
    about = "Multiplies the numbers between two limits, for example 74 by 0.1 where 7.4 was meant."
    synonyms = (
        "multiply", "divide", "times", "factor", "convert units", "unit conversion", "rescale", "percent",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "factor": 0.1, "low": "14", "high": "140"},
            before={"a": ["7.4", "74", "x", None, "900"]},
            after={"a": ["7.4", "7.4", "x", None, "900"]},
        ),
        Example(
            rule={"columns": ["a"], "factor": 2},
            before={"a": ["7.5", "x", "1,5", None]},
            after={"a": ["15", "x", "1,5", None]},
        ),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["scale-values"] = "scale-values"
    factor: float = Field(title="Multiply by", json_schema_extra={"widget": "bound"})
    low: str | None = Field(default=None, max_length=40, title="From", json_schema_extra={"widget": "bound"})
    high: str | None = Field(default=None, max_length=40, title="To", json_schema_extra={"widget": "bound"})

    @model_validator(mode="after")
    def _numbers_are_numbers(self) -> Self:
        if not math.isfinite(self.factor) or self.factor == 0:
            raise ValueError("the factor must be a number other than 0")
        for bound in (self.low, self.high):
            if bound is not None and not math.isfinite(float(bound)):
                raise ValueError(f"the limit {bound!r} is not a number")
        return self

    def sentence(self) -> list[Part]:
        where = (
            [text(f" where they are between {self.low or '…'} and {self.high or '…'}")] if self.low or self.high else []
        )
        return [text("Multiply "), *self.meant(), text(f" by {self.factor:g}"), *where, text(".")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        if column.type in NUMBERS:
            number: exp.Expr = exp.cast(cell.copy(), "DOUBLE")
        else:
            number = template(
                "CASE WHEN regexp_full_match(trim(:c), :p) THEN try_cast(trim(:c) AS DOUBLE) END",
                c=as_text(cell, column.type), p=exp.Literal.string(number_pattern().strip("^$")),
            )  # fmt: skip
        meant: exp.Expr = template(":n IS NOT NULL", n=number)
        if self.low is not None:
            meant = template(":m AND :n >= :b", m=meant, n=number, b=exp.cast(exp.Literal.string(self.low), "DOUBLE"))
        if self.high is not None:
            meant = template(":m AND :n <= :b", m=meant, n=number, b=exp.cast(exp.Literal.string(self.high), "DOUBLE"))
        # rounded to what a number written with 15 digits can tell, so that 74 x 0.1 is 7.4
        factor = exp.cast(exp.Literal.string(repr(self.factor)), "DOUBLE")
        scaled = template("neat_number(:n * :f)", n=number, f=factor)
        if column.type is DataType.EXACT:
            exact = template(
                "exact_times(:c, as_exact(:f))", c=cell, f=exp.Literal.string(f"{Decimal(repr(self.factor)):f}")
            )
            return Corrected(template("CASE WHEN :m THEN :s ELSE :c END", m=meant, s=exact, c=cell.copy()), column.type)
        if column.type is DataType.DECIMAL:
            return Corrected(
                template("CASE WHEN :m THEN :s ELSE :c END", m=meant, s=scaled, c=cell.copy()), column.type
            )
        if column.type is DataType.WHOLE:
            number_of = exp.cast(cell.copy(), "DOUBLE")
            return Corrected(
                template("CASE WHEN :m THEN :s ELSE :c END", m=meant, s=scaled, c=number_of), DataType.DECIMAL
            )
        written = template(r"regexp_replace(CAST(:s AS VARCHAR), '\.0$', '')", s=scaled)
        return Corrected(template("CASE WHEN :m THEN :w ELSE :c END", m=meant, w=written, c=cell.copy()), column.type)


KIND = ScaleValues
