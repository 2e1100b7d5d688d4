"""Other records have the same value."""

from __future__ import annotations

from typing import Literal

from sqlglot import exp

from pravin_core.records.filters.base import ColumnFilter
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType


class ColumnRepeated(ColumnFilter):
    """Other records have the same value."""

    test: Literal["repeated"] = "repeated"

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return template("count(*) OVER (PARTITION BY :t) > 1 AND :t <> ''", t=text)


FILTER = ColumnRepeated
