"""Compute a column by a formula."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from pravin_core.formulas.language import parse
from pravin_core.formulas.reading import reads, sees_others
from pravin_core.rules.base import Corrected, Derivation, Example, FormulaText, Part, as_text, named, text
from pravin_core.tables.columns import Column


class Compute(Derivation):
    """The formula sees each record as the rules above left it, and others by over (…), those removed aside; a column that is
    not there is added as the last one. A condition limits what is written, not the records that over looks at.
    """

    title = "Compute by a formula"
    group = "Values"
    about = "Writes the result of a formula into a column, a new one or one that is there."
    synonyms = (
        "formula", "expression", "calculate", "calculated column", "if", "case when", "sql", "multiply",
        "divide", "add", "random", "derive", "rank", "share of total", "percent of total", "running total", "cumulative", "moving average", "window", "over", "partition by", "group total", "row number", "lag", "lead",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["c"], "formula": "upper(a) || '-' || lpad(b, 3)"},
            before={"a": ["wq", None], "b": ["7", "8"]},
            after={"a": ["wq", None], "b": ["7", "8"], "c": ["WQ-007", None]},
        ),
        Example(
            rule={"columns": ["a"], "formula": "to_number(a, ',') * 2"},
            before={"a": ["1,5", "x", None]},
            after={"a": [3.0, None, None]},
        ),
        Example(
            rule={"columns": ["share"], "formula": "n / sum(n) over (partition by g)"},
            first=({"kind": "to-number", "id": "first", "columns": ["n"], "unconverted": "missing"},),
            before={"g": ["p", "p", "q", None, "p"], "n": ["1", "2", "5", "4", None]},
            after={
                "g": ["p", "p", "q", None, "p"],
                "n": [1.0, 2.0, 5.0, 4.0, None],
                "share": [1 / 3, 2 / 3, 1.0, 1.0, None],
            },
        ),
    )

    kind: Literal["compute"] = "compute"
    columns: tuple[str, ...] = Field(
        min_length=1, max_length=1, title="Into the column", json_schema_extra={"widget": "new column"}
    )
    formula: FormulaText = Field(
        min_length=1, max_length=4000, title="Formula", json_schema_extra={"widget": "formula"}
    )

    def sentence(self) -> list[Part]:
        return [text("Compute "), *named(self.columns), text(" as "), Part(text=self.formula, data=True), text(".")]

    def needs(self) -> tuple[str, ...]:
        return reads(self.formula)

    @property
    def uses_window(self) -> bool:
        return sees_others(self.formula)

    def makes(self) -> tuple[str, ...]:
        return self.columns

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        formula = parse(self.formula, table, sees_others=True)
        written = None if formula.sees_others else as_text(formula.expression, formula.type)
        return [Corrected(formula.expression, formula.type, written=written)]


KIND = Compute
