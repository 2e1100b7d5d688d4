"""The cell is a text; an empty one means that it is missing."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.records.filters.base import ColumnFilter, Takes
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType


class ColumnIs(ColumnFilter):
    """The cell is a text; an empty one means that it is missing."""

    takes: ClassVar[Takes | None] = "text"

    test: Literal["is"] = "is"
    value: str = Field(default="", max_length=2000)

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return template(":t = :v", t=text, v=exp.Literal.string(self.value))


FILTER = ColumnIs
