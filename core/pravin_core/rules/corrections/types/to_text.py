"""Read values as text."""

from __future__ import annotations

from typing import Literal

from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, text
from pravin_core.sql.written import written
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType


class ToText(ColumnCorrection):
    """Numbers without an empty fraction, dates as year-month-day: as they stand in outputs."""

    title = "Convert to text"
    group = "Types"
    about = "Converts numbers, dates and true or false to text, for example to join an identifier made of digits."
    synonyms = ("read as text", "cast text", "string", "varchar", "type")
    examples = (Example(rule={"columns": ["a"]}, before={"a": ["0042", None]}, after={"a": ["0042", None]}),)

    kind: Literal["to-text"] = "to-text"

    def applies_to(self, column: Column) -> bool:
        return column.type is not DataType.TEXT

    def sentence(self) -> list[Part]:
        return [text("Convert "), *self.meant(), text(" to text.")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        return Corrected(written(cell, column.type), reading=True)


KIND = ToText
