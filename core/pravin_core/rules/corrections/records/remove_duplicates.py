"""Remove records that repeat another one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, RecordCorrection, joined, text
from pravin_core.rules.reshaping import row_number
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column


class RemoveDuplicates(RecordCorrection):
    """One record of each key stays. Missing values in the key count as alike. Which is the first is told by the order that
    rules above gave to the records. The most complete record is the one with the fewest missing values, the first among equals.
    """

    title = "Remove duplicates"
    group = "Records"
    about = "Of records with the same key keeps the first, the last or the most complete; without a key, records alike in every column."
    synonyms = ("dedupe", "deduplicate", "distinct", "unique", "repeated", "delete duplicates")
    examples = (
        Example(
            rule={"columns": ["a"]},
            before={"a": ["1", "2", "1", None, None], "b": ["x", "y", "z", None, "w"]},
            after={"a": ["1", "2", None], "b": ["x", "y", None]},
        ),
        Example(
            rule={"columns": ["a"], "alike": True, "keep": "most complete"},
            before={"a": ["Weir 1", "weir1", None], "b": [None, "y", "z"]},
            after={"a": ["weir1", None], "b": ["y", "z"]},
        ),
        Example(
            rule={"columns": ["a"], "keep": "last"},
            before={"a": ["1", "1", None], "b": ["x", "y", "z"]},
            after={"a": ["1", None], "b": ["y", "z"]},
        ),
        Example(
            rule={"columns": ["a"]},
            first=({"kind": "sort-records", "id": "sort", "keys": [{"column": "d", "descending": True}]},),
            before={"a": ["1", "1", "2", None], "d": ["2024-01-01", "2024-02-01", "2024-01-15", None]},
            after={"a": ["1", "2", None], "d": ["2024-02-01", "2024-01-15", None]},
        ),
    )

    kind: Literal["remove-duplicates"] = "remove-duplicates"
    columns: tuple[str, ...] = Field(
        default=(), max_length=5000, title="Key", json_schema_extra={"widget": "columns", "empty": "all columns"}
    )
    alike: bool = Field(default=False, title="Ignore letter case and spaces", json_schema_extra={"widget": "switch"})
    keep: Literal["first", "last", "most complete"] = Field(
        default="first",
        title="Keep the",
        json_schema_extra={"widget": "choice", "labels": {"most complete": "most complete one"}},
    )

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def sentence(self) -> list[Part]:
        alike = ", ignoring letter case and spaces" if self.alike else ""
        if not self.columns:
            what: list[Part] = [text("another one in every column")]
        else:
            what = joined(self.columns)
        return [text("Remove records that repeat "), *what, text(f"{alike}, keep the {self.keep}.")]

    def removed(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        named = [col(name) for name in (self.columns or [column.name for column in columns])]
        key = [template("key_text(:c)", c=cell) if self.alike else cell for cell in named]
        order: list[exp.Expr] = [exp.Ordered(this=col(RECORD), desc=self.keep == "last")]
        if self.keep == "most complete":
            filled = [template("CASE WHEN :c IS NOT NULL THEN 1 ELSE 0 END", c=col(column.name)) for column in columns]
            count = template("list_sum(:f)", f=exp.Array(expressions=filled))
            order = [exp.Ordered(this=count, desc=True), *order]
        ranked = exp.select(col(RECORD), exp.alias_(row_number(order, key), "place")).from_(live.subquery("live"))
        return exp.select(col(RECORD)).from_(ranked.subquery("ranked")).where("place > 1")


KIND = RemoveDuplicates
