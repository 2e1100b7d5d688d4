"""The difference of two columns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from pravin_core.rules.base import Corrected, Derivation, Example, Part, text
from pravin_core.rules.moments import moment_in
from pravin_core.rules.numeric import number_in
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

_SECONDS = {"days": 86_400, "hours": 3_600, "minutes": 60}


class ColumnDifference(Derivation):
    """The second less the first. Days, hours and minutes may have a fraction; months are whole ones."""

    title = "Difference of two columns"
    group = "Dates"
    about = "Writes the difference between the first column and the second: of numbers, or of dates in days, hours, minutes or whole months."
    synonyms = ("subtract", "minus", "days between", "age", "duration", "elapsed", "datediff", "delta")
    examples = (
        Example(
            rule={"first": "a", "second": "b", "unit": "days", "into": "d"},
            before={"a": ["2024-02-28", "x", None], "b": ["2024-03-01", "2024-03-01", "2024-03-01"]},
            after={
                "a": ["2024-02-28", "x", None],
                "b": ["2024-03-01", "2024-03-01", "2024-03-01"],
                "d": [2.0, None, None],
            },
        ),
        Example(
            rule={"first": "a", "second": "b", "unit": "number", "into": "d"},
            before={"a": ["7.4", None], "b": ["7.5", "1"]},
            after={"a": ["7.4", None], "b": ["7.5", "1"], "d": [0.1, None]},
        ),
    )

    kind: Literal["difference"] = "difference"
    first: str = Field(min_length=1, max_length=2000, title="From", json_schema_extra={"widget": "column"})
    second: str = Field(min_length=1, max_length=2000, title="To", json_schema_extra={"widget": "column"})
    unit: Literal["number", "minutes", "hours", "days", "months"] = Field(
        default="days", title="As", json_schema_extra={"widget": "choice"}
    )
    into: str = Field(
        default="difference",
        min_length=1,
        max_length=200,
        title="Into the column",
        json_schema_extra={"widget": "name"},
    )

    def needs(self) -> tuple[str, ...]:
        return (self.first, self.second)

    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def after(self) -> str:
        return self.second

    def sentence(self) -> list[Part]:
        unit = "" if self.unit == "number" else f" in {self.unit}"
        return [
            text("Write the difference from "), Part(text=self.first, data=True), text(" to "), Part(text=self.second, data=True),
            text(f"{unit} into "), Part(text=self.into, data=True), text("."),
        ]  # fmt: skip

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        by_name = {column.name: column for column in table}
        read = number_in if self.unit == "number" else moment_in
        a, b = (read(col(name), by_name[name]) for name in (self.first, self.second))
        if self.unit == "number":
            value = template("neat_number(round(:b - :a, 10))", a=a, b=b)
        elif self.unit == "months":
            value = template("CAST(datesub('month', :a, :b) AS DOUBLE)", a=a, b=b)
        else:
            value = template(f"neat_number((epoch(:b) - epoch(:a)) / {_SECONDS[self.unit]})", a=a, b=b)
        return [Corrected(value, DataType.DECIMAL)]


KIND = ColumnDifference
