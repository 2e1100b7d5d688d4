"""Two columns must determine each other."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Example, Part, RecordsCheck, consequence_words, text, text_of
from pravin_core.sql.trees import column as col
from pravin_core.tables.columns import RECORD, Column


class OneToOne(RecordsCheck):
    """All records of a value with two partners break it. Records in which one of both is missing pass."""

    title = "One-to-one pairs"
    group = "Across records"
    about = (
        "Each value of one column must go with one value of the other, such as code and name; or only in one direction."
    )
    synonyms = (
        "one to one", "functional dependency", "consistent", "mapping", "pair", "each code one name",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["code", "name"]},
            before={"code": ["1", "1", "2", "3", None], "name": ["a", "b", "c", "c", "d"]},
            after={"code": ["1", "1", "2", "3"], "name": ["a", "b", "c", "c"]},
        ),
        Example(
            rule={"columns": ["code", "name"], "direction": "first determines second"},
            before={"code": ["1", "1", "2", "3", None], "name": ["a", "b", "c", "c", "d"]},
            after={"code": ["1", "1"], "name": ["a", "b"]},
        ),
    )

    kind: Literal["one-to-one"] = "one-to-one"
    direction: Literal["both", "first determines second"] = Field(
        default="both", title="Direction", json_schema_extra={"widget": "choice"}
    )

    @model_validator(mode="after")
    def _two_columns(self) -> Self:
        if len(self.columns) != 2 or self.by is not None:
            raise ValueError("choose two columns")
        return self

    def sentence(self) -> list[Part]:
        part, other = (Part(text=name, data=True) for name in self.columns)
        if self.direction == "both":
            return [part, text(" and "), other, text(" determine each other."), *consequence_words(self.consequence)]
        return [part, text(" determines "), other, text("."), *consequence_words(self.consequence)]

    def broken_records(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        a, b = (text_of(name, columns) for name in self.columns)
        base = exp.select(col(RECORD), exp.alias_(a, "__a"), exp.alias_(b, "__b")).from_(live.subquery("live"))
        pairs = exp.select("*").from_(base.subquery("base")).where("__a IS NOT NULL AND __b IS NOT NULL")

        def differs(key: str, other: str) -> exp.Expr:
            low, high = (
                exp.Window(
                    this=exp.Anonymous(this=name, expressions=[exp.column(other)]), partition_by=[exp.column(key)]
                )
                for name in ("min", "max")
            )
            return exp.NEQ(this=low, expression=high)

        seen = [exp.alias_(exp.paren(differs("__a", "__b")), "__first")]
        if self.direction == "both":
            seen.append(exp.alias_(exp.paren(differs("__b", "__a")), "__second"))
        windowed = exp.select(col(RECORD), *seen).from_(pairs.subquery("pairs"))
        return (
            exp.select(col(RECORD))
            .from_(windowed.subquery("looked"))
            .where("__first" if len(seen) == 1 else "__first OR __second")
        )

    def phrase(self) -> str:
        return "does not go together one to one"


KIND = OneToOne
