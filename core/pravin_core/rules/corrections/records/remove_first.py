"""Remove the first or last records."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, RecordCorrection, text
from pravin_core.rules.reshaping import row_number
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import FILE, RECORD, Column


class RemoveFirst(RecordCorrection):
    """Of those still there, in the order that the rules above left them in; of the whole delivery or of each source file."""

    title = "Remove the first or last records"
    group = "Records"
    about = "Removes a number of records at the beginning or end, of the whole delivery or of each source file."
    synonyms = ("skip rows", "head", "tail", "top", "bottom", "limit", "preamble", "footer")
    examples = (
        Example(rule={"count": 2}, before={"a": ["note", None, "1", "2"]}, after={"a": ["1", "2"]}),
        Example(
            rule={"count": 1, "at": "end"}, before={"a": ["1", "2", "total", None]}, after={"a": ["1", "2", "total"]}
        ),
    )

    kind: Literal["remove-first"] = "remove-first"
    count: int = Field(default=1, ge=1, le=1_000_000, title="How many", json_schema_extra={"widget": "whole"})
    at: Literal["beginning", "end"] = Field(default="beginning", title="At the", json_schema_extra={"widget": "choice"})
    each_file: bool = Field(default=False, title="Of each source file", json_schema_extra={"widget": "switch"})

    def needs(self) -> tuple[str, ...]:
        return ()

    def sentence(self) -> list[Part]:
        many = "record" if self.count == 1 else f"{self.count:,} records"
        side = "first" if self.at == "beginning" else "last"
        return [text(f"Remove the {side} {many}{' of each source file' if self.each_file else ''}.")]

    def removed(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        order = [exp.Ordered(this=col(RECORD), desc=self.at == "end")]
        place = row_number(order, [col(FILE)] if self.each_file else [])
        ranked = exp.select(col(RECORD), exp.alias_(place, "place")).from_(live.subquery("live"))
        return (
            exp.select(col(RECORD))
            .from_(ranked.subquery("ranked"))
            .where(template("place <= :n", n=exp.Literal.number(self.count)))
        )


KIND = RemoveFirst
