"""What changed from one released table to another, by key: records added, gone and changed, counted exactly, with their values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict
from sqlglot import exp

from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect
from pravin_core.sql.statements import copy_to, read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD
from pravin_core.tables.folders import made_whole
from pravin_core.tables.types import DataType

ChangeOf = Literal["added", "gone", "changed"]
_FILE, _COUNTS = "changes.parquet", "counts.json"


@dataclass(frozen=True)
class Side:
    """A table to compare: its Parquet files, its columns, the column of the files with the record numbers, and whether the files are a
    run's result, of which the ready records count.
    """

    files: tuple[Path, ...]
    columns: tuple[tuple[str, DataType], ...]
    record: str
    of_run: bool = False


class ColumnChanges(BaseModel):
    """In how many of the records that both tables have a column's value is another one."""

    model_config = ConfigDict(frozen=True)

    name: str
    records: int


class Changes(BaseModel):
    """Records by what became of them, columns by how often they changed (those that did), and columns that only one table has.

    `repeated`: records, of both tables, whose key is there more than once; they are paired in their order.
    """

    model_config = ConfigDict(frozen=True)

    added: int
    gone: int
    changed: int
    same: int
    repeated: int
    columns: tuple[ColumnChanges, ...]
    columns_added: tuple[str, ...]
    columns_gone: tuple[str, ...]


def compare(before: Side, after: Side, key: Sequence[str], folder: Path, limits: Limits = Limits()) -> Changes:
    """Compare two tables by a key that both have, and keep in `folder` which records changed; made once.

    Keys, and values whose types differ, are compared as written text; values of one type as they are. A missing part of a key is
    equal to a missing one.
    """
    counts = folder / _COUNTS
    if not counts.exists():
        with made_whole(folder, lambda place: (place / _COUNTS).exists()) as work:
            places = [work, *(path.parent for side in (before, after) for path in side.files)]
            with connect(places, work / "scratch", limits) as con:
                (work / _COUNTS).write_text(_compared(con, before, after, key, work / _FILE).model_dump_json())
    return Changes.model_validate_json(counts.read_text())


def _compared(con: Connection, before: Side, after: Side, key: Sequence[str], target: Path) -> Changes:
    repeats = {side: _repeated(con, side, key) for side in (before, after)}
    paired = any(repeated for _, repeated in repeats.values())
    common = _common(before, after)
    con.execute(sql(copy_to(_changes(before, after, key, common, paired), target, format="parquet")))
    kinds = dict(
        con.execute(sql(exp.select("kind", "count(*)").from_(read_parquet([target])).group_by("kind"))).fetchall()
    )
    by_column = template(
        "SELECT name, count(*) FROM (SELECT unnest(columns) AS name FROM :file) GROUP BY name",
        file=read_parquet([target]),
    )
    times = dict(con.execute(sql(by_column)).fetchall())
    added, gone, changed = (int(kinds.get(kind, 0)) for kind in ("added", "gone", "changed"))
    own = {name for name, _ in before.columns}, {name for name, _ in after.columns}
    return Changes(
        added=added,
        gone=gone,
        changed=changed,
        same=repeats[before][0] - gone - changed,
        repeated=sum(repeated for _, repeated in repeats.values()),
        columns=tuple(ColumnChanges(name=name, records=int(times[name])) for name in common if name in times),
        columns_added=tuple(name for name, _ in after.columns if name not in own[0]),
        columns_gone=tuple(name for name, _ in before.columns if name not in own[1]),
    )


def _common(before: Side, after: Side) -> list[str]:
    earlier = {name for name, _ in before.columns}
    return [name for name, _ in after.columns if name in earlier]


def records_of(side: Side) -> exp.Select:
    """The records of a table, to select from."""
    rows = exp.select().from_(read_parquet(side.files))
    return rows.where(template(":s IN ('ready', 'corrected')", s=column(names.STATE))) if side.of_run else rows


def _key(side: Side, key: Sequence[str]) -> list[exp.Expr]:
    types = dict(side.columns)
    return [written(column(name), types[name]) for name in key]


def _repeated(con: Connection, side: Side, key: Sequence[str]) -> tuple[int, int]:
    """How many records a table has, and how many of them share their key with another."""
    grouped = records_of(side).select(template("count(*)").as_("n")).group_by(*_key(side, key))
    query = template("SELECT coalesce(sum(n), 0), coalesce(sum(n) FILTER (n > 1), 0) FROM :g", g=grouped.subquery("g"))
    records, repeated = con.execute(sql(query)).fetchone() or (0, 0)
    return int(records), int(repeated)


