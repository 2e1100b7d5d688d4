"""Join the items of several records into one cell: what breaking cells into records did, turned round."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCorrection, as_text, joined, text
from pravin_core.rules.reshaping import Table, TableTransform
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import GONE, MADE_FROM, MERGED_INTO, RECORD, Column
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
        own = template("coalesce(:m, :r)", m=col(MADE_FROM), r=col(RECORD))
        keys = [col(name) for name in self.groups] or [own]
        order = col(table.order)
        listed = template("list(:c ORDER BY :o) FILTER (WHERE :c IS NOT NULL)", c=as_text(col(self.column)), o=order)
        items = template("each_once(:l)", l=listed) if self.once else listed
        made = template("nullif(array_to_string(:l, :m), '')", l=items, m=exp.Literal.string(self.mark))
        first = template("arg_min(:r, :o)", r=col(RECORD), o=order)
        named = [exp.alias_(key, f"__key{at}") for at, key in enumerate(keys)]
        summed = exp.select(*named, exp.alias_(first, "__first"), exp.alias_(made, "__items"))
        summed = summed.from_(table.name).where(table.live).group_by(*(key.copy() for key in keys))
        on: exp.Expr = template(":g IS NULL", g=col(GONE, "t"))
        for at, name in enumerate(self.groups):
            same = template(":c IS NOT DISTINCT FROM :k", c=col(name, "t"), k=exp.column(f"__key{at}", table="s"))
            on = exp.and_(on, same)
        if not self.groups:
            one = template("coalesce(:m, :r)", m=col(MADE_FROM, "t"), r=col(RECORD, "t"))
            on = exp.and_(on, template(":c = s.__key0", c=one))
        is_first = template(":r = s.__first", r=col(RECORD, "t"))
        old = col(self.column, "t")
        new = template("CASE WHEN :own THEN s.__items ELSE :old END", own=is_first, old=as_text(old))
        cells = [
            (Column(column.name), new) if column.name == self.column else (column, col(column.name, "t"))
            for column in table.columns
        ]
        merged = template("s.__first IS NOT NULL AND NOT :own", own=exp.paren(is_first.copy()))
        number = exp.Literal.number(table.number)
        differs = template(
            "CASE WHEN :own AND s.__items IS DISTINCT FROM :old THEN 1 ELSE 0 END",
            own=is_first.copy(),
            old=as_text(old),
        )
        carried = {
            GONE: template("CASE WHEN :m THEN :n ELSE :g END", m=merged, n=number, g=col(GONE, "t")),
            MERGED_INTO: template("CASE WHEN :m THEN s.__first ELSE :i END", m=merged.copy(), i=col(MERGED_INTO, "t")),
            cells_changed(table.number): exp.cast(differs, "INTEGER"),
            cells_failed(table.number): exp.cast(exp.Literal.number(0), "INTEGER"),
        }
        result = table.select(cells, carried, exp.to_table(table.name).as_("t"), "t")
        result = result.join(summed.subquery("s"), on=on, join_type="left")
        columns = tuple(column for column, _ in cells)
        more = (cells_changed(table.number), cells_failed(table.number))
        return TableTransform(((table.step(1), result),), columns, 0, more)


KIND = JoinRecords
