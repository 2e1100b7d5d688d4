"""Turn records into columns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Example, Part, TableCorrection, joined, text, text_of
from pravin_core.rules.reshaping import Table, TableTransform, row_number
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import GONE, MERGED_INTO, RECORD, Column
from pravin_core.tables.names import cells_changed, cells_failed, failed_text


class RecordsToColumns(TableCorrection):
    """Records alike in the key become one, the first of them, with a column for each listed name. A record whose name is
    not listed, or whose name occurred before under the same key, is not merged: it is quarantined with its value.
    """

    title = "Records to columns"
    group = "Table"
    about = "Makes one record of all with the same key: the values of a column go into columns named by another one."
    synonyms = ("pivot", "long to wide", "reshape", "crosstab", "transpose")
    examples = (
        Example(
            rule={"keys": ["s"], "names": "analyte", "values": "result", "into": ["no3", "po4"]},
            before={
                "s": ["1", "1", "2"],
                "analyte": ["no3", "po4", "no3"],
                "result": ["5.2", "0.1", None],
                "x": ["p", "q", "r"],
            },
            after={"s": ["1", "2"], "no3": ["5.2", None], "po4": ["0.1", None]},
        ),
    )

    adds_records = True
    kind: Literal["records-to-columns"] = "records-to-columns"
    keys: tuple[str, ...] = Field(min_length=1, max_length=50, title="Key", json_schema_extra={"widget": "columns"})
    names: str = Field(min_length=1, max_length=2000, title="Names from", json_schema_extra={"widget": "column"})
    values: str = Field(min_length=1, max_length=2000, title="Values from", json_schema_extra={"widget": "column"})
    into: tuple[str, ...] = Field(
        min_length=1,
        max_length=500,
        title="Columns to make",
        json_schema_extra={"widget": "names", "values_of": "names"},
    )

    def needs(self) -> tuple[str, ...]:
        return (*self.keys, self.names, self.values)

    def sentence(self) -> list[Part]:
        return [
            text("Make one record for each "), *joined(self.keys), text(", the values of "), Part(text=self.values, data=True),
            text(" into columns named by "), Part(text=self.names, data=True), text("."),
        ]  # fmt: skip

    def reshape(self, table: Table) -> TableTransform:
        by_name = {column.name: column for column in table.columns}
        if clash := {name.lower() for name in self.into} & {name.lower() for name in self.keys}:
            raise RulebookError(f"The column {min(clash)!r} is part of the key.", rule=self.id, column=min(clash))
        keys = [col(name) for name in self.keys]
        name = text_of(self.names, table.columns)
        listed = exp.Array(expressions=[exp.Literal.string(each_text) for each_text in self.into])
        known = [
            col(RECORD),
            col("__file"),
            col("__line"),
            *(col(column.name) for column in table.columns),
            *(col(n) for n in table.system_columns),
        ]
        order = col(table.order)
        nth = row_number([order], [template(":g IS NULL", g=col(GONE)), *keys, name])
        fits = template(":g IS NULL AND coalesce(list_contains(:l, :n), false)", g=col(GONE), l=listed, n=name)
        ranked = exp.select(*known, exp.alias_(nth, "__nth"), exp.alias_(fits, "__fits")).from_(table.name)
        text_, two = table.step(1), table.step(2)
        merges = template("__fits AND __nth = 1")
        group = self._over([merges, *keys], order)
        first = exp.Window(this=template("first_value(:r)", r=col(RECORD)), **group)
        results = [
            exp.alias_(exp.Window(
                this=template("max(CASE WHEN :n = :v THEN :c END)", n=name, v=exp.Literal.string(each), c=col(self.values)),
                partition_by=[merges.copy(), *keys]), f"__v{at}")
            for at, each in enumerate(self.into)
        ]  # fmt: skip
        spread = exp.select(*known, col("__fits"), col("__nth"), exp.alias_(first, "__first"), *results).from_(text_)
        own = template("__fits AND __nth = 1 AND __first = :r", r=col(RECORD))
        kind = by_name[self.values].type
        new = tuple(Column(each, kind) for each in self.into)
        cells = [(by_name[key], col(key)) for key in self.keys]
        cells += [(each, template(f"CASE WHEN :own THEN __v{at} END", own=own)) for at, each in enumerate(new)]
        merged = template("__fits AND __nth = 1 AND __first <> :r", r=col(RECORD))
        left = template(":g IS NULL AND NOT (__fits AND __nth = 1)", g=col(GONE))
        lost = failed_text(table.number, 0)
        tracing = {
            GONE: template(
                "CASE WHEN :m THEN :n ELSE :g END", m=merged, n=exp.Literal.number(table.number), g=col(GONE)
            ),
            MERGED_INTO: template("CASE WHEN :m THEN __first ELSE :i END", m=merged, i=col(MERGED_INTO)),
            cells_changed(table.number): exp.cast(exp.Literal.number(0), "INTEGER"),
            cells_failed(table.number): template("CASE WHEN :l THEN 1 ELSE 0 END", l=left),
            lost: template(
                "CASE WHEN :l THEN concat_ws(' = ', :n, :v) END", l=left, n=name, v=text_of(self.values, table.columns)
            ),
        }
        result = table.select(cells, tracing, exp.to_table(two))
        carried = (cells_changed(table.number), cells_failed(table.number), lost)
        columns = (*(by_name[key] for key in self.keys), *new)
        return TableTransform(
            ((text_, ranked), (two, spread), (table.step(3), result)), columns, len(new), carried, ((self.names, lost),)
        )

    def _over(self, groups: Sequence[exp.Expr], order: exp.Expr) -> dict[str, object]:
        return {
            "partition_by": [group.copy() for group in groups], "order": exp.Order(expressions=[exp.Ordered(this=order.copy())]),
            "spec": exp.WindowSpec(kind="ROWS", start="UNBOUNDED", start_side="PRECEDING", end="UNBOUNDED", end_side="FOLLOWING"),
        }  # fmt: skip


KIND = RecordsToColumns
