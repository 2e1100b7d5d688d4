"""The cell is one of several texts."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.records.filters.base import ColumnFilter
from pravin_core.tables.types import DataType


class ColumnOneOf(ColumnFilter):
    """The cell is one of several texts."""

    test: Literal["one of"] = "one of"
    values: tuple[str, ...] = Field(default=(), max_length=2000)

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return exp.In(this=text, expressions=[exp.Literal.string(value) for value in self.values or ("",)])


FILTER = ColumnOneOf
