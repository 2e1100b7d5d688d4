"""The table must have a number of records."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCheck, between, consequence_words, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class RecordCount(TableCheck):
    """Records not removed count, ready or quarantined; only those that fit the condition, if there is one."""

    title = "Number of records"
    group = "Table"
    about = "There must be at least or at most a number of records."
    synonyms = ("row count", "number of rows", "volume", "completeness", "too few", "too many")
    examples = (
        Example(rule={"least": 3}, before={"a": ["1", None]}, after={"seen": ["2"], "broken": [True]}),
        Example(rule={"most": 3}, before={"a": ["1", None]}, after={"seen": ["2"], "broken": [False]}),
    )

    kind: Literal["record-count"] = "record-count"
    least: int | None = Field(default=None, ge=0, title="At least", json_schema_extra={"widget": "whole"})
    most: int | None = Field(default=None, ge=0, title="At most", json_schema_extra={"widget": "whole"})

    @model_validator(mode="after")
    def _bounded(self) -> Self:
        if self.least is None and self.most is None:
            raise ValueError("give the least or the most records")
        return self

    def needs(self) -> tuple[str, ...]:
        return ()

    def sentence(self) -> list[Part]:
        return [
            text(f"The result has {between(self.least, self.most, 'record')}."),
            *consequence_words(self.consequence),
        ]

    def verdict(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        broken: exp.Expr = exp.false()
        for bound, sign in ((self.least, "<"), (self.most, ">")):
            if bound is not None:
                broken = template(f":b OR count(*) {sign} :n", b=broken, n=exp.Literal.number(bound))
        return exp.select(template("CAST(count(*) AS VARCHAR) AS seen"), exp.alias_(broken, "broken")).from_(
            live.subquery("live")
        )

    def phrase(self) -> str:
        return f"records; there must be {between(self.least, self.most, 'record')}"


KIND = RecordCount
