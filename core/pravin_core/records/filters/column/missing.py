"""The cell is missing."""

from __future__ import annotations

from typing import ClassVar, Literal

from sqlglot import exp

from pravin_core.records.filters.base import ColumnFilter, Takes
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType


class ColumnMissing(ColumnFilter):
    """The cell is missing."""

    takes: ClassVar[Takes | None] = "nothing"

    test: Literal["missing"] = "missing"

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return template(":t = ''", t=text)


FILTER = ColumnMissing
