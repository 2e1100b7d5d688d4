"""Make a record for each day, week or month of a period."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Example, Part, TableCorrection, text, text_of
from pravin_core.rules.expanding import Unspread, expanded
from pravin_core.rules.labels import OTHERWISE
from pravin_core.rules.moments import moment_in
from pravin_core.rules.reshaping import Table, TableTransform
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

MOST_DAYS = 36_600  # of a period: a hundred years


class SpreadPeriod(TableCorrection):
    """Both days belong to the period. Weeks begin on Monday; of weeks and months the first day is written, also where the
    period begins later. A period that ends before it begins, whose days are missing or do not read as dates, or that is longer
    than a hundred years is not spread.
    """

    title = "Split periods into days"
    group = "Records"
    about = (
        "Makes a record for each day of a period from one column to another, or for each week or month; "
        "the other columns are repeated."
    )
    synonyms = (
        "date range", "expand dates", "days of a range", "from to", "one row per day", "explode dates", "unroll", "calendar",
        "validity", "between dates",
    )  # fmt: skip
    examples = (
        Example(
            rule={"start": "from", "end": "to", "into": "day"},
            before={
                "s": ["a", "b", "c", "d"],
                "from": ["2024-02-28", "2024-03-05", "2024-03-07", None],
                "to": ["2024-03-01", "2024-03-05", "2024-03-01", "2024-03-01"],
            },
            after={
                "s": ["a", "a", "a", "b", "c", "d"],
                "from": ["2024-02-28", "2024-02-28", "2024-02-28", "2024-03-05", "2024-03-07", None],
                "to": ["2024-03-01", "2024-03-01", "2024-03-01", "2024-03-05", "2024-03-01", "2024-03-01"],
                "day": ["2024-02-28", "2024-02-29", "2024-03-01", "2024-03-05", None, None],
            },
        ),
        Example(
            rule={"start": "from", "end": "to", "into": "month", "each": "month", "unconverted": "missing"},
            before={"from": ["2024-01-31", "2024-12-05"], "to": ["2024-03-01", None]},
            after={
                "from": ["2024-01-31", "2024-01-31", "2024-01-31", "2024-12-05"],
                "to": ["2024-03-01", "2024-03-01", "2024-03-01", None],
                "month": ["2024-01-01", "2024-02-01", "2024-03-01", None],
            },
        ),
        Example(
            rule={"start": "from", "end": "to", "into": "week", "each": "week"},
            before={"from": ["2024-03-06"], "to": ["2024-03-11"]},
            after={
                "from": ["2024-03-06", "2024-03-06"],
                "to": ["2024-03-11", "2024-03-11"],
                "week": ["2024-03-04", "2024-03-11"],
            },
        ),
    )

    adds_records = True
    kind: Literal["spread-period"] = "spread-period"
    start: str = Field(min_length=1, max_length=2000, title="From", json_schema_extra={"widget": "column"})
    end: str = Field(min_length=1, max_length=2000, title="To", json_schema_extra={"widget": "column"})
    each: Literal["day", "week", "month"] = Field(
        default="day", title="A record for each", json_schema_extra={"widget": "choice"}
    )
    into: str = Field(
        default="day", min_length=1, max_length=200, title="Into the column", json_schema_extra={"widget": "name"}
    )
    unconverted: Literal["missing", "quarantine"] = Field(
        default="quarantine", title="What does not fit", json_schema_extra={"widget": "choice", "labels": OTHERWISE}
    )

    def needs(self) -> tuple[str, ...]:
        return (self.start, self.end)

    def sentence(self) -> list[Part]:
        rest = "; records whose period does not convert are quarantined" if self.unconverted == "quarantine" else ""
        return [
            text(f"Make a record for each {self.each} from "), Part(text=self.start, data=True), text(" to "),
            Part(text=self.end, data=True), text(", in the column "), Part(text=self.into, data=True), text(f"{rest}."),
        ]  # fmt: skip

    def reshape(self, table: Table) -> TableTransform:
        by_name = {column.name: column for column in table.columns}
        if self.into.lower() in {name.lower() for name in by_name}:
            raise RulebookError(
                f"The column {self.into!r} is there already.",
                rule=self.id,
                column=self.into,
                advice="Choose another name.",
            )
        first, last = (exp.cast(moment_in(col(name), by_name[name]), "DATE") for name in (self.start, self.end))
        days = template(
            "days_of_period(:a, :b, :most, :each)", a=first, b=last, most=exp.Literal.number(MOST_DAYS), each=self.each
        )
        cells = [*table.cells(), (Column(self.into, DataType.DATE), exp.cast(exp.column("__item"), "DATE"))]
        period = exp.Anonymous(
            this="concat_ws",
            expressions=[
                exp.Literal.string(" to "),
                *(text_of(name, table.columns) for name in (self.start, self.end)),
            ],
        )
        unspread = Unspread(
            template(":d IS NULL", d=days), f"{self.start}, {self.end}", period, self.unconverted == "quarantine"
        )
        shaped = expanded(table, days, tuple(column for column, _ in cells), cells, unspread=unspread)
        return shaped


KIND = SpreadPeriod
