"""Read text as numbers, with the marks the supplier uses."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.engines.duckdb import template
from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, Unconverted, as_text, named, text
from pravin_core.tables.columns import Column
from pravin_core.tables.numbers import SIGNIFICANT_DIGITS, WHOLE_DIGITS, number_pattern, whole_pattern
from pravin_core.tables.types import DataType


class ToNumber(ColumnCorrection):
    """What does not read as a number becomes missing or sends the record to quarantine, never silently.

    Numbers with more digits than the type keeps exactly (15 for decimals, 18 for whole numbers) do not convert.
    """

    title = "Read as number"
    group = "Types"
    about = "Reads text as whole or decimal numbers. What does not read as a number is treated as chosen."
    examples = (
        Example(
            rule={"columns": ["a"], "decimal": ",", "thousands": "."},
            before={"a": ["7,4", "1.234,5", " -3 ", "1,2,3", None]},
            after={"a": [7.4, 1234.5, -3.0, None, None]},
        ),
        Example(
            rule={"columns": ["a"], "whole": True},
            before={"a": ["12", "1.5", "0x1F", "1_000", None]},
            after={"a": [12, None, None, None, None]},
        ),
    )

    kind: Literal["to-number"] = "to-number"
    columns: tuple[str, ...] = Field(
        min_length=1, max_length=5000, title="Columns", json_schema_extra={"widget": "columns"}
    )
    whole: bool = Field(default=False, title="Whole numbers only", json_schema_extra={"widget": "switch"})
    decimal: Literal[".", ","] = Field(default=".", title="Decimal mark", json_schema_extra={"widget": "choice"})
    thousands: Literal["", ",", ".", " ", "'"] = Field(
        default="", title="Thousands mark", json_schema_extra={"widget": "choice"}
    )
    unconverted: Unconverted = Field(
        default="quarantine", title="What is no number", json_schema_extra={"widget": "choice"}
    )

    @model_validator(mode="after")
    def _marks_differ(self) -> Self:
        if self.decimal == self.thousands:
            raise ValueError("the decimal mark and the thousands mark cannot be the same")
        return self

    def sentence(self) -> list[Part]:
        marks = [text(" with decimal mark "), Part(text=self.decimal, data=True)] if self.decimal != "." else []
        if self.thousands:
            marks += [text(" and thousands mark "), Part(text=self.thousands.replace(" ", "space"), data=True)]
        rest = "; what is none becomes missing." if self.unconverted == "missing" else "; what is none is quarantined."
        number = " as whole numbers" if self.whole else " as numbers"
        return [text("Read "), *named(self.columns), text(number), *marks, text(rest)]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        target = DataType.WHOLE if self.whole else DataType.DECIMAL
        pattern = whole_pattern(self.thousands) if self.whole else number_pattern(self.decimal, self.thousands)
        written = as_text(cell)
        plain = template(
            "replace(replace(trim(:c), :thousands, ''), :decimal, '.')",
            c=written,
            thousands=exp.Literal.string(self.thousands or "\x01"),
            decimal=exp.Literal.string(self.decimal),
        )
        significant = template(
            r"length(ltrim(regexp_replace(regexp_replace(:p, '[eE].*$', ''), '\D', '', 'g'), '0'))", p=plain
        )
        digits = WHOLE_DIGITS if self.whole else SIGNIFICANT_DIGITS
        value = template(
            "CASE WHEN regexp_full_match(trim(:c), :pattern) AND :significant <= :digits THEN "
            f"try_cast(:p AS {'BIGINT' if self.whole else 'DOUBLE'}) END",
            c=written,
            pattern=exp.Literal.string(pattern.strip("^$")),
            significant=significant,
            digits=exp.Literal.number(digits),
            p=plain,
        )
        if not self.whole:
            value = template("CASE WHEN isfinite(:v) THEN :v END", v=value)
        lost = template(":c IS NOT NULL AND :v IS NULL", c=cell.copy(), v=value)
        as_read = template("CASE WHEN :v IS NOT NULL THEN :p END", v=value, p=plain)
        return Corrected(value, target, lost, reading=True, written=as_read)


KIND = ToNumber
