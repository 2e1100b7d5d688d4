"""What filters made of other filters share."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import DEEPEST, Filter
from pravin_core.tables.types import DataType

if TYPE_CHECKING:
    AnyFilter = Filter


class Combination(Filter):
    """A filter made of others; its classes are completed by the registry, which knows all kinds."""

    of: tuple[AnyFilter, ...] = Field(default=(), max_length=200)

    @model_validator(mode="after")
    def _not_too_deep(self) -> Self:
        if self.depth() > DEEPEST:
            raise ValueError(f"filters are nested more than {DEEPEST} deep")
        return self

    def parts(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> list[exp.Expr]:
        """The conditions of the filters; what is always true where there is none."""
        return [exp.paren(filter_.condition(types, rules)) for filter_ in self.of] or [exp.paren(exp.true())]

    def needs_run(self) -> bool:
        return any(filter_.needs_run() for filter_ in self.of)

    def uses_operations(self) -> bool:
        return any(filter_.uses_operations() for filter_ in self.of)

    def names(self) -> set[str]:
        return set().union(*(filter_.names() for filter_ in self.of))

    def depth(self) -> int:
        return 1 + max((filter_.depth() for filter_ in self.of), default=0)
