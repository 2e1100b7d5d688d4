"""The cell is filled and of none of the kinds that `value` names, with commas between them."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.engines.kinds import kind_of
from pravin_core.records.filters.base import ColumnFilter
from pravin_core.tables.types import DataType


class ColumnDoesNotReadAs(ColumnFilter):
    """The cell is filled and of none of the kinds that `value` names, with commas between them."""

    test: Literal["does not read as"] = "does not read as"
    value: str = Field(default="", max_length=2000)

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        kinds = [exp.Literal.string(kind) for kind in (*self.value.split(","), "missing", "missing token")]
        return exp.not_(exp.In(this=kind_of(text), expressions=kinds))


FILTER = ColumnDoesNotReadAs
