"""The cell begins or ends with spaces."""

from __future__ import annotations

from typing import Literal

from sqlglot import exp

from pravin_core.engines.kinds import OUTER_SPACES
from pravin_core.records.filters.base import ColumnFilter
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType


class ColumnOuterSpaces(ColumnFilter):
    """The cell begins or ends with spaces."""

    test: Literal["outer spaces"] = "outer spaces"

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return template("regexp_matches(:t, :p)", t=text, p=exp.Literal.string(OUTER_SPACES))


FILTER = ColumnOuterSpaces
