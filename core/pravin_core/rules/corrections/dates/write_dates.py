"""The written form of dates."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, field_validator
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.dates import pattern
from pravin_core.tables.types import DataType

_MOMENTS = (DataType.DATE, DataType.DATETIME)


class WriteDates(ColumnCorrection):
    """The column becomes text, so this belongs at the end of the corrections."""

    title = "Format dates"
    group = "Dates"
    about = "Writes dates as text in a form such as %d.%m.%Y, for all date columns at once if no column is named."
    synonyms = ("write dates in a form", "format date", "date format", "strftime", "date to text")
    examples = (
        Example(
            first=({"kind": "to-date", "id": "first", "columns": ["a"], "formats": ["%Y-%m-%d"]},),
            rule={"form": "%d.%m.%Y"},
            before={"a": ["2024-03-07", None]},
            after={"a": ["07.03.2024", None]},
        ),
    )

    names_columns = False
    all_columns = "all date columns"
    kind: Literal["write-dates"] = "write-dates"
    form: str = Field(default="%d.%m.%Y", max_length=40, title="Form", json_schema_extra={"widget": "form"})

    @field_validator("form")
    @classmethod
    def _readable(cls, form: str) -> str:
        pattern(form)
        return form

    def applies_to(self, column: Column) -> bool:
        return column.type in _MOMENTS

    def sentence(self) -> list[Part]:
        columns = self.meant() if self.columns or self.by else [Part(text="all date columns", data=True)]
        return [text("Write "), *columns, text(" as "), Part(text=self.form, data=True), text(".")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        if column.type not in _MOMENTS:
            raise RulebookError(
                f"{column.name} holds no dates yet.", column=column.name, advice="Convert it to a date first."
            )
        return Corrected(template("write_moment(:c, :f)", c=cell.copy(), f=exp.Literal.string(self.form)), reading=True)


KIND = WriteDates
