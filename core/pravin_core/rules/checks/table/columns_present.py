"""Agreed columns must be there."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCheck, consequence_words, joined, text
from pravin_core.tables.columns import Column


class ColumnsPresent(TableCheck):
    """As the columns are called after the corrections."""

    title = "Columns present"
    group = "Table"
    about = "The result must have the agreed columns, and no others if wanted."
    synonyms = ("columns are there", "schema", "missing column", "required columns", "structure", "layout")
    examples = (
        Example(
            rule={"names": ["a", "key"]}, before={"a": ["1", None]}, after={"seen": ["without key"], "broken": [True]}
        ),
        Example(
            rule={"names": ["a"], "no_others": True},
            before={"a": ["1", None], "b": ["1", "2"]},
            after={"seen": ["also b"], "broken": [True]},
        ),
    )

    kind: Literal["columns-present"] = "columns-present"
    names: tuple[str, ...] = Field(
        min_length=1, max_length=5000, title="Columns", json_schema_extra={"widget": "names"}
    )
    no_others: bool = Field(default=False, title="And no others", json_schema_extra={"widget": "switch"})

    def needs(self) -> tuple[str, ...]:
        return ()

    def sentence(self) -> list[Part]:
        return [
            text("There are the columns "),
            *joined(self.names),
            text(" and no others." if self.no_others else "."),
            *consequence_words(self.consequence),
        ]

    def verdict(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        there = [column.name for column in columns]
        without = [name for name in self.names if name not in there]
        also = [name for name in there if name not in self.names] if self.no_others else []
        sentences = [f"without {', '.join(without)}" if without else "", f"also {', '.join(also)}" if also else ""]
        seen = "; ".join(part for part in sentences if part) or f"{len(there):,} columns"
        return exp.select(
            exp.alias_(exp.Literal.string(seen), "seen"), exp.alias_(exp.convert(bool(without or also)), "broken")
        )

    def phrase(self) -> str:
        return "is not what was agreed"


KIND = ColumnsPresent
