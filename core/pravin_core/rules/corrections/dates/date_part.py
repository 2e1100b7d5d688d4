"""A part of a date in a column of its own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from pravin_core.rules.base import Corrected, Derivation, Example, Part, text
from pravin_core.rules.moments import moment_in
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

_PARTS = {
    "year": "year(:m)", "quarter": "quarter(:m)", "month": "month(:m)", "week": "week(:m)", "day": "day(:m)",
    "weekday": "isodow(:m)", "hour": "hour(:m)", "minute": "minute(:m)",
}  # fmt: skip


class DatePart(Derivation):
    """Weeks and weekdays by ISO 8601: Monday is 1. Texts count where they are dates such as 2024-03-17."""

    title = "Part of a date"
    group = "Dates"
    about = "Writes the year, quarter, month, week, day, weekday, hour or minute of a date into a column of its own."
    synonyms = (
        "year", "month", "day", "weekday", "week", "quarter", "hour", "extract from date", "calendar",
    )  # fmt: skip
    examples = (
        Example(
            rule={"column": "a", "part": "weekday", "into": "w"},
            before={"a": ["2024-03-17", "soon", None]},
            after={"a": ["2024-03-17", "soon", None], "w": [7, None, None]},
        ),
    )

    kind: Literal["date-part"] = "date-part"
    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    part: Literal["year", "quarter", "month", "week", "day", "weekday", "hour", "minute"] = Field(
        default="month", title="Part", json_schema_extra={"widget": "choice"}
    )
    into: str = Field(min_length=1, max_length=200, title="Into the column", json_schema_extra={"widget": "name"})

    def needs(self) -> tuple[str, ...]:
        return (self.column,)

    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def after(self) -> str:
        return self.column

    def sentence(self) -> list[Part]:
        return [
            text(f"Write the {self.part} of "),
            Part(text=self.column, data=True),
            text(" into "),
            Part(text=self.into, data=True),
            text("."),
        ]

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        moment = moment_in(col(self.column), next(column for column in table if column.name == self.column))
        return [Corrected(template(f"CAST({_PARTS[self.part]} AS BIGINT)", m=moment), DataType.WHOLE)]


KIND = DatePart
