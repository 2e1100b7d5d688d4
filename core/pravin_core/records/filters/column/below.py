"""The cell is below a number or an ISO date."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import ColumnFilter, Takes
from pravin_core.records.filters.comparing import compared, needs_a_number_or_date
from pravin_core.tables.types import DataType


class ColumnBelow(ColumnFilter):
    """The cell is below a number or an ISO date."""

    takes: ClassVar[Takes | None] = "number or date"

    test: Literal["below"] = "below"
    value: str = Field(default="", max_length=2000)

    @model_validator(mode="after")
    def _can_be_compared(self) -> Self:
        needs_a_number_or_date("below", self.value)
        return self

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return compared(exp.LT, self.name, text, data_type, self.value)


FILTER = ColumnBelow
