"""The cell has fewer characters than a number."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import ColumnFilter, is_whole
from pravin_core.tables.types import DataType


class ColumnShorter(ColumnFilter):
    """The cell has fewer characters than a number."""

    test: Literal["shorter"] = "shorter"
    value: str = Field(default="", max_length=2000)

    @model_validator(mode="after")
    def _a_length(self) -> Self:
        if not is_whole(self.value):
            raise ValueError(f"“shorter” needs a number of characters; “{self.value[:60]}” is not one")
        return self

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return exp.LT(this=exp.Length(this=text), expression=exp.Literal.number(int(self.value)))


FILTER = ColumnShorter
