"""Released tables: real tables in the schema `released`, read through one view per feed.

Names and types are composed by the driver; the rows come by COPY.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from django.db import connection
from psycopg import sql

from pravin_core.stopping import go_on
from pravin_core.tables.types import DataType

SCHEMA = "released"
READER = "pravin_reader"
RECORD_COLUMN = "pravin_record"
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
    in_use = {RECORD_COLUMN, "tableoid", "xmin", "cmin", "xmax", "cmax", "ctid"}
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


def switch_view(view: str, table: str | None, columns: Sequence[str]) -> None:
    """Point the feed's view at a table (or at none), at once for all readers; only the view is readable."""
    name = sql.Identifier(SCHEMA, view)
    with connection.cursor() as cursor:
        cursor.execute("SET LOCAL lock_timeout = '10s'")
        cursor.execute(sql.SQL("DROP VIEW IF EXISTS {}").format(name))
        if table is None:
            return
        named = sql.SQL(", ").join(sql.Identifier(c) for c in columns)
        source = sql.Identifier(SCHEMA, table)
        order = sql.Identifier(RECORD_COLUMN)
        cursor.execute(sql.SQL("CREATE VIEW {} AS SELECT {} FROM {} ORDER BY {}").format(name, named, source, order))
        cursor.execute(sql.SQL("GRANT SELECT ON {} TO {}").format(name, sql.Identifier(READER)))
