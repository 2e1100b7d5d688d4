"""So many different values must occur."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCheck, between, consequence_words, text
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class DistinctCount(TableCheck):
    """Missing values do not count."""

    title = "Number of distinct values"
    group = "Table"
    about = "A column must hold at least or at most so many distinct values."
    synonyms = ("distinct", "cardinality", "number of categories", "unique count")
    examples = (
        Example(
            rule={"column": "a", "least": 3},
            before={"a": ["x", "y", "x", None]},
            after={"seen": ["2"], "broken": [True]},
        ),
    )

    kind: Literal["distinct-count"] = "distinct-count"
    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    least: int | None = Field(default=None, ge=0, title="At least", json_schema_extra={"widget": "whole"})
    most: int | None = Field(default=None, ge=0, title="At most", json_schema_extra={"widget": "whole"})

    @model_validator(mode="after")
    def _bounded(self) -> Self:
        if self.least is None and self.most is None:
            raise ValueError("give the least or the most distinct values")
        return self

    def needs(self) -> tuple[str, ...]:
        return (self.column,)

    def sentence(self) -> list[Part]:
        return [
            Part(text=self.column, data=True),
            text(f" has {between(self.least, self.most, 'distinct value')}."),
            *consequence_words(self.consequence),
        ]

    def verdict(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        count = template("count(DISTINCT :c)", c=col(self.column))
        broken: exp.Expr = exp.false()
        for bound, sign in ((self.least, "<"), (self.most, ">")):
            if bound is not None:
                broken = template(f":b OR :c {sign} :n", b=broken, c=count, n=exp.Literal.number(bound))
        return exp.select(template("CAST(:c AS VARCHAR) AS seen", c=count), exp.alias_(broken, "broken")).from_(
            live.subquery("live")
        )

    def phrase(self) -> str:
        return f"distinct values of {self.column}; there must be {between(self.least, self.most, 'distinct value')}"


KIND = DistinctCount
