"""The cell is a date of one of the formats in `value` (divided by |), from the earlier to the later of two ISO dates."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.engines.kinds import moment_of
from pravin_core.records.filters.base import ColumnFilter, is_moment
from pravin_core.sql.trees import template
from pravin_core.tables.dates import pattern
from pravin_core.tables.types import DataType


class ColumnDated(ColumnFilter):
    """The cell is a date of one of the formats in `value` (divided by |), from the earlier to the later of two ISO dates."""

    test: Literal["dated"] = "dated"
    value: str = Field(default="", max_length=2000)
    values: tuple[str, ...] = Field(default=(), max_length=2000)

    @model_validator(mode="after")
    def _two_dates(self) -> Self:
        if len(self.values) != 2 or not all(map(is_moment, self.values)):
            raise ValueError("“dated” needs two dates such as 2024-03-17, the earlier and the later one")
        for date_format in self.value.split("|"):
            pattern(date_format)  # raises ValueError for a code that is not supported
        return self

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        low, high = (exp.cast(exp.Literal.string(limit), "TIMESTAMP") for limit in self.values)
        moment = moment_of(text, self.value.split("|"))
        return template("coalesce(:m BETWEEN :low AND :high, false)", m=moment, low=low, high=high)


FILTER = ColumnDated
