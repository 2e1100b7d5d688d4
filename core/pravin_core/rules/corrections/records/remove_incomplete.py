"""Remove records in which too many values are missing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, RecordCorrection, joined, text
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column


class RemoveIncomplete(RecordCorrection):
    """A record goes when at least so many cells of the columns are missing; without columns all of them count."""

    title = "Remove incomplete records"
    group = "Records"
    about = "Removes records in which any, or at least so many, of the values of some columns are missing."
    synonyms = ("drop rows with missing values", "dropna", "null rows", "blank", "incomplete cases", "any missing")
    examples = (
        Example(
            rule={"columns": ["a", "b"]},
            before={"a": ["1", None, "3", None], "b": ["x", "y", None, None], "c": [None, "p", "q", "r"]},
            after={"a": ["1"], "b": ["x"], "c": [None]},
        ),
        Example(
            rule={"least": 2},
            before={"a": ["1", None, "3", None], "b": ["x", "y", None, None], "c": [None, None, "q", "r"]},
            after={"a": ["1", "3"], "b": ["x", None], "c": [None, "q"]},
        ),
    )

    kind: Literal["remove-incomplete"] = "remove-incomplete"
    columns: tuple[str, ...] = Field(
        default=(), max_length=5000, title="Columns", json_schema_extra={"widget": "columns", "empty": "all columns"}
    )
    least: int = Field(default=1, ge=1, le=5000, title="Missing at least")

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def sentence(self) -> list[Part]:
        many = "any value is" if self.least == 1 else f"at least {self.least:,} values are"
        where: list[Part] = [text(" in "), *joined(self.columns)] if self.columns else []
        return [text(f"Remove records in which {many} missing"), *where, text(".")]

    def removed(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        named = self.columns or [column.name for column in columns]
        missing = [template("CASE WHEN :c IS NULL THEN 1 ELSE 0 END", c=col(name)) for name in named]
        enough = template("list_sum(:m) >= :n", m=exp.Array(expressions=missing), n=exp.Literal.number(self.least))
        return exp.select(col(RECORD)).from_(live.subquery("live")).where(enough)


KIND = RemoveIncomplete
