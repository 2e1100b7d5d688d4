"""A formula holds, whatever columns it compares."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.formulas.language import condition, placed
from pravin_core.formulas.reading import readable, reads
from pravin_core.records.filters.base import Filter
from pravin_core.rules.base import never_null
from pravin_core.sql.trees import column, template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType


class FormulaFilter(Filter):
    """A formula over the columns of a record holds; not where it is missing, because a value is."""

    on: Literal["formula"] = "formula"
    value: str = Field(default="", max_length=2000)

    @model_validator(mode="after")
    def _reads(self) -> Self:
        readable(self.value)
        return self

    def uses_operations(self) -> bool:
        return True

    def names(self) -> set[str]:
        return set(reads(self.value))

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        columns = [Column(name, kind) for name, kind in types.items()]
        formula = condition(self.value, columns)  # raises FormulaError where it does not fit the types
        cells = {
            name: template("nullif(:c, '')", c=column(name)) if types[name] is DataType.TEXT else column(name)
            for name in formula.reads
        }
        return never_null(placed(formula.expression, cells))


FILTER = FormulaFilter
