"""The cell is of one of the kinds that `value` names, with commas between them: whole number, date and so on."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.engines.kinds import kind_of
from pravin_core.records.filters.base import ColumnFilter
from pravin_core.tables.types import DataType


class ColumnReadsAs(ColumnFilter):
    """The cell is of one of the kinds that `value` names, with commas between them: whole number, date and so on."""

    test: Literal["reads as"] = "reads as"
    value: str = Field(default="", max_length=2000)

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return exp.In(this=kind_of(text), expressions=[exp.Literal.string(kind) for kind in self.value.split(",")])


FILTER = ColumnReadsAs
