"""No record may repeat another one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, RecordsCheck, consequence_words, text
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column


class NoDuplicates(RecordsCheck):
    """All records of a repeated kind break it, the first too. Missing values count as alike."""

    title = "No duplicate records"
    group = "Across records"
    about = "No two records may be alike in every column, or in the named ones; letter case and spaces aside if wanted."
    synonyms = ("duplicate", "dedupe", "repeated rows", "distinct", "unique rows")
    names_columns = False
    all_columns = "all columns"
    examples = (
        Example(
            rule={"columns": ["a", "b"], "alike": True},
            before={"a": ["x", "X ", None, None], "b": ["1", "1", None, "2"]},
            after={"a": ["x", "X "], "b": ["1", "1"]},
        ),
    )

    kind: Literal["no-duplicates"] = "no-duplicates"
    alike: bool = Field(default=False, title="Ignore letter case and spaces", json_schema_extra={"widget": "switch"})

    def applies_to(self, column: Column) -> bool:
        return True

    def sentence(self) -> list[Part]:
        where = [text(" in "), *self.meant()] if self.columns or self.by else [text(" in every column")]
        alike = ", letter case and spaces aside" if self.alike else ""
        return [text("No two records are alike"), *where, text(f"{alike}."), *consequence_words(self.consequence)]

    def broken_records(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        cells = [
            template("key_text(:c)", c=col(column.name)) if self.alike else col(column.name)
            for column in self.chosen(columns)
        ]
        times = exp.Window(this=template("count(*)"), partition_by=cells)
        counted = exp.select(col(RECORD), exp.alias_(times, "times")).from_(live.subquery("live"))
        return exp.select(col(RECORD)).from_(counted.subquery("counted")).where("times > 1")

    def phrase(self) -> str:
        return "occurs in another record too"


KIND = NoDuplicates
