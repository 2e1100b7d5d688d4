"""How many values of a record may be missing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Check, Example, Part, consequence_words, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class MissingCount(Check):
    """Breaks at the missing cells of a record of which more than `most` are missing among the columns."""

    title = "Missing values per record"
    group = "Per record"
    about = "At most so many of the values of some columns may be missing in a record."
    synonyms = (
        "incomplete records", "any missing", "null count", "at least one filled", "blank", "completeness of a row",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a", "b"], "most": 1},
            before={"a": ["1", None, None, None], "b": ["x", "y", None, ""]},
            after={"a": [None, None], "b": [None, None]},
        ),
        Example(
            rule={"columns": ["a", "b"]},
            before={"a": ["1", None, "3"], "b": ["x", "y", None]},
            after={"a": [None, "3"], "b": ["y", None]},
        ),
    )

    kind: Literal["missing-count"] = "missing-count"
    columns: tuple[str, ...] = Field(
        min_length=1, max_length=60, title="Columns", json_schema_extra={"widget": "columns"}
    )
    most: int = Field(default=0, ge=0, le=5000, title="Missing at most")

    def sentence(self) -> list[Part]:
        many = (
            "no value" if self.most == 0 else "at most 1 value" if self.most == 1 else f"at most {self.most:,} values"
        )
        verb = "are" if self.most > 1 else "is"
        return [text("Of "), *self.meant(), text(f" {many} {verb} missing."), *consequence_words(self.consequence)]

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def breaks_among(self, cell: exp.Expr, column: Column, table: Sequence[tuple[Column, exp.Expr]]) -> exp.Expr:
        names = [chosen.name for chosen in self.chosen([each_column for each_column, _ in table])]
        cells = {each_column.name: each_cell for each_column, each_cell in table}
        missing = [template("CASE WHEN :c IS NULL THEN 1 ELSE 0 END", c=cells[name]) for name in names]
        count = template("list_sum(:m)", m=exp.Array(expressions=missing))
        return template(":c IS NULL AND :n > :most", c=cell, n=count, most=exp.Literal.number(self.most))

    def phrase(self) -> str:
        return "is missing" if self.most == 0 else f"is missing, as more than {self.most:,} are in the record"


KIND = MissingCount
