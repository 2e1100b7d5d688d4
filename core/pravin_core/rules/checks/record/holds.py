"""A condition that must hold for each record."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.formulas.language import condition, placed
from pravin_core.formulas.reading import reads
from pravin_core.rules.base import Check, Example, FormulaText, Part, consequence_words, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class Holds(Check):
    """A record breaks it where the condition is false; where it is missing, because a value is, the record does not."""

    title = "Condition"
    group = "Per record"
    about = "A formula over the columns of the record must hold, such as one date not being before another."
    synonyms = (
        "condition holds", "expression", "formula", "business rule", "custom check", "sql", "assert", "consistency",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "formula": "a <= b"},
            before={"a": ["1", "3", None], "b": ["2", "2", "2"]},
            after={"a": ["3"], "b": ["2"]},
        ),
    )

    kind: Literal["holds"] = "holds"
    columns: tuple[str, ...] = Field(
        min_length=1, max_length=100, title="Reported at the columns", json_schema_extra={"widget": "columns"}
    )
    formula: FormulaText = Field(
        min_length=1, max_length=4000, title="Condition", json_schema_extra={"widget": "formula", "condition": True}
    )

    def sentence(self) -> list[Part]:
        return [
            text("For "), *self.meant(), text(" it must hold that "), Part(text=self.formula, data=True), text("."),
            *consequence_words(self.consequence),
        ]  # fmt: skip

    def needs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((*self.columns, *reads(self.formula))))

    def breaks(self, cell: exp.Expr, column: Column) -> exp.Expr:
        return self.breaks_among(cell, column, [(column, cell)])

    def breaks_among(self, cell: exp.Expr, column: Column, table: Sequence[tuple[Column, exp.Expr]]) -> exp.Expr:
        expression = condition(self.formula, [each_column for each_column, _ in table]).expression
        cells = {each_column.name: result for each_column, result in table}
        return template("coalesce(NOT :holds, false)", holds=exp.paren(placed(expression, cells)))

    def phrase(self) -> str:
        return f"does not fit: {self.formula} does not hold"


KIND = Holds
