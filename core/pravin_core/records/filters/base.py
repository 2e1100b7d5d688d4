"""What a filter is: a small condition on records that can be said in words and put in an address."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator
from sqlglot import exp

from pravin_core.sql.trees import column, template
from pravin_core.sql.written import written
from pravin_core.tables.types import DataType

Takes = Literal["nothing", "text", "number or date", "number"]
DEEPEST = 8


class Filter(BaseModel):
    """One condition. `on` says of what, and so which class it is; filters on a column say by `test` what is asked."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    on: str

    @model_validator(mode="before")
    @classmethod
    def _without_empty_parts(cls, given: Any) -> Any:
        """Filters stored before each kind had a model of its own carry the empty parts of all others."""
        if not isinstance(given, dict):
            return given
        empty: tuple[Any, ...] = ("", None, [], (), "is")
        return {key: part for key, part in given.items() if key in cls.model_fields or part not in empty}

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        """The condition over the columns of `types`. `rules` maps the number of each active rule to column, record, check,
        tracing or table.
        """
        raise NotImplementedError

    def needs_run(self) -> bool:
        """Whether it asks for what only a run can tell: states and what rules did."""
        return False

    def uses_operations(self) -> bool:
        """Whether the engine must know our own operations to answer it."""
        return False

    def names(self) -> set[str]:
        """The columns it names."""
        return set()

    def depth(self) -> int:
        """How deep filters are nested; 1 for a plain one."""
        return 1


class ColumnFilter(Filter):
    """A condition on the cells of one column. `takes` says what a form asks for beside the column; None: it is not offered."""

    takes: ClassVar[Takes | None] = None

    on: Literal["column"] = "column"
    name: str = Field(default="", max_length=2000)

    @model_validator(mode="after")
    def _names_the_column(self) -> ColumnFilter:
        if not self.name:
            raise ValueError("a filter on a column names the column")
        return self

    def names(self) -> set[str]:
        return {self.name}

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        cell = written(column(self.name), types[self.name])
        return self.of_cell(template("coalesce(:c, '')", c=cell), types[self.name])

    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        """The condition on a cell, given as text that is empty where it is missing, and the type of its column."""
        raise NotImplementedError


def kept(query: exp.Select, conditions: Sequence[exp.Expr]) -> exp.Select:
    """A query with only the records that fit; conditions may look at other records (windows)."""
    if not conditions:
        return query
    if any(condition.find(exp.Window) for condition in conditions):
        looking = query.copy()
        looking.set("qualify", exp.Qualify(this=exp.and_(*conditions)))
        return looking
    return query.where(*conditions)


def contains(cell: exp.Expr, value: str) -> exp.Expr:
    """Whether a text contains another, letter case aside."""
    return template("contains(lower(:c), lower(:v))", c=cell, v=exp.Literal.string(value))


def is_whole(text: str) -> bool:
    """Whether a text is a whole number of at most 18 digits, without a sign."""
    return re.fullmatch(r"\d{1,18}", text) is not None


def is_number(text: str) -> bool:
    """Whether a text is a finite number."""
    try:
        return math.isfinite(float(text))
    except ValueError:
        return False


def is_moment(text: str) -> bool:
    """Whether a text is an ISO date, with or without a time."""
    try:
        datetime.fromisoformat(text)
    except ValueError:
        return False
    return True
