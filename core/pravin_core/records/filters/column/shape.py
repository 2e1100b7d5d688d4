"""The cell has a shape, such as AA-9999."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.engines.kinds import shape_of
from pravin_core.records.filters.base import ColumnFilter, Takes
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType


class ColumnShape(ColumnFilter):
    """The cell has a shape, such as AA-9999."""

    takes: ClassVar[Takes | None] = "text"

    test: Literal["shape"] = "shape"
    value: str = Field(default="", max_length=2000)

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return template(":s = :v AND :t <> ''", s=shape_of(text), v=exp.Literal.string(self.value), t=text)


FILTER = ColumnShape
