"""The cell is a number between two, the higher one not included."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import ColumnFilter
from pravin_core.records.filters.comparing import limited, needs_two
from pravin_core.tables.types import DataType


class ColumnWithin(ColumnFilter):
    """The cell is a number between two, the higher one not included."""

    test: Literal["within"] = "within"
    values: tuple[str, ...] = Field(default=(), max_length=2000)

    @model_validator(mode="after")
    def _two_limits(self) -> Self:
        needs_two("within", self.values)
        return self

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return limited(self.name, text, data_type, self.values, with_high=False)


FILTER = ColumnWithin
