"""The cell is not a text."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.records.filters.base import ColumnFilter, Takes
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType


class ColumnIsNot(ColumnFilter):
    """The cell is not a text."""

    takes: ClassVar[Takes | None] = "text"

    test: Literal["is not"] = "is not"
    value: str = Field(default="", max_length=2000)

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return template(":t <> :v", t=text, v=exp.Literal.string(self.value))


FILTER = ColumnIsNot
