"""The cell contains a text, letter case aside."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.records.filters.base import ColumnFilter, Takes, contains
from pravin_core.tables.types import DataType


class ColumnContains(ColumnFilter):
    """The cell contains a text, letter case aside."""

    takes: ClassVar[Takes | None] = "text"

    test: Literal["contains"] = "contains"
    value: str = Field(default="", max_length=2000)

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return contains(text, self.value)


FILTER = ColumnContains
