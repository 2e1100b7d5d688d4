"""The newest record must be young enough."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCheck, consequence_words, counted, text
from pravin_core.rules.moments import moment_in
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class Freshness(TableCheck):
    """Seen from the day on which the delivery arrived. Without any date it breaks."""

    title = "Freshness"
    group = "Table"
    about = "The newest date of a column must be at most a number of days before the day of the delivery."
    synonyms = ("fresh", "up to date", "latest date", "stale", "old data", "timeliness", "recency")
    examples = (
        Example(
            rule={"column": "a", "days": 31},
            before={"a": ["2024-03-17", "2024-01-02", None]},
            after={"seen": ["2024-03-17"], "broken": [False]},
        ),
        Example(
            rule={"column": "a", "days": 7},
            before={"a": ["2024-03-17", None]},
            after={"seen": ["2024-03-17"], "broken": [True]},
        ),
    )

    kind: Literal["freshness"] = "freshness"
    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    days: int = Field(default=31, ge=0, le=1_000_000, title="Days at most", json_schema_extra={"widget": "whole"})

    def needs(self) -> tuple[str, ...]:
        return (self.column,)

    def sentence(self) -> list[Part]:
        return [
            text("The newest "),
            Part(text=self.column, data=True),
            text(f" is at most {counted(self.days, 'day')} before the day of the delivery."),
            *consequence_words(self.consequence),
        ]

    def verdict(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        newest = template(
            "max(CAST(:m AS DATE))",
            m=moment_in(col(self.column), next(column for column in columns if column.name == self.column)),
        )
        broken = template(
            "coalesce(:n < delivered_on() - CAST(:d AS INTEGER), true)", n=newest, d=exp.Literal.number(self.days)
        )
        seen = template("coalesce(CAST(:n AS VARCHAR), 'no date')", n=newest)
        return exp.select(exp.alias_(seen, "seen"), exp.alias_(broken, "broken")).from_(live.subquery("live"))

    def phrase(self) -> str:
        return f"is the newest {self.column}; it must lie at most {self.days:,} days before the delivery"


KIND = Freshness
