"""Join the items of several records into one cell: what breaking cells into records did, turned round."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCorrection, joined, text, text_of
from pravin_core.rules.merging import is_first, merge, of_group
from pravin_core.rules.reshaping import Table, TableTransform
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.names import cells_changed, cells_failed


class JoinRecords(TableCorrection):
    """The first record of each group stays, with its other cells as they are, and takes the items of all in their order; the
    others are removed into it. Missing items are left out. Without columns, records that a rule made from the same record
    belong together. Items of numbers and dates are joined as they are written.
    """

    title = "Join records into lists"
    group = "Records"
    about = "Makes one record of those that belong together; their values of one column become a list in a cell."
    synonyms = (
        "implode",
        "string_agg",
        "group_concat",
        "concatenate rows",
        "collapse",
        "records to list",
        "join items",
        "undo split",
    )
    examples = (
        Example(
            rule={"column": "a", "mark": "|", "groups": ["b"]},
            before={"a": ["rain", "wind", "dry", None, "rain"], "b": ["1", "1", "2", "3", "1"]},
            after={"a": ["rain|wind", "dry", None], "b": ["1", "2", "3"]},
        ),
        Example(
            rule={"column": "a", "mark": ", ", "groups": ["b"], "once": False},
            before={"a": ["x", None, "y", "x"], "b": [None, "2", None, None]},
            after={"a": ["x, y, x", None], "b": [None, "2"]},
        ),
    )  # fmt: skip

    adds_records = True
    corrects = True
    kind: Literal["join-records"] = "join-records"
    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    mark: str = Field(default="|", min_length=1, max_length=20, title="Mark between items")
    groups: tuple[str, ...] = Field(
        default=(), max_length=50, title="Records alike in",
        json_schema_extra={"widget": "columns", "empty": "records that were one before a rule split them"},
    )  # fmt: skip
    once: bool = Field(default=True, title="Each item once", json_schema_extra={"widget": "switch"})

    def needs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.column, *self.groups)))

    def sentence(self) -> list[Part]:
        whose: list[Part] = (
            [text(" of records alike in "), *joined(self.groups)]
            if self.groups
            else [text(" of records that were one")]
        )
        what: list[Part] = [
            text("Join "),
            Part(text=self.column, data=True),
            text(" into lists with "),
            Part(text=self.mark, data=True),
        ]
        return [*what, *whose, text(f"{', each item once' if self.once else ''}.")]

    def reshape(self, table: Table) -> TableTransform:
        listed = template(
            "list(:c ORDER BY :o) FILTER (WHERE :c IS NOT NULL)",
            c=text_of(self.column, table.columns),
            o=col(table.order),
        )
        items = template("each_once(:l)", l=listed) if self.once else listed
        list_ = template("nullif(array_to_string(:l, :m), '')", l=items, m=exp.Literal.string(self.mark))
        old = text_of(self.column, table.columns, "t")
        new = template("CASE WHEN :own THEN :list ELSE :old END", own=is_first(), list=of_group(0), old=old)
        differs = template("(:own AND :list IS DISTINCT FROM :old)", own=is_first(), list=of_group(0), old=old)
        cells = [
            (Column(column.name), new) if column.name == self.column else (column, cell)
            for column, cell in table.cells("t")
        ]
        counts = {
            cells_changed(table.number): template("CASE WHEN :d THEN 1 ELSE 0 END", d=differs),
            cells_failed(table.number): exp.cast(exp.Literal.number(0), "INTEGER"),
        }
        result = merge(table, self.groups, [list_], cells, counts)
        return TableTransform(((table.step(1), result),), tuple(column for column, _ in cells), 0, tuple(counts))


KIND = JoinRecords
