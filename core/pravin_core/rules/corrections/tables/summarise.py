"""Group records and summarise columns."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Example, Part, TableCorrection, as_text, joined, text
from pravin_core.rules.merging import is_first, merge, of_group
from pravin_core.rules.numeric import number_in
from pravin_core.rules.reshaping import Table, TableTransform
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

What = Literal[
    "records", "filled", "different", "sum", "mean", "median", "lowest", "highest", "spread", "first", "last", "list"
]
_NUMBERS = {
    "sum": "exact_sum(:n)", "mean": "neat_number(exact_sum(:n) / count(:n))", "median": "neat_number(median(:n))",
    "spread": "neat_number(stddev_samp(:n ORDER BY :o))",
}  # fmt: skip
_VALUES = {
    "lowest": "min(:c)", "highest": "max(:c)", "first": "arg_min(:c, CASE WHEN :c IS NOT NULL THEN :o END)",
    "last": "arg_max(:c, CASE WHEN :c IS NOT NULL THEN :o END)",
}  # fmt: skip
_COUNTS = {"records": "count(*)", "filled": "count(:c)", "different": "count(DISTINCT :c)"}


class Measure(BaseModel):
    """What is computed of a column (of no column: the number of records), and the name of the result."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    what: What = "records"
    column: str = Field(default="", max_length=2000)
    name: str = Field(min_length=1, max_length=200)


class Summarise(TableCorrection):
    """The first record of each group stays and carries the results; the others are removed into it. Texts that read as
    numbers count for sum, mean, median and spread (sample standard deviation), others are left out.
    """

    title = "Group and summarise"
    group = "Table"
    about = "Makes one record of all that are alike in some columns, with counts, sums, means and the like of others."
    synonyms = (
        "group by", "aggregate", "sum", "count", "average", "mean", "min", "max", "total", "pivot", "rollup",
        "summarize",
    )  # fmt: skip
    examples = (
        Example(
            rule={
                "groups": ["g"],
                "measures": [
                    {"what": "records", "name": "n"}, {"what": "mean", "column": "v", "name": "mean"},
                    {"what": "highest", "column": "v", "name": "top"}, {"what": "list", "column": "v", "name": "all"},
                ],
            },
            before={"g": ["p", "q", "p", None], "v": ["1", "5", "2", None]},
            after={"g": ["p", "q", None], "n": [2, 1, 1], "mean": [1.5, 5.0, None], "top": ["2", "5", None], "all": ["1, 2", "5", None]},
        ),
    )  # fmt: skip

    adds_records = True
    kind: Literal["summarise"] = "summarise"
    groups: tuple[str, ...] = Field(
        min_length=1, max_length=50, title="Group by", json_schema_extra={"widget": "columns"}
    )
    measures: tuple[Measure, ...] = Field(
        min_length=1, max_length=200, title="Results", json_schema_extra={"widget": "measures"}
    )

    def needs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((*self.groups, *(measure.column for measure in self.measures if measure.column))))

    def sentence(self) -> list[Part]:
        return [
            text("Group by "),
            *joined(self.groups),
            text(" and write "),
            *joined([measure.name for measure in self.measures]),
            text("."),
        ]

    def reshape(self, table: Table) -> TableTransform:
        by_name = {column.name: column for column in table.columns}
        new: list[Column] = []
        expressions: list[exp.Expr] = []
        for measure in self.measures:
            if measure.what != "records" and not measure.column:
                raise RulebookError(f"The result {measure.name!r} needs a column.", rule=self.id)
            column, value = self._measured(measure, by_name.get(measure.column), col(table.order))
            if column.name.lower() in {
                name.lower() for name in (*self.groups, *(each_column.name for each_column in new))
            }:
                raise RulebookError(f"Two columns would be called {column.name!r}.", rule=self.id, column=column.name)
            new.append(column)
            expressions.append(value)
        cells = [(by_name[name], col(name, "t")) for name in self.groups]
        cells += [
            (each_column, template("CASE WHEN :own THEN :m END", own=is_first(), m=of_group(at)))
            for at, each_column in enumerate(new)
        ]
        result = merge(table, self.groups, expressions, cells)
        columns = (*(by_name[name] for name in self.groups), *new)
        return TableTransform(((table.step(1), result),), columns, len(new))

    def _measured(self, measure: Measure, column: Column | None, order: exp.Expr) -> tuple[Column, exp.Expr]:
        cell = col(measure.column)
        if measure.what in _COUNTS:
            used = {"c": cell} if ":c" in _COUNTS[measure.what] else {}
            return Column(measure.name, DataType.WHOLE), template(f"CAST({_COUNTS[measure.what]} AS BIGINT)", **used)
        assert column is not None
        if measure.what == "list":
            value = template("string_agg(:c, ', ' ORDER BY :o)", c=as_text(cell, column.type), o=order)
            return Column(measure.name), value
        if measure.what in _VALUES:
            text_ = _VALUES[measure.what]
            used = {"c": cell, **({"o": order} if ":o" in text_ else {})}
            return Column(measure.name, column.type), template(text_, **used)
        if measure.what == "sum" and column.type is DataType.EXACT:
            return Column(measure.name, DataType.EXACT), template("as_exact(sum(:c))", c=cell)
        text_ = _NUMBERS[measure.what]
        used = {"n": number_in(cell, column), **({"o": order} if ":o" in text_ else {})}
        return Column(measure.name, DataType.DECIMAL), template(text_, **used)


KIND = Summarise
