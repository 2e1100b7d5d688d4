"""Remove records that repeat an earlier one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.engines.duckdb import column as col
from pravin_core.rules.base import Example, Part, RecordCorrection, joined, text
from pravin_core.tables.columns import RECORD, Column


class RemoveDuplicates(RecordCorrection):
    """The first record of each key stays. Missing values in the key count as alike."""

    title = "Remove duplicates"
    group = "Records"
    about = "Removes records whose key occurred before; without a key, records alike in every column."
    examples = (
        Example(
            rule={"columns": ["a"]},
            before={"a": ["1", "2", "1", None, None], "b": ["x", "y", "z", None, "w"]},
            after={"a": ["1", "2", None], "b": ["x", "y", None]},
        ),
    )

    kind: Literal["remove-duplicates"] = "remove-duplicates"
    columns: tuple[str, ...] = Field(
        default=(), max_length=5000, title="Key", json_schema_extra={"widget": "columns", "empty": "all columns"}
    )

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def sentence(self) -> list[Part]:
        if not self.columns:
            return [text("Remove records that repeat an earlier one in every column.")]
        return [text("Remove records that repeat "), *joined(self.columns), text(", keep the first.")]

    def removed(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        key = [col(name) for name in (self.columns or [column.name for column in columns])]
        position = exp.Window(
            this=exp.Anonymous(this="row_number"),
            partition_by=key,
            order=exp.Order(expressions=[exp.Ordered(this=col(RECORD))]),
        )
        ranked = exp.select(col(RECORD), exp.alias_(position, "place")).from_(live.subquery("live"))
        return exp.select(col(RECORD)).from_(ranked.subquery("ranked")).where("place > 1")


KIND = RemoveDuplicates
