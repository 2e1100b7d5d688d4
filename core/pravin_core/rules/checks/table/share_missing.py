"""So few values may be missing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCheck, consequence_words, counted, text
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class ShareMissing(TableCheck):
    """Either as a share in percent of the records, or as a number of records."""

    title = "Share missing"
    group = "Table"
    about = "At most a share, or a number, of the values of a column may be missing."
    synonyms = ("null rate", "percent missing", "completeness", "missing share", "blank", "empty", "nan")
    examples = (
        Example(
            rule={"column": "a", "most": 25},
            before={"a": ["1", None, "2"]},
            after={"seen": ["1 of 3"], "broken": [True]},
        ),
        Example(
            rule={"column": "a", "most": 1, "as_count": True},
            before={"a": ["1", None, "2"]},
            after={"seen": ["1 of 3"], "broken": [False]},
        ),
    )

    kind: Literal["share-missing"] = "share-missing"
    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    most: float = Field(default=5, ge=0, title="Not more than", json_schema_extra={"widget": "number"})
    as_count: bool = Field(
        default=False, title="Counted in records, not percent", json_schema_extra={"widget": "switch"}
    )

    def needs(self) -> tuple[str, ...]:
        return (self.column,)

    def _limit(self) -> str:
        return counted(self.most, "value") if self.as_count else f"{self.most:g} %"

    def sentence(self) -> list[Part]:
        return [
            text("At most "),
            text(self._limit()),
            text(" of "),
            Part(text=self.column, data=True),
            text(" are missing."),
            *consequence_words(self.consequence),
        ]

    def verdict(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        missing = template("count(*) - count(:c)", c=col(self.column))
        limit = exp.cast(exp.Literal.string(repr(self.most)), "DOUBLE")
        allowed = limit if self.as_count else template("count(*) * :l / 100", l=limit)
        broken = template("(:m) > :a", m=missing, a=allowed)
        seen = template("CAST(:m AS VARCHAR) || ' of ' || CAST(count(*) AS VARCHAR)", m=missing)
        return exp.select(exp.alias_(seen, "seen"), exp.alias_(broken, "broken")).from_(live.subquery("live"))

    def phrase(self) -> str:
        return f"values of {self.column} are missing; at most {self._limit()} may be"


KIND = ShareMissing
