"""Any column contains a text, letter case aside."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.records.filters.base import Filter, contains
from pravin_core.sql.trees import column, joined, template
from pravin_core.sql.written import written
from pravin_core.tables.types import DataType


class TextFilter(Filter):
    """Any column contains a text, letter case aside."""

    on: Literal["text"] = "text"
    value: str = Field(default="", max_length=2000)

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        cells = [contains(written(column(name), kind), self.value) for name, kind in types.items()]
        return template("coalesce(:any_of_them, false)", any_of_them=joined(exp.Or, cells))


FILTER = TextFilter
