"""A reason for which the record stands in quarantine: its rule, its column, its words."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import Filter, contains, is_whole
from pravin_core.sql.trees import column, template
from pravin_core.tables import names
from pravin_core.tables.types import DataType


class ReasonFilter(Filter):
    """A reason for which the record stands in quarantine: the number of its rule (0: a value typed by hand), the column, the
    words, a text that the value seen contains; of those that are given all must be of the same reason.
    """

    on: Literal["reason"] = "reason"
    value: str = Field(default="", max_length=20)
    name: str = Field(default="", max_length=20_000)
    phrase: str = Field(default="", max_length=20_000)
    seen: str = Field(default="", max_length=2000)

    @model_validator(mode="after")
    def _asks_something(self) -> Self:
        if not (self.value or self.name or self.phrase or self.seen):
            raise ValueError("a filter on a reason names its rule, its column or its words")
        if self.value and not is_whole(self.value):
            raise ValueError(f"a filter on a reason takes the number of a rule; “{self.value[:60]}” is not one")
        return self

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        conditions: list[exp.Expr] = []
        if self.value:
            conditions.append(template("__item.rule = :n", n=exp.Literal.number(int(self.value))))
        if self.name:
            conditions.append(template("__item.name = :n", n=exp.Literal.string(self.name)))
        if self.phrase:
            conditions.append(template("__item.phrase = :p", p=exp.Literal.string(self.phrase)))
        if self.seen:
            conditions.append(contains(template("coalesce(__item.value, '')"), self.seen))
        return template(
            "(:s = 'quarantined' AND len(list_filter(:r, lambda __item: :c)) > 0)",
            s=column(names.STATE), r=column(names.REASONS), c=exp.and_(*conditions),
        )  # fmt: skip

    def needs_run(self) -> bool:
        return True


FILTER = ReasonFilter
