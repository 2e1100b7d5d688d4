"""Numbers must follow each other without gaps."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, consequence_words, text
from pravin_core.rules.numeric import number_in
from pravin_core.rules.shared_fields import ColumnInGroups
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column


class WithoutGaps(ColumnInGroups):
    """The record behind a gap breaks it, in the order of the numbers, within groups if wanted; so does one whose number
    occurred before. Texts that are no number, and missing values, pass.
    """

    title = "Sequence without gaps"
    group = "Across records"
    about = (
        "The numbers of a column must follow each other in steps, such as running numbers, without gap or repetition."
    )
    synonyms = ("gap", "sequence", "consecutive", "missing numbers", "serial", "running number")
    examples = (
        Example(
            rule={"columns": ["a"]},
            before={"a": ["1", "2", "4", "5", "5", None, "x"]},
            after={"a": ["4", "5"]},
        ),
    )

    kind: Literal["without-gaps"] = "without-gaps"
    step: float = Field(default=1, gt=0, title="In steps of", json_schema_extra={"widget": "number"})

    def sentence(self) -> list[Part]:
        return [
            *self.meant(),
            text(f" runs in steps of {self.step:g} without gaps"),
            *self.within(),
            text("."),
            *consequence_words(self.consequence),
        ]

    def broken_records(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        number = number_in(col(self.columns[0]), next(column for column in columns if column.name == self.columns[0]))
        groups = [exp.alias_(col(name), f"__g{at}") for at, name in enumerate(self.groups)]
        base = exp.select(col(RECORD), exp.alias_(number, "__n"), *groups).from_(live.subquery("live"))
        filled = exp.select("*").from_(base.subquery("base")).where("__n IS NOT NULL")
        before = exp.Window(
            this=template("lag(__n)"), partition_by=[exp.column(f"__g{at}") for at in range(len(self.groups))],
            order=exp.Order(expressions=[exp.Ordered(this=exp.column("__n")), exp.Ordered(this=col(RECORD))]),
        )  # fmt: skip
        windowed = exp.select(col(RECORD), "__n", exp.alias_(before, "__before")).from_(filled.subquery("filled"))
        step = exp.cast(exp.Literal.string(repr(self.step)), "DOUBLE")
        gap = template("__before IS NOT NULL AND abs(__n - __before - :s) > 1e-9 * greatest(1, abs(__n))", s=step)
        return exp.select(col(RECORD)).from_(windowed.subquery("looked")).where(gap)

    def phrase(self) -> str:
        return "does not follow the number before it"


KIND = WithoutGaps
