"""The record of a number."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import Filter, is_whole
from pravin_core.sql.trees import column, template
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import DataType


class RecordFilter(Filter):
    """The record of a number."""

    on: Literal["record"] = "record"
    value: str = Field(default="", max_length=2000)

    @model_validator(mode="after")
    def _a_number(self) -> Self:
        if not is_whole(self.value):
            raise ValueError(f"a filter on a record needs its number; “{self.value[:60]}” is not one")
        return self

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        return template(":r = :n", r=column(RECORD), n=exp.Literal.number(int(self.value)))


FILTER = RecordFilter
