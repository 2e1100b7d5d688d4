"""The cell matches a regular expression (RE2)."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import ColumnFilter
from pravin_core.rules.patterns import checked
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType


class ColumnMatches(ColumnFilter):
    """The cell matches a regular expression (RE2)."""

    test: Literal["matches"] = "matches"
    value: str = Field(default="", max_length=2000)

    @model_validator(mode="after")
    def _reads(self) -> Self:
        checked(self.value)
        return self

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return template("regexp_matches(:t, :p) AND :t <> ''", t=text, p=exp.Literal.string(self.value))


FILTER = ColumnMatches
