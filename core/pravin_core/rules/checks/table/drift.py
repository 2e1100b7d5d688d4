"""A measure must be about what it was in earlier deliveries."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCheck, consequence_words, text
from pravin_core.rules.numeric import number_in
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column

_OF = {
    "mean": "exact_sum(:n) / count(:n)", "median": "median(:n)", "spread": "stddev_samp(:n ORDER BY :o)",
    "records": "CAST(count(*) AS DOUBLE)", "different values": "CAST(count(DISTINCT :c) AS DOUBLE)",
    "percent missing": "100.0 * (count(*) - count(:c)) / nullif(count(*), 0)",
}  # fmt: skip


class Drift(TableCheck):
    """The expected figure stands in the rule, so that the same delivery is judged alike for ever. The tolerance is in
    percent of it, or in the units of the measure. Without any number to measure it breaks.
    """

    title = "Drift"
    group = "Table"
    about = "The mean, median, spread, number of distinct values, percent missing or number of records must not move away from an earlier figure."
    synonyms = (
        "change", "shift", "mean", "average", "distribution", "monitor", "compare with last month",
    )  # fmt: skip
    examples = (
        Example(
            rule={"of": "mean", "column": "a", "expected": 7, "tolerance": 10},
            before={"a": ["7.4", "7.6", None]},
            after={"seen": ["7.5"], "broken": [False]},
        ),
        Example(
            rule={"of": "records", "expected": 2, "tolerance": 0, "in_percent": False},
            before={"a": ["7.4", "7.6", None]},
            after={"seen": ["3"], "broken": [True]},
        ),
    )

    kind: Literal["drift"] = "drift"
    of: Literal["mean", "median", "spread", "records", "different values", "percent missing"] = Field(
        default="mean",
        title="Measure",
        json_schema_extra={"widget": "choice", "labels": {"different values": "distinct values"}},
    )
    column: str = Field(default="", max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    expected: float = Field(title="Earlier figure", json_schema_extra={"widget": "number"})
    tolerance: float = Field(default=20, ge=0, title="May differ by", json_schema_extra={"widget": "number"})
    in_percent: bool = Field(default=True, title="Percent of the figure", json_schema_extra={"widget": "switch"})

    @model_validator(mode="after")
    def _measured(self) -> Self:
        if self.of != "records" and not self.column:
            raise ValueError("choose the column that is measured")
        return self

    def needs(self) -> tuple[str, ...]:
        return (self.column,) if self.column and self.of != "records" else ()

    def sentence(self) -> list[Part]:
        whose = [text(" of "), Part(text=self.column, data=True)] if self.column and self.of != "records" else []
        by = f"{self.tolerance:g}{' %' if self.in_percent else ''}"
        return [
            text(f"The {self._measure()}"),
            *whose,
            text(f" differs from {self.expected:g} by at most {by}."),
            *consequence_words(self.consequence),
        ]

    def _measure(self) -> str:
        """The measure in words."""
        return {"records": "number of records", "different values": "number of distinct values"}.get(self.of, self.of)

    def verdict(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        parts: dict[str, exp.Expr] = {"o": col(RECORD)}
        if self.of != "records":
            parts |= {
                "c": col(self.column),
                "n": number_in(col(self.column), next(column for column in columns if column.name == self.column)),
            }
        value = template(
            "neat_number(:v)", v=template(_OF[self.of], **{k: v for k, v in parts.items() if f":{k}" in _OF[self.of]})
        )
        allowed = abs(self.expected) * self.tolerance / 100 if self.in_percent else self.tolerance
        expected, limit = (
            exp.cast(exp.Literal.string(repr(float(each_value))), "DOUBLE") for each_value in (self.expected, allowed)
        )
        broken = template("coalesce(abs(:v - :e) > :l + 1e-9, true)", v=value, e=expected, l=limit)
        seen = template("coalesce(write_number(:v), 'nothing to measure')", v=value)
        return exp.select(exp.alias_(seen, "seen"), exp.alias_(broken, "broken")).from_(live.subquery("live"))

    def phrase(self) -> str:
        return f"is the {self._measure()}{' of ' + self.column if self.column else ''}; it was {self.expected:g}"


KIND = Drift
