"""Every one of several filters fits."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from sqlglot import exp

from pravin_core.records.filters.combination import Combination
from pravin_core.tables.types import DataType


class AllOf(Combination):
    """Every one of several filters fits."""

    on: Literal["all of"] = "all of"

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        return exp.and_(*self.parts(types, rules))


FILTER = AllOf
