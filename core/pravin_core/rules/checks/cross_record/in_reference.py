"""A value must occur in a reference table."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Example, Part, RecordsCheck, consequence_words, text, text_of
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.names import reference_as_text


class InReference(RecordsCheck):
    """Compared as text, several columns together; where one is missing the record passes."""

    title = "Reference check"
    group = "Per record"
    about = "The value, or several together, must occur in a reference table."
    synonyms = (
        "occurs in a table", "foreign key", "referential integrity", "lookup", "exists", "domain", "valid codes",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["s"], "reference": "sites", "theirs": ["code"]},
            before={"s": ["1", "9", None]},
            after={"s": ["9"]},
            references={"sites": {"code": ["1", "2", None]}},
        ),
    )

    kind: Literal["in-reference"] = "in-reference"
    reference: str = Field(min_length=1, max_length=200, title="Table", json_schema_extra={"widget": "reference"})
    theirs: tuple[str, ...] = Field(
        min_length=1, max_length=20, title="Its columns", json_schema_extra={"widget": "their columns"}
    )

    @model_validator(mode="after")
    def _as_many(self) -> Self:
        if self.by is not None or len(self.columns) != len(self.theirs):
            raise ValueError("name as many columns of the table as of the delivery")
        return self

    def sentence(self) -> list[Part]:
        return [
            *self.meant(),
            self.verb(" occurs in ", " together occur in "),
            Part(text=self.reference, data=True),
            text("."),
            *consequence_words(self.consequence),
        ]

    def broken_records(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        known = exp.select(*(exp.alias_(col(name), f"__key{at}") for at, name in enumerate(self.theirs)))
        known = known.distinct().from_(reference_as_text(self.reference))
        on = exp.and_(*(
            exp.EQ(this=text_of(name, columns, "live"), expression=exp.column(f"__key{at}", table="known"))
            for at, name in enumerate(self.columns)
        ))  # fmt: skip
        broken = exp.select(col(RECORD, "live")).from_(live.subquery("live"))
        broken = broken.join(known.subquery("known"), on=on, join_type="left").where("known.__key0 IS NULL")
        for name in self.columns:
            broken = broken.where(template(":c IS NOT NULL", c=col(name, "live")))
        return broken

    def phrase(self) -> str:
        return f"does not occur in {self.reference}"


KIND = InReference
