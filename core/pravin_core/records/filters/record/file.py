"""The source file that the record was delivered in."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.records.filters.base import Filter, is_whole
from pravin_core.sql.trees import column, template
from pravin_core.tables.columns import FILE
from pravin_core.tables.types import DataType


class FileFilter(Filter):
    """The source file that the record was delivered in, by its place from 0; -1: a rule made the record."""

    on: Literal["file"] = "file"
    value: str = Field(default="", max_length=20)

    @model_validator(mode="after")
    def _a_place(self) -> Self:
        if not is_whole(self.value.removeprefix("-")):
            raise ValueError(f"a filter on a source file needs its place, from 0; “{self.value[:60]}” is none")
        return self

    def condition(self, types: Mapping[str, DataType], rules: Mapping[int, str]) -> exp.Expr:
        return template("coalesce(:f, -1) = :n", f=column(FILE), n=exp.convert(int(self.value)))


FILTER = FileFilter
