"""The state of the record after a run; several with commas between them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import Filter
from pravin_core.sql.trees import column
from pravin_core.tables import names
from pravin_core.tables.types import DataType

STATES = ("ready", "corrected", "quarantined", "removed")


class StateFilter(Filter):
    """The state of the record after a run; several with commas between them."""

    on: Literal["state"] = "state"
    value: str = Field(default="", max_length=2000)

    @model_validator(mode="after")
    def _known(self) -> Self:
        if other := set(self.value.split(",")) - set(STATES):
            raise ValueError(f"there is no state “{min(other)[:60]}”; there are {', '.join(STATES)}")
        return self

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        states = [exp.Literal.string(state) for state in self.value.split(",")]
        return exp.In(this=column(names.STATE), expressions=states)

    def needs_run(self) -> bool:
        return True


FILTER = StateFilter
