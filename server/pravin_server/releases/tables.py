"""Released tables: real tables in the schema `released`, read through one view per feed.

Names and types are composed by the driver; the rows come by COPY.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import pyarrow as pa
from django.db import InternalError, connection
from psycopg import errors, sql
from pyarrow import csv

from pravin_core.releases.contract import ContractColumn
from pravin_core.stopping import go_on
from pravin_core.tables.types import DataType
from pravin_server.common.errors import Conflict
from pravin_server.releases.models import SupersededRecord
from pravin_server.releases.streaming import Rows

SCHEMA = "released"
READER = "pravin_reader"
DELIVERY_COLUMN, RECORD_COLUMN, RECORD_TYPE = "pravin_delivery", "pravin_record", "bigint"
_SORTED_WITHIN = "256MB"  # of memory the database sorts a key
_SUPERSEDED = SupersededRecord._meta.db_table
_TYPES = {  # as PostgreSQL itself names them
    DataType.WHOLE: "bigint",
    DataType.DECIMAL: "numeric",  # with the digits as they are written: sums in the database are exact
    DataType.EXACT: "numeric",
    DataType.DATE: "date",
    DataType.DATETIME: "timestamp without time zone",
    DataType.BOOLEAN: "boolean",
    DataType.TEXT: "text",
}


@dataclass(frozen=True)
class TableColumn:
    """A column of a released table: its name in the database, its type as PostgreSQL names it, whether a value is required, whether
    it is part of the primary key, and what is said of it.
    """

    name: str
    type: str
    required: bool = False
    key: bool = False
    comment: str = ""


def database_type(kind: DataType, agreed: ContractColumn | None = None) -> str:
    """The type of a column in the database: that of the contract with its sizes, else of its values."""
    if agreed is not None and agreed.length is not None:
        return f"character varying({agreed.length})"
    if agreed is not None and agreed.digits is not None:
        return f"numeric({agreed.digits},{agreed.decimals})"
    return _TYPES[agreed.type if agreed is not None else kind]


def database_names(names: Sequence[str]) -> list[str]:
    """Names that fit PostgreSQL: at most 63 bytes, each once, none of its own."""
    in_use = {DELIVERY_COLUMN, RECORD_COLUMN, "tableoid", "xmin", "cmin", "xmax", "cmax", "ctid"}
    result = []
    for name in names:
        requested, number = _cut(name, 63), 1
        while requested in in_use:
            number += 1
            requested = f"{_cut(name, 63 - len(str(number)) - 1)}_{number}"
        in_use.add(requested)
        result.append(requested)
    return result


def _cut(name: str, size: int) -> str:
    return name.encode()[:size].decode(errors="ignore")


def make_table(table: str, columns: Sequence[TableColumn], rows: Rows, comment: str = "") -> int:
    """Create a table and fill it (record number first); returns the number of rows. None is ever replaced.

    The key of the contract is its primary key, else the record number.
    """
    name, record = sql.Identifier(SCHEMA, table), sql.Identifier(RECORD_COLUMN)
    fields = [
        sql.SQL("{} {}{}").format(
            sql.Identifier(each.name), sql.SQL(each.type), sql.SQL(" NOT NULL" if each.required or each.key else "")
        )
        for each in columns
    ]
    key = [sql.Identifier(each.name) for each in columns if each.key] or [record]
    body = sql.SQL(", ").join([sql.SQL("{} {} NOT NULL").format(record, sql.SQL(RECORD_TYPE)), *fields])
    with connection.cursor() as cursor:
        cursor.execute(sql.SQL("CREATE TABLE {} ({})").format(name, body))
        named = [record, *(sql.Identifier(each.name) for each in columns)]
        into = sql.SQL("COPY {} ({}) FROM STDIN (FORMAT {}, FREEZE)")  # as it is new, whoever sees it sees all
        with cursor.copy(into.format(name, sql.SQL(", ").join(named), sql.SQL(rows.form))) as copy:
            for piece in rows.pieces:
                go_on()
                copy.write(piece)
        records = int(cursor.rowcount)
        cursor.execute(sql.SQL("SET LOCAL maintenance_work_mem = {}").format(sql.Literal(_SORTED_WITHIN)))
        cursor.execute(sql.SQL("ALTER TABLE {} ADD PRIMARY KEY ({})").format(name, sql.SQL(", ").join(key)))
        _say(cursor, "TABLE", name, comment)
        for each in columns:
            _say(cursor, "COLUMN", sql.Identifier(SCHEMA, table, each.name), each.comment)
        return records


def _say(cursor: Any, what: str, name: sql.Identifier, comment: str) -> None:
    cursor.execute(sql.SQL("COMMENT ON {} {} IS {}").format(sql.SQL(what), name, sql.Literal(comment or None)))


@dataclass(frozen=True)
class ShownPart:
    """A release in a view: its table, its id, the number of its delivery, and by name what each column is called and its type there."""

    table: str
    release: int
    delivery: int
    columns: dict[str, tuple[str, str]]


@dataclass(frozen=True)
class ShownColumn:
    """A column of a view: its name, what it is called in the database, what its values are, and what is said of it."""

    name: str
    database_name: str
    type: DataType
    comment: str = ""


def show_view(
    view: str,
    parts: Sequence[ShownPart],
    columns: Sequence[ShownColumn],
    shows_origin: bool,
    by_key: bool,
    readers: Sequence[str] = (),
) -> None:
    """Let a view show the records of releases below each other, at once for all readers; with `by_key` without those superseded.
    Only the view is readable, by `readers` (roles) and the one who reads all. Without parts there is none.

    A view whose columns stay (new ones come last) is replaced, so that what others build on it stands. A size of the contract (of a
    text, a number) is that of the view too where all parts have it: no value is ever cut or rounded to fit.
    """
    name = sql.Identifier(SCHEMA, view)
    shown = [(column, _type_of(column, parts)) for column in columns]
    fields = [(column.database_name, kind) for column, kind in shown]
    fields += [(DELIVERY_COLUMN, "integer"), (RECORD_COLUMN, "bigint")] if shows_origin else []
    with connection.cursor() as cursor:
        cursor.execute("SET LOCAL lock_timeout = '10s'")
        present = _columns_of(cursor, view)
        if not parts or fields[: len(present)] != present:
            try:
                cursor.execute(sql.SQL("DROP VIEW IF EXISTS {}").format(name))
            except InternalError as problem:
                if not isinstance(problem.__cause__, errors.DependentObjectsStillExist):
                    raise
                raise Conflict(
                    f"In the database something is built on {SCHEMA}.{view}, and the columns of that view change (or it ends). "
                    "Nothing was changed. Drop what is built on it, release, and create it again."
                ) from None
        if not parts:
            return
        body = sql.SQL(" UNION ALL ").join(_selected(part, shown, shows_origin, by_key) for part in parts)
        cursor.execute(sql.SQL("CREATE OR REPLACE VIEW {} AS {}").format(name, body))
        whose = sql.SQL(", ").join(sql.Identifier(role) for role in (READER, *readers))
        cursor.execute(sql.SQL("GRANT SELECT ON {} TO {}").format(name, whose))
        for column in columns:  # also where nothing is said any more
            _say(cursor, "COLUMN", sql.Identifier(SCHEMA, view, column.database_name), column.comment)


def _type_of(column: ShownColumn, parts: Sequence[ShownPart]) -> str:
    """The type of a column in a view: with its size where all parts that have it agree on one."""
    own = {part.columns[column.name][1] for part in parts if column.name in part.columns}
    return own.pop() if len(own) == 1 else _TYPES[column.type]


def _columns_of(cursor: Any, view: str) -> list[tuple[str, str]]:
    """The columns of a view and their types, in order; none when there is no view."""
    cursor.execute(
        "SELECT a.attname, format_type(a.atttypid, a.atttypmod) FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid"
        " JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = %s AND c.relname = %s AND a.attnum > 0 ORDER BY a.attnum",
        [SCHEMA, view],
    )
    return [(str(name), str(kind)) for name, kind in cursor.fetchall()]


def _selected(
    part: ShownPart, columns: Sequence[tuple[ShownColumn, str]], shows_origin: bool, by_key: bool
) -> sql.Composed:
    cells: list[sql.Composable] = []
    for column, kind in columns:
        own, own_kind = part.columns.get(column.name, (None, ""))
        value: sql.Composable = sql.SQL("NULL") if own is None else sql.Identifier("t", own)
        if own_kind != kind:
            if column.type is DataType.TEXT and own_kind.startswith(
                "numeric"
            ):  # 7, not 7.0: as it is written everywhere
                value = sql.SQL("trim_scale({})").format(value)
            value = sql.SQL("CAST({} AS {})").format(value, sql.SQL(kind))
        cells.append(sql.SQL("{} AS {}").format(value, sql.Identifier(column.database_name)))
    record = sql.Identifier("t", RECORD_COLUMN)
    if shows_origin:
        cells.append(sql.SQL("{} AS {}").format(sql.Literal(part.delivery), sql.Identifier(DELIVERY_COLUMN)))
        cells.append(record)
    shown = sql.SQL("SELECT {} FROM {} AS t").format(sql.SQL(", ").join(cells), sql.Identifier(SCHEMA, part.table))
    if not by_key:
        return shown
    gone = sql.SQL(" WHERE NOT EXISTS (SELECT FROM {} AS s WHERE s.release_id = {} AND s.record = {})")
    return shown + gone.format(sql.Identifier("public", _SUPERSEDED), sql.Literal(part.release), record)


def keep_superseded(changes: pa.Table) -> None:
    """Keep which records are superseded (rows of `release`, `record`, `superseded`), and no longer those that are not."""
    if not changes.num_rows:
        return
    kept, named = sql.Identifier("public", _SUPERSEDED), sql.Identifier("changes_of_superseded")
    with connection.cursor() as cursor:
        cursor.execute(
            sql.SQL(
                "CREATE TEMPORARY TABLE {} (release bigint, record bigint, superseded boolean) ON COMMIT DROP"
            ).format(named)
        )
        with cursor.copy(sql.SQL("COPY {} FROM STDIN (FORMAT CSV)").format(named)) as copy:
            for batch in changes.to_batches(max_chunksize=100_000):
                go_on()
                rows = io.BytesIO()
                csv.write_csv(batch, rows, csv.WriteOptions(include_header=False))
                copy.write(rows.getvalue())
        cursor.execute(
            sql.SQL("DELETE FROM {} s USING {} c WHERE s.release_id = c.release AND s.record = c.record AND NOT c.superseded")
            .format(kept, named)
        )  # fmt: skip
        cursor.execute(
            sql.SQL("INSERT INTO {} (release_id, record) SELECT release, record FROM {} WHERE superseded").format(
                kept, named
            )
        )
        cursor.execute(sql.SQL("DROP TABLE {}").format(named))
