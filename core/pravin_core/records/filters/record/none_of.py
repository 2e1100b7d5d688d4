"""None of several filters fits."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from sqlglot import exp

from pravin_core.records.filters.combination import Combination
from pravin_core.tables.types import DataType


class NoneOf(Combination):
    """None of several filters fits."""

    on: Literal["none of"] = "none of"

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        return exp.not_(exp.paren(exp.or_(*self.parts(types, rules))))


FILTER = NoneOf
