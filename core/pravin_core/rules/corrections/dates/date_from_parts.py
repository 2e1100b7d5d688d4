"""A date from columns of year, month and day."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Corrected, Derivation, Example, Part, text, text_of
from pravin_core.rules.labels import OTHERWISE
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType


class DateFromParts(Derivation):
    """Without a column for the day (or month) the first one is taken. Parts that make no date are treated as chosen."""

    title = "Date from parts"
    group = "Dates"
    about = "Makes a date from columns of year, month and day; without a day the first of the month."
    synonyms = ("make date", "combine year month day", "build date", "make_date")
    examples = (
        Example(
            rule={"year": "y", "month": "m", "day": "d", "into": "on", "drop": True, "unconverted": "missing"},
            before={"y": ["2024", "2024", None], "m": ["3", "2", "1"], "d": ["17", "30", "1"], "z": ["p", "q", "r"]},
            after={"on": ["2024-03-17", None, None], "z": ["p", "q", "r"]},
        ),
    )

    kind: Literal["date-from-parts"] = "date-from-parts"
    year: str = Field(min_length=1, max_length=2000, title="Year", json_schema_extra={"widget": "column"})
    month: str = Field(
        default="", max_length=2000, title="Month", json_schema_extra={"widget": "column", "empty": "January"}
    )
    day: str = Field(
        default="", max_length=2000, title="Day", json_schema_extra={"widget": "column", "empty": "the first"}
    )
    into: str = Field(
        default="date", min_length=1, max_length=200, title="Into the column", json_schema_extra={"widget": "name"}
    )
    drop: bool = Field(default=False, title="Drop the original columns", json_schema_extra={"widget": "switch"})
    unconverted: Literal["missing", "quarantine"] = Field(
        default="quarantine", title="What is not a date", json_schema_extra={"widget": "choice", "labels": OTHERWISE}
    )

    def needs(self) -> tuple[str, ...]:
        return tuple(name for name in (self.year, self.month, self.day) if name)

    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def after(self) -> str:
        return self.needs()[-1]

    def drops(self) -> tuple[str, ...]:
        return self.needs() if self.drop else ()

    def sentence(self) -> list[Part]:
        parts: list[Part] = []
        for at, name in enumerate(self.needs()):
            parts += [*([text(", ")] if at else []), Part(text=name, data=True)]
        rest = "are quarantined" if self.unconverted == "quarantine" else "become missing"
        return [
            text("Make the date "),
            Part(text=self.into, data=True),
            text(" from "),
            *parts,
            text(f"; values that do not convert {rest}."),
        ]

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        whole = {}
        for key, name in (("y", self.year), ("m", self.month), ("d", self.day)):
            whole[key] = text_of(name, table) if name else exp.Literal.string("1")
        written = template("lpad(trim(:y), 4, '0') || '-' || trim(:m) || '-' || trim(:d)", **whole)
        fits = r"\d{4}-(?:0?[1-9]|1[0-2])-(?:0?[1-9]|[12]\d|3[01])"
        value = exp.cast(template("read_moment(:t, :p, '%Y-%m-%d')", t=written, p=exp.Literal.string(fits)), "DATE")
        lost = template(":t IS NOT NULL AND :v IS NULL", t=written, v=value)
        return [Corrected(value, DataType.DATE, lost, source=written)]


KIND = DateFromParts
