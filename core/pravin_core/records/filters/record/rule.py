"""What the rule of a number did: changed cells, removed, made or merged the record, or found it broken."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import Filter, is_whole
from pravin_core.sql.trees import column, template
from pravin_core.tables import names
from pravin_core.tables.types import DataType


class RuleFilter(Filter):
    """What the rule of a number did: changed cells, removed, made or merged the record, or found it broken."""

    on: Literal["rule"] = "rule"
    value: str = Field(default="", max_length=2000)

    @model_validator(mode="after")
    def _a_number(self) -> Self:
        if not is_whole(self.value):
            raise ValueError(f"a filter on a rule needs its number; “{self.value[:60]}” is not one")
        return self

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        number = int(self.value)
        rule = exp.Literal.number(number)
        match rules.get(number):
            case "column":
                cells, failed = column(names.cells_changed(number)), column(names.cells_failed(number))
                return template("(:c > 0 OR :u > 0)", c=cells, u=failed)
            case "record":
                return template(":g = :n", g=column(names.GONE), n=rule)
            case "tracing":  # records that it removed or merged, and those that it made
                removed, added = column(names.GONE), column(names.ADDED)
                return template("(coalesce(:g = :n, false) OR coalesce(:a = :n, false))", g=removed, a=added, n=rule)
            case "check":
                return column(names.broken(number))
        return exp.false()

    def needs_run(self) -> bool:
        return True


FILTER = RuleFilter
