"""Append another table."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Example, Part, TableCorrection, text, text_of
from pravin_core.rules.lookups import KeyMatch, pairs_in_words
from pravin_core.rules.reshaping import Reference, Table, TableTransform, row_number
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import ADDED, FILE, LINE, PLACE, RECORD, Column
from pravin_core.tables.names import cells_changed, cells_failed, failed_text, reference
from pravin_core.tables.types import SQL_TYPES, DataType


class AppendTable(TableCorrection):
    """Columns are matched by name, letter case aside; what the other table lacks is missing. Added records have the
    numbers after the last one; their line is the record of the other table. A value that does not fit the type of a
    column is quarantined.
    """

    title = "Append a table"
    group = "Table"
    about = "Adds the records of a reference table below those of the delivery: all, or only those not here yet."
    synonyms = (
        "full join",
        "full outer join",
        "right join",
        "outer join",
        "anti join",
        "not matched",
        "union",
        "union all",
        "concat",
        "concatenate tables",
        "stack",
        "add rows",
    )
    examples = (
        Example(
            rule={"reference": "other", "more_columns": True},
            before={"a": ["1", None], "b": ["x", "y"]},
            after={"a": ["1", None, "3", None], "b": ["x", "y", None, None], "c": [None, None, "u", "v"]},
            references={"other": {"A": ["3", None], "c": ["u", "v"]}},
        ),
        Example(
            rule={"reference": "other", "keys": [{"code": "a", "meaning": "a"}]},
            before={"a": ["1", None], "b": ["x", "y"]},
            after={"a": ["1", None, "3", None], "b": ["x", "y", "v", "w"]},
            references={"other": {"a": ["1", "3", None], "b": ["u", "v", "w"]}},
        ),
    )

    adds_records = True
    kind: Literal["append-table"] = "append-table"
    reference: str = Field(min_length=1, max_length=200, title="Table", json_schema_extra={"widget": "reference"})
    more_columns: bool = Field(default=False, title="Its other columns too", json_schema_extra={"widget": "switch"})

    keys: tuple[KeyMatch, ...] = Field(
        default=(), max_length=10, title="Only those not here yet, by",
        json_schema_extra={"widget": "key pairs", "empty": "all records"},
    )  # fmt: skip

    def needs(self) -> tuple[str, ...]:
        return tuple(key.code for key in self.keys)

    def sentence(self) -> list[Part]:
        more = ", with its other columns" if self.more_columns else ""
        by = [text(" that are not here yet, where "), *pairs_in_words(self.keys)] if self.keys else []
        return [text("Append the records of "), Part(text=self.reference, data=True), *by, text(f"{more}.")]

    def reshape(self, table: Table) -> TableTransform:
        other = table.references[self.reference]
        theirs = {column.name.lower(): column for column in other.columns}
        own = {column.name.lower() for column in table.columns}
        new = [column for column in other.columns if column.name.lower() not in own] if self.more_columns else []
        columns = (*table.columns, *(Column(each_column.name, each_column.type) for each_column in new))
        nothing = {cells_changed(table.number): _zero(), cells_failed(table.number): _zero()}
        upper_cells = [
            *table.cells(),
            *((each_column, exp.cast(exp.null(), SQL_TYPES[each_column.type])) for each_column in new),
        ]
        lost_names = [
            failed_text(table.number, at)
            for at, each_column in enumerate(table.columns)
            if each_column.type is not DataType.TEXT
        ]
        typed = [column for column in table.columns if column.type is not DataType.TEXT]
        empty = {name: exp.cast(exp.null(), "VARCHAR") for name in lost_names}
        upper = table.select(upper_cells, {**nothing, **empty})
        last = exp.select(template("max(:r)", r=col(RECORD))).from_(table.name).subquery()
        last_place = exp.select(template("max(:r)", r=col(table.order))).from_(table.name).subquery()
        position = row_number([col(RECORD)])
        kept: dict[str, exp.Expr] = {
            RECORD: template("CAST(coalesce(:l, 0) + :p AS BIGINT)", l=last, p=position),
            FILE: exp.cast(exp.null(), "SMALLINT"), LINE: exp.cast(col(RECORD), "BIGINT"),
            ADDED: exp.Literal.number(table.number),
            PLACE: template("CAST(coalesce(:l, 0) + :p AS BIGINT)", l=last_place, p=position),
        }  # fmt: skip
        for name in table.system_columns:
            counts = name[2:3] in "euw" and name[3:4].isdigit()
            kept.setdefault(name, exp.Literal.number(0) if counts and name[2] != "w" else exp.null())
        lower_cells, lost = [], {}
        for column in columns:
            source = theirs.get(column.name.lower())
            cell: exp.Expr = (
                exp.null()
                if source is None
                else template("nullif(:c, '')", c=col(source.name))
                if source.type is DataType.TEXT
                else col(source.name)
            )
            try_cast = exp.TryCast(this=cell, to=exp.DataType.build(SQL_TYPES[column.type], dialect="duckdb"))
            lower_cells.append((column, try_cast))
            if column in typed:
                lost[lost_names[typed.index(column)]] = template(
                    "CASE WHEN :m IS NULL THEN CAST(:c AS VARCHAR) END", m=try_cast, c=cell
                )
        lower = table.select(lower_cells, {**kept, **nothing, **lost}, self._added(table, other))
        both = exp.select(exp.Star()).from_(exp.union(upper, lower, distinct=False).subquery("both"))
        carried = (*nothing, *lost_names)
        return TableTransform(
            ((table.step(1), both),),
            columns,
            len(new),
            carried,
            tuple(zip([each_column.name for each_column in typed], lost_names, strict=True)),
        )

    def _added(self, table: Table, other: Reference) -> exp.Expr:
        """The records of the other table that are appended: all, or those whose key no record still there has. A key with a
        missing part is nobody else's.
        """
        theirs = exp.to_table(reference(self.reference))
        if not self.keys:
            return theirs
        for name in (key.meaning for key in self.keys):
            if name not in {column.name for column in other.columns}:
                raise RulebookError(f"The table {self.reference!r} has no column {name!r}.", rule=self.id, column=name)
        live = exp.select(
            *(exp.alias_(text_of(key.code, table.columns), f"__key{at}") for at, key in enumerate(self.keys))
        ).from_(table.name).where(table.live)  # fmt: skip
        on = exp.and_(*(
            exp.EQ(
                this=template("nullif(:c, '')", c=text_of(key.meaning, other.columns, "theirs")),
                expression=exp.column(f"__key{at}", table="here"),
            )
            for at, key in enumerate(self.keys)
        ))  # fmt: skip
        missing = exp.Not(this=exp.Exists(this=exp.select("1").from_(live.subquery("here")).where(on)))
        return exp.select("*").from_(theirs.as_("theirs")).where(missing).subquery("added")


def _zero() -> exp.Expr:
    return exp.cast(exp.Literal.number(0), "INTEGER")


KIND = AppendTable
