"""Bring numbers that lie outside of bounds to the bound."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, text
from pravin_core.rules.numeric import of_numbers
from pravin_core.tables.columns import Column
from pravin_core.tables.types import NUMBERS


class LimitNumbers(ColumnCorrection):
    """Texts that are no number with a decimal point stay as they are."""

    title = "Clip numbers"
    group = "Numbers"
    about = "Numbers below the lower limit become the lower limit, those above the upper one the upper limit."
    synonyms = ("limit numbers", "clip", "clamp", "cap", "winsorize", "minimum", "maximum", "floor", "ceiling")
    examples = (
        Example(
            rule={"columns": ["a"], "low": 0, "high": 14},
            before={"a": ["-0.1", "7.4", "15", "x", None]},
            after={"a": ["0", "7.4", "14", "x", None]},
        ),
    )

    kind: Literal["limit-numbers"] = "limit-numbers"
    low: float | None = Field(default=None, title="Not below", json_schema_extra={"widget": "number"})
    high: float | None = Field(default=None, title="Not above", json_schema_extra={"widget": "number"})

    @model_validator(mode="after")
    def _bounded(self) -> Self:
        if self.low is None and self.high is None:
            raise ValueError("give a lower or an upper limit")
        if self.low is not None and self.high is not None and self.low > self.high:
            raise ValueError("the lower limit is above the upper one")
        return self

    def applies_to(self, column: Column) -> bool:
        return column.type in NUMBERS

    def sentence(self) -> list[Part]:
        low = f"at least {self.low:g}" if self.low is not None else ""
        high = f"at most {self.high:g}" if self.high is not None else ""
        return [text("Clip "), *self.meant(), text(f" to {low}{' and ' if low and high else ''}{high}.")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        bounds = {
            n: exp.cast(exp.Literal.string(repr(b)), "DOUBLE")
            for n, b in (("l", self.low), ("h", self.high))
            if b is not None
        }
        how = ":n"
        if "l" in bounds:
            how = f"greatest({how}, :l)"
        if "h" in bounds:
            how = f"least({how}, :h)"
        where = " OR ".join(part for name, part in (("l", ":n < :l"), ("h", ":n > :h")) if name in bounds)
        return of_numbers(cell, column, how, where, **bounds)


KIND = LimitNumbers
