"""Fill missing values."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, joined, over, text
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import SQL_TYPES, DataType

_WITH = {
    "previous": "the value of the record before", "next": "the value of the record after", "mean": "the mean",
    "median": "the median", "most frequent": "the most frequent value",
}  # fmt: skip


class Fill(ColumnCorrection):
    """In groups of records alike in some columns, if wanted. Of values equally frequent the first in order is taken;
    mean and median need numbers (texts that read as numbers count).
    """

    title = "Fill missing values"
    group = "Missing"
    about = "Puts in a value, that of the record before or after, of another column, the mean, median or most frequent one, also by group."
    synonyms = (
        "impute", "imputation", "previous", "next", "fill null", "fill blank", "empty", "coalesce", "forward fill", "backward fill",
        "mean", "median", "mode", "default", "nan",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "by_what": "previous"},
            before={"a": [None, "x", None, None, "y", None]},
            after={"a": [None, "x", "x", "x", "y", "y"]},
        ),
        Example(
            rule={"columns": ["a"], "by_what": "mean", "groups": ["g"]},
            before={"a": ["1", "3", None, None, "9"], "g": ["p", "p", "p", "q", "q"]},
            after={"a": ["1", "3", "2", "9", "9"], "g": ["p", "p", "p", "q", "q"]},
        ),
        Example(
            rule={"columns": ["a"], "by_what": "most frequent"},
            before={"a": ["b", "a", "b", "a", None]},
            after={"a": ["b", "a", "b", "a", "a"]},
        ),
        Example(rule={"columns": ["a"], "value": "none"}, before={"a": ["x", None]}, after={"a": ["x", "none"]}),
        Example(
            rule={"columns": ["a"], "by_what": "other columns", "others": ["b", "c"]},
            before={"a": ["x", None, None], "b": ["1", None, None], "c": ["2", "3", None]},
            after={"a": ["x", "3", None], "b": ["1", None, None], "c": ["2", "3", None]},
        ),
    )

    kind: Literal["fill"] = "fill"
    by_what: Literal["value", "previous", "next", "mean", "median", "most frequent", "other columns"] = Field(
        default="value", title="With", json_schema_extra={"widget": "choice", "labels": {"value": "a value"}}
    )
    value: str = Field(
        default="", max_length=2000, title="Value", json_schema_extra={"shown_for": {"by_what": ["value"]}}
    )
    others: tuple[str, ...] = Field(
        default=(),
        max_length=50,
        title="Columns, in order",
        json_schema_extra={"widget": "columns", "shown_for": {"by_what": ["other columns"]}},
    )
    groups: tuple[str, ...] = Field(
        default=(), max_length=20, title="Within groups of",
        json_schema_extra={"widget": "columns", "empty": "no groups", "shown_for": {"by_what": ["previous", "next", "mean", "median", "most frequent"]}},
    )  # fmt: skip

    @model_validator(mode="after")
    def _said_what(self) -> Self:
        if self.by_what == "value" and not self.value:
            raise ValueError("give the value to put in")
        if self.by_what == "other columns" and not self.others:
            raise ValueError("give the columns whose values are put in")
        return self

    @property
    def uses_window(self) -> bool:
        return self.by_what not in ("value", "other columns")

    def applies_to(self, column: Column) -> bool:
        return True

    def needs(self) -> tuple[str, ...]:
        return (*self.columns, *self.others, *self.groups)

    def sentence(self) -> list[Part]:
        within = [text(" within the same "), *joined(self.groups)] if self.groups else []
        if self.by_what == "value":
            what = [Part(text=self.value, data=True)]
        elif self.by_what == "other columns":
            what = [text("the first value of "), *joined(self.others)]
        else:
            what = [text(_WITH[self.by_what])]
        return [text("Fill missing values of "), *self.meant(), text(" with "), *what, *within, text(".")]

    def correct_among(self, cell: exp.Expr, column: Column, table: Sequence[Column]) -> Corrected:
        target = exp.DataType.build(SQL_TYPES[column.type], dialect="duckdb")
        if self.by_what == "value":
            found: exp.Expr = exp.TryCast(this=exp.Literal.string(self.value), to=target)
        elif self.by_what == "other columns":
            types = {each_column.name: each_column.type for each_column in table}
            cells = [
                col(n) if types[n] is column.type else exp.TryCast(this=as_text(col(n), types[n]), to=target)
                for n in self.others
            ]
            found = exp.Coalesce(this=cells[0], expressions=cells[1:])
        elif self.by_what in ("previous", "next"):
            found = self._beside(cell)
        elif self.by_what == "most frequent":
            found = self._most_frequent(cell)
        else:
            found = self._typical(cell, column, target)
        return Corrected(template("coalesce(:c, :f)", c=cell.copy(), f=found), column.type)

    def _beside(self, cell: exp.Expr) -> exp.Expr:
        before = self.by_what == "previous"
        spec = exp.WindowSpec(
            kind="ROWS", start="UNBOUNDED" if before else "CURRENT ROW", start_side="PRECEDING" if before else None,
            end="CURRENT ROW" if before else "UNBOUNDED", end_side=None if before else "FOLLOWING",
        )  # fmt: skip
        value = template("last_value(:c IGNORE NULLS)" if before else "first_value(:c IGNORE NULLS)", c=cell)
        return exp.Window(this=value, **over(self.groups, ordered=True, spec=spec))

    def _most_frequent(self, cell: exp.Expr) -> exp.Expr:
        """The value of most records, the first in order among equals."""
        times = exp.Window(this=template("count(:c)", c=cell), **over((*self.groups, cell.name)))
        key = template("lpad(CAST(:t AS VARCHAR), 12, '0')", t=times)
        best = exp.Window(
            this=template("max(CASE WHEN :c IS NOT NULL THEN :k END)", c=cell, k=key), **over(self.groups)
        )
        return exp.Window(
            this=template("min(CASE WHEN :k = :b THEN :c END)", k=key, b=best, c=cell), **over(self.groups)
        )

    def _typical(self, cell: exp.Expr, column: Column, target: exp.Expr) -> exp.Expr:
        if column.type in (DataType.DATE, DataType.DATETIME, DataType.BOOLEAN):
            raise RulebookError(f"{column.name} holds no numbers, so it has no {self.by_what}.", column=column.name,
                                advice="Fill it with the most frequent value.")  # fmt: skip
        number = (
            exp.cast(cell.copy(), "DOUBLE")
            if column.type is not DataType.TEXT
            else template("read_number(:c)", c=as_text(cell, column.type))
        )
        # the order makes the sum, and so the last digit, the same in every run
        if self.by_what == "mean":
            whole = over(
                self.groups,
                ordered=True,
                spec=exp.WindowSpec(
                    kind="ROWS", start="UNBOUNDED", start_side="PRECEDING", end="UNBOUNDED", end_side="FOLLOWING"
                ),
            )
            value: exp.Expr = template("neat_number(:v)", v=exp.Window(this=template("avg(:n)", n=number), **whole))
        else:
            value = exp.Window(this=template("median(:n)", n=number), **over(self.groups))
        if column.type is DataType.TEXT:
            return template("write_number(:v)", v=value)
        return exp.cast(template("round(:v)", v=value) if column.type is DataType.WHOLE else value, target)


KIND = Fill
