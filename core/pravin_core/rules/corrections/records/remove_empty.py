"""Remove records without any value."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from sqlglot import exp

from pravin_core.rules.base import Example, Part, RecordCorrection, text
from pravin_core.sql.trees import column as col
from pravin_core.tables.columns import RECORD, Column


class RemoveEmpty(RecordCorrection):
    """A record goes when every one of its cells is missing."""

    title = "Remove empty records"
    group = "Records"
    about = "Removes records in which every cell is missing."
    synonyms = ("delete empty rows", "blank rows", "null rows")
    examples = (
        Example(
            rule={},
            before={"a": ["1", None, None], "b": [None, None, "x"]},
            after={"a": ["1", None], "b": [None, "x"]},
        ),
    )

    kind: Literal["remove-empty"] = "remove-empty"

    def needs(self) -> tuple[str, ...]:
        return ()

    def sentence(self) -> list[Part]:
        return [text("Remove records without any value.")]

    def removed(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        filled = exp.Coalesce(
            this=exp.cast(col(columns[0].name), "VARCHAR"),
            expressions=[exp.cast(col(column.name), "VARCHAR") for column in columns[1:]],
        )
        return exp.select(col(RECORD)).from_(live.subquery("live")).where(exp.Is(this=filled, expression=exp.null()))


KIND = RemoveEmpty
