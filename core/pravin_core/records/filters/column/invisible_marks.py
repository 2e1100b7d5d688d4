"""The cell has characters that cannot be seen."""

from __future__ import annotations

from typing import Literal

from sqlglot import exp

from pravin_core.engines.kinds import INVISIBLE
from pravin_core.records.filters.base import ColumnFilter
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType


class ColumnInvisibleMarks(ColumnFilter):
    """The cell has characters that cannot be seen."""

    test: Literal["invisible marks"] = "invisible marks"

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return template("regexp_matches(:t, :p)", t=text, p=exp.Literal.string(INVISIBLE))


FILTER = ColumnInvisibleMarks
