"""Round numbers, or take their sign or fraction away."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from pydantic.config import JsonDict
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, counted, text
from pravin_core.rules.numeric import of_numbers
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import NUMBERS, DataType

_HOW = {
    "nearest": "round_number(:n, :p)",
    "half even": "round_even_half(:n, :p)",
    "down": "floor(neat_number(:n * :s)) / :s",
    "up": "ceil(neat_number(:n * :s)) / :s",
    "absolute": "abs(:n)",
}
_EXACT = {
    "nearest": "exact_round(:c, :p)",
    "half even": "exact_round_even(:c, :p, :u)",
    "down": "CASE WHEN exact_round(:c, :p) > :c THEN exact_minus(exact_round(:c, :p), :u) ELSE exact_round(:c, :p) END",
    "up": "CASE WHEN exact_round(:c, :p) < :c THEN exact_plus(exact_round(:c, :p), :u) ELSE exact_round(:c, :p) END",
    "absolute": "abs(:c)",
}
_LABELS: JsonDict = {
    "nearest": "to the nearest, halves away from zero", "half even": "to the nearest, halves to even", "down": "down", "up": "up",
    "absolute": "remove the sign",
}  # fmt: skip


class RoundNumbers(ColumnCorrection):
    """Halves away from zero, or to the even digit (IEEE 754, roundTiesToEven), as the decimal digits read. Texts that are no number with a decimal point stay as they are."""

    title = "Round numbers"
    group = "Numbers"
    about = "Rounds numbers to a number of decimal places, down, up or to the nearest; or removes their sign."
    synonyms = (
        "round", "decimals", "precision", "floor", "ceil", "ceiling", "truncate", "abs", "absolute", "integer",
        "sign", "half even", "banker", "half up",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "places": 1},
            before={"a": ["7.46", "-0.25", "x", None, "3"]},
            after={"a": ["7.5", "-0.3", "x", None, "3"]},
        ),
        Example(
            rule={"columns": ["a"], "how": "half even", "places": 2},
            before={"a": ["2.345", "2.355", "-0.125", "0.135", None, "2.3451", "-0.001"]},
            after={"a": ["2.34", "2.36", "-0.12", "0.14", None, "2.35", "0"]},
        ),
        Example(rule={"columns": ["a"], "how": "down"}, before={"a": ["-7.4", None]}, after={"a": ["-8", None]}),
        Example(rule={"columns": ["a"], "how": "absolute"}, before={"a": ["-7.4", None]}, after={"a": ["7.4", None]}),
    )

    kind: Literal["round-numbers"] = "round-numbers"
    how: Literal["nearest", "half even", "down", "up", "absolute"] = Field(
        default="nearest", title="How", json_schema_extra={"widget": "choice", "labels": _LABELS}
    )
    places: int = Field(default=0, ge=-9, le=12, title="Decimal places", json_schema_extra={"widget": "whole"})

    def applies_to(self, column: Column) -> bool:
        return column.type in NUMBERS

    def sentence(self) -> list[Part]:
        if self.how == "absolute":
            return [text("Remove the sign of "), *self.meant(), text(".")]
        way = {"nearest": "", "half even": ", halves to even,", "down": " down", "up": " up"}[self.how]
        return [text("Round "), *self.meant(), text(f"{way} to {counted(self.places, 'decimal place')}.")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        if column.type is DataType.EXACT:
            unit = template("as_exact(:u)", u=exp.Literal.string(f"1e{-self.places}"))
            value = template(_EXACT[self.how], c=cell, p=exp.Literal.number(self.places), u=unit)
            return Corrected(value, DataType.EXACT)
        places, scale = exp.Literal.number(self.places), exp.cast(exp.Literal.string(repr(10.0**self.places)), "DOUBLE")
        return of_numbers(cell, column, _HOW[self.how], p=places, s=scale)


KIND = RoundNumbers
