"""The records of several numbers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import Filter, is_whole
from pravin_core.sql.trees import column
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import DataType


class RecordsFilter(Filter):
    """The records of several numbers."""

    on: Literal["records"] = "records"
    values: tuple[str, ...] = Field(default=(), max_length=2000)

    @model_validator(mode="after")
    def _numbers(self) -> Self:
        if (wrong := next((number for number in self.values if not is_whole(number)), None)) is not None:
            raise ValueError(f"records are named by their numbers; “{wrong[:60]}” is not one")
        return self

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        return exp.In(this=column(RECORD), expressions=[exp.Literal.number(int(number)) for number in self.values])


FILTER = RecordsFilter
