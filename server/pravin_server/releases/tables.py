"""Released tables: real tables in the schema `released`, read through one view per feed.

Names and types are composed by the driver; the rows come by COPY.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa
from django.db import InternalError, connection
from psycopg import errors, sql
from pyarrow import csv

from pravin_core.stopping import go_on
from pravin_core.tables.types import DataType
from pravin_server.common.errors import Conflict
from pravin_server.releases.models import SupersededRecord

SCHEMA = "released"
READER = "pravin_reader"
DELIVERY_COLUMN, RECORD_COLUMN = "pravin_delivery", "pravin_record"
_SUPERSEDED = SupersededRecord._meta.db_table
_TYPES = {
    DataType.WHOLE: "bigint",
    DataType.DECIMAL: "numeric",  # with the digits as they are written: sums in the database are exact
    DataType.EXACT: "numeric",
    DataType.DATE: "date",
    DataType.DATETIME: "timestamp",
    DataType.BOOLEAN: "boolean",
    DataType.TEXT: "text",
}


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


def make_table(table: str, columns: Sequence[tuple[str, DataType]], rows: Path) -> int:
    """Create a table and fill it from CSV (record number first); returns the number of rows. None is ever replaced."""
    name = sql.Identifier(SCHEMA, table)
    fields = [sql.SQL("{} {}").format(sql.Identifier(c), sql.SQL(_TYPES[kind])) for c, kind in columns]
    key = sql.SQL("{} bigint PRIMARY KEY").format(sql.Identifier(RECORD_COLUMN))
    with connection.cursor() as cursor:
        cursor.execute(sql.SQL("CREATE TABLE {} ({})").format(name, sql.SQL(", ").join([key, *fields])))
        named = [sql.Identifier(RECORD_COLUMN), *(sql.Identifier(c) for c, _ in columns)]
        into = sql.SQL("COPY {} ({}) FROM STDIN (FORMAT CSV)").format(name, sql.SQL(", ").join(named))
        with cursor.copy(into) as copy, rows.open("rb") as file:
            while piece := file.read(2**20):
                go_on()
                copy.write(piece)
        cursor.execute(sql.SQL("SELECT count(*) FROM {}").format(name))
        return int(cursor.fetchone()[0])


@dataclass(frozen=True)
class ShownPart:
    """A release in a view: its table, its id, the number of its delivery, and by name what each column is called and holds there."""

    table: str
    release: int
    delivery: int
    columns: dict[str, tuple[str, DataType]]


def show_view(
    view: str,
    parts: Sequence[ShownPart],
    columns: Sequence[tuple[str, str, DataType]],
    shows_origin: bool,
    by_key: bool,
) -> None:
    """Let a view show the records of releases below each other (`columns`: name, name in the database, type), at once for all
    readers; with `by_key` without those superseded. Only the view is readable. Without parts there is none.

    A view whose columns stay (new ones come last) is replaced, so that what others build on it stands.
    """
    name = sql.Identifier(SCHEMA, view)
    with connection.cursor() as cursor:
        cursor.execute("SET LOCAL lock_timeout = '10s'")
        fields = [(database, _TYPES[kind]) for _, database, kind in columns]
        fields += [(DELIVERY_COLUMN, "integer"), (RECORD_COLUMN, "bigint")] if shows_origin else []
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
        body = sql.SQL(" UNION ALL ").join(_selected(part, columns, shows_origin, by_key) for part in parts)
        cursor.execute(sql.SQL("CREATE OR REPLACE VIEW {} AS {}").format(name, body))
        cursor.execute(sql.SQL("GRANT SELECT ON {} TO {}").format(name, sql.Identifier(READER)))


def _columns_of(cursor: Any, view: str) -> list[tuple[str, str]]:
    """The columns of a view and their types, in order; none when there is no view."""
    cursor.execute(
        "SELECT a.attname, CASE t.typname WHEN 'int8' THEN 'bigint' WHEN 'int4' THEN 'integer' WHEN 'bool' THEN 'boolean'"
        " ELSE t.typname END FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid JOIN pg_class c ON c.oid = a.attrelid"
        " JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = %s AND c.relname = %s AND a.attnum > 0 ORDER BY a.attnum",
        [SCHEMA, view],
    )
    return [(str(name), str(kind)) for name, kind in cursor.fetchall()]


def _selected(
    part: ShownPart, columns: Sequence[tuple[str, str, DataType]], shows_origin: bool, by_key: bool
) -> sql.Composed:
    cells: list[sql.Composable] = []
    for name, database, kind in columns:
        own, own_kind = part.columns.get(name, (None, kind))
        value: sql.Composable = sql.SQL("NULL") if own is None else sql.Identifier("t", own)
        if own is None or _TYPES[own_kind] != _TYPES[kind]:
            if kind is DataType.TEXT and _TYPES[own_kind] == "numeric":  # 7, not 7.0: as it is written everywhere
                value = sql.SQL("trim_scale({})").format(value)
            value = sql.SQL("CAST({} AS {})").format(value, sql.SQL(_TYPES[kind]))
        cells.append(sql.SQL("{} AS {}").format(value, sql.Identifier(database)))
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
