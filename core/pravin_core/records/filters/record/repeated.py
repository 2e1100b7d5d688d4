"""Other records are alike in the columns `values` (in all when none is named); "matches" leaves letter case and spaces aside."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.records.filters.base import Filter
from pravin_core.sql.trees import column, template
from pravin_core.sql.written import written
from pravin_core.tables.types import DataType


class RepeatedFilter(Filter):
    """Other records are alike in the columns `values` (in all when none is named); "matches" leaves letter case and spaces aside."""

    on: Literal["repeated"] = "repeated"
    test: Literal["is", "matches"] = "is"
    values: tuple[str, ...] = Field(default=(), max_length=2000)

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        cells = [template("coalesce(:c, '')", c=written(column(name), types[name])) for name in self.values or types]
        if self.test == "matches":
            cells = [template(r"lower(regexp_replace(:c, '[\s\p{Z}]', '', 'g'))", c=cell) for cell in cells]
        return template("count(*) OVER (PARTITION BY :key) > 1", key=exp.Anonymous(this="hash", expressions=cells))

    def names(self) -> set[str]:
        return set(self.values)


FILTER = RepeatedFilter
