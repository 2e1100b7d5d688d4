"""Wanted results that stand in a code list or in another table, at the value of a column."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.formulas.by_example.pieces import Piece
from pravin_core.formulas.by_example.rows import Row, rows_of
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import sql, template
from pravin_core.sql.written import written
from pravin_core.tables.columns import RECORD, Column

MOST_LINES = 2_000  # of another table, at the values of the examples
MOST_COLUMNS = 60
CodeLists = Mapping[str, Sequence[tuple[str, str]]]


@dataclass(frozen=True)
class OtherTable:
    """A table that may be looked into: where it is read from, and its columns."""

    source: exp.Expr
    columns: tuple[Column, ...]


@dataclass(frozen=True)
class Lookup:
    """Where the wanted results stand: the meaning in a code list, or column `take` of a table where `key` is the value.

    `untreated` counts the different values of `column` that are not listed.
    """

    column: str
    code_list: str
    table: str
    key: str
    take: str
    different: int
    untreated: int
    rows: tuple[Row, ...]


def lookups(
    con: Connection,
    given: str,
    columns: Sequence[Column],
    wholes: Sequence[Piece],
    wanted: Sequence[str | None],
    lists: CodeLists,
    tables: Mapping[str, OtherTable],
) -> Iterator[Lookup]:
    """Every list and table in which each example's value of a column leads to the wanted result."""
    for column, whole in zip(columns, wholes, strict=True):
        pairs = list(zip(whole.values, wanted, strict=True))
        if any(value is None for value, _ in pairs) or all(value == result for value, result in pairs):
            continue
        for name, lines in lists.items():
            meanings: dict[str, str] = dict(lines)
            if all((meanings.get(value or "") or None) == result for value, result in pairs):
                codes = [exp.Literal.string(code) for code in meanings]
                texts = [exp.Literal.string(meaning) for meaning in meanings.values()]
                listed = exp.select(
                    template("unnest(:c)", c=exp.Array(expressions=codes)).as_("k"),
                    template("unnest(:m)", m=exp.Array(expressions=texts)).as_("v"),
                )
                different, untreated, rows = _treated(con, given, column, listed)
                yield Lookup(column.name, name, "", "", "", different, untreated, rows)
        for name, table in tables.items():
            for key, take in _leading(con, table, pairs):
                different, untreated, rows = _treated(con, given, column, _first_of_each(table, key, take))
                yield Lookup(column.name, "", name, key.name, take.name, different, untreated, rows)


def _leading(
    con: Connection, table: OtherTable, pairs: Sequence[tuple[str | None, str | None]]
) -> Iterator[tuple[Column, Column]]:
    """The columns of a table between which all pairs stand, the first line of each key counting."""
    few = table.columns[:MOST_COLUMNS]
    values = [exp.Literal.string(value) for value in sorted({value for value, _ in pairs if value is not None})]
    cells = [written(col(column.name), column.type) for column in few]
    meets = exp.or_(*(exp.In(this=cell.copy(), expressions=values) for cell in cells))
    query = exp.select(*(cell.as_(f"c{at}") for at, cell in enumerate(cells))).from_(_source(table)).where(meets)
    lines = con.execute(sql(query.order_by(col(RECORD)).limit(MOST_LINES))).fetchall()
    for key_at, key in enumerate(few):
        first: dict[str, tuple[str | None, ...]] = {}
        for line in lines:
            first.setdefault(line[key_at], line)
        if not all(value in first or result is None for value, result in pairs):
            continue
        for take_at, take in enumerate(few):
            if take is not key and all(
                (first[value][take_at] if value in first else None) == result for value, result in pairs
            ):
                yield key, take


def _first_of_each(table: OtherTable, key: Column, take: Column) -> exp.Select:
    """Each key with what stands in its first line."""
    found = written(col(key.name), key.type)
    value = template("arg_min(:v, :r)", v=written(col(take.name), take.type), r=col(RECORD))
    return exp.select(found.as_("k"), value.as_("v")).from_(_source(table)).group_by(found.copy())


def _source(table: OtherTable) -> exp.Expr:
    return exp.select("*").from_(table.source.copy()).subquery("other")


def _treated(con: Connection, given: str, column: Column, listed: exp.Select) -> tuple[int, int, tuple[Row, ...]]:
    """The different values of a column with what they lead to: how many, how many lead to nothing, and the first."""
    cell = written(col(column.name), column.type)
    values = exp.select(
        cell.as_("cell"), template("min(:r)", r=col(RECORD)).as_("__first"), template("count(*)").as_("__times")
    ).from_(given).group_by(cell.copy())  # fmt: skip
    matched = (
        exp.select("cell", "__first", "__times", exp.column("v", table="l").as_("__r0"))
        .from_(values.subquery("g"))
        .join(listed.subquery("l"), on="g.cell = l.k", join_type="LEFT")
    )
    con.execute(sql(temporary_table("matched", matched)))
    counts = exp.select(template("count(*)"), template("count_if(cell IS NOT NULL AND __r0 IS NULL)")).from_("matched")
    different, untreated = con.execute(sql(counts)).fetchall()[0]
    return different, untreated, rows_of(con, "matched", exp.Array(expressions=[exp.column("cell")]), "__r0")
