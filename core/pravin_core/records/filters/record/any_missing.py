"""Any column is missing."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from sqlglot import exp

from pravin_core.records.filters.base import Filter
from pravin_core.sql.trees import column, template
from pravin_core.sql.written import written
from pravin_core.tables.types import DataType


class AnyMissingFilter(Filter):
    """Any column is missing."""

    on: Literal["any missing"] = "any missing"

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        gaps = [
            template("CASE WHEN coalesce(:c, '') = '' THEN 1 END", c=written(column(name), kind))
            for name, kind in types.items()
        ]
        return template(":gap IS NOT NULL", gap=exp.Coalesce(this=gaps[0], expressions=gaps[1:]))


FILTER = AnyMissingFilter