def _side(side: Side, key: Sequence[str], compared: dict[str, bool], paired: bool) -> exp.Select:
    """A table with its key as `k0`, `k1` …, the columns to compare as `c0`, `c1` … (as they are where both tables have the same type,
    else as text), its record number, and its place among those of its key.
    """
    types, parts = dict(side.columns), _key(side, key)
    place: exp.Expr = exp.convert(1)
    if paired:
        place = exp.Window(
            this=exp.RowNumber(),
            partition_by=parts,
            order=exp.Order(expressions=[exp.Ordered(this=column(side.record))]),
        )
    cells = [
        exp.alias_(column(name) if is_alike else written(column(name), types[name]), f"c{at}")
        for at, (name, is_alike) in enumerate(compared.items())
    ]
    told = [exp.alias_(part, f"k{at}") for at, part in enumerate(parts)]
    return records_of(side).select(*told, *cells, exp.alias_(column(side.record), "record"), exp.alias_(place, "place"))


def _changes(before: Side, after: Side, key: Sequence[str], common: Sequence[str], paired: bool) -> exp.Expr:
    """The records that are not the same: `kind`, their numbers in both tables, the columns that changed."""
    earlier, later = dict(before.columns), dict(after.columns)
    compared = [name for name in common if name not in key]
    alike = {name: earlier[name] is later[name] for name in compared}
    sides = [_side(side, key, alike, paired) for side in (before, after)]
    match = [template(f"a.k{at} IS NOT DISTINCT FROM b.k{at}") for at in range(len(key))]
    differs = [
        template(f"CASE WHEN a.c{at} IS DISTINCT FROM b.c{at} THEN :name END", name=exp.Literal.string(name))
        for at, name in enumerate(compared)
    ]
    changed = template(
        "list_filter(:differs, lambda __item: __item IS NOT NULL)",
        differs=exp.Array(expressions=differs or [exp.null()]),
    )
    joined = template(
        "SELECT a.record AS before, b.record AS after,"
        " CASE WHEN a.record IS NULL OR b.record IS NULL THEN CAST([] AS VARCHAR[]) ELSE CAST(:changed AS VARCHAR[]) END AS columns"
        " FROM :before AS a FULL JOIN :after AS b ON a.place = b.place AND :match",
        changed=changed, before=exp.paren(sides[0]), after=exp.paren(sides[1]), match=exp.and_(*match),
    )  # fmt: skip
    return template(
        "SELECT CASE WHEN before IS NULL THEN 'added' WHEN after IS NULL THEN 'gone' ELSE 'changed' END AS kind, before, after, columns"
        " FROM :joined AS j WHERE before IS NULL OR after IS NULL OR len(columns) > 0 ORDER BY coalesce(after, before), before",
        joined=exp.paren(joined),
    )


def changed_records(
    before: Side,
    after: Side,
    folder: Path,
    kind: ChangeOf,
    name: str,
    offset: int,
    limit: int,
    scratch: Path,
    limits: Limits = Limits(),
) -> list[dict[str, Any]]:
    """A page of the records that were added, gone or changed (with `name`: in that column): `before` and `after` (their numbers),
    `columns` (those that changed), and the values then and now by column, as written text; missing where there is no record.
    """
    query = template(
        "SELECT before, after, columns FROM :file WHERE kind = :kind", file=read_parquet([folder / _FILE]), kind=kind
    )
    assert isinstance(query, exp.Select)
    if name:
        query = query.where(template("list_contains(columns, :n)", n=exp.Literal.string(name)))
    places = [folder, *(path.parent for side in (before, after) for path in side.files)]
    with connect(places, scratch, limits) as con:
        rows = con.execute(sql(query.limit(limit).offset(offset))).fetchall()
        values = [_values(con, side, [row[at] for row in rows]) for at, side in enumerate((before, after))]
    return [
        {
            "before": a,
            "after": b,
            "columns": columns,
            "values_before": values[0].get(a),
            "values_after": values[1].get(b),
        }
        for a, b, columns in rows
    ]


def _values(con: Connection, side: Side, records: Sequence[int | None]) -> dict[int | None, dict[str, str | None]]:
    requested = [exp.convert(record) for record in records if record is not None]
    if not requested:
        return {}
    cells = [exp.alias_(written(column(name), kind), name, quoted=True) for name, kind in side.columns]
    query = (
        records_of(side)
        .select(column(side.record), *cells)
        .where(exp.In(this=column(side.record), expressions=requested))
    )
    named = [name for name, _ in side.columns]
    return {row[0]: dict(zip(named, row[1:], strict=True)) for row in con.execute(sql(query)).fetchall()}


def of_result(files: Sequence[Path], columns: Sequence[tuple[str, str]]) -> Side:
    """The ready records of a run's result as a table to compare."""
    return Side(tuple(files), tuple((name, DataType(kind)) for name, kind in columns), RECORD, of_run=True)
