"""How the released records of a feed's deliveries add up to one table: each replaces it, each adds to it, or each adds and the newest
record of a key stands.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import pyarrow as pa
from sqlglot import exp

from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect
from pravin_core.sql.statements import copy_to, read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import SQL_TYPES, DataType

CHANGES: pa.Schema = pa.table(
    {"release": pa.array([], pa.int64()), "record": pa.array([], pa.int64()), "superseded": pa.array([], pa.bool_())}
).schema
_WIDER = (
    ({DataType.WHOLE, DataType.EXACT}, DataType.EXACT),
    ({DataType.WHOLE, DataType.EXACT, DataType.DECIMAL}, DataType.DECIMAL),
    ({DataType.DATE, DataType.DATETIME}, DataType.DATETIME),
)


class AddingUp(StrEnum):
    """What a feed's newest delivery does to the released table."""

    REPLACES = "replaces"
    ADDS = "adds"
    NEWEST = "newest"


@dataclass(frozen=True)
class Part:
    """The released records of one delivery (its number): the release's id, the Parquet file with its records, its columns in order,
    and the column of the file that holds the record numbers.
    """

    delivery: int
    release: int
    file: Path
    columns: tuple[tuple[str, DataType], ...]
    record: str


@dataclass(frozen=True)
class KeyFaults:
    """Ready records that cannot be told apart by the key: those that share it with another, those that lack a part of it, and the
    numbers of the first ones of each.
    """

    shared: int
    incomplete: int
    first_shared: tuple[int, ...] = ()
    first_incomplete: tuple[int, ...] = ()


def common_columns(tables: Sequence[Sequence[tuple[str, DataType]]]) -> list[tuple[str, DataType]]:
    """The columns of tables put below each other, the newest given last: its columns in its order, then those that only earlier ones
    have. The type of a column holds the values of all; text, where no other does.
    """
    types: dict[str, set[DataType]] = {}
    for table in reversed(tables):
        for name, kind in table:
            types.setdefault(name, set()).add(kind)
    return [(name, _holding(kinds)) for name, kinds in types.items()]


def _holding(kinds: set[DataType]) -> DataType:
    if len(kinds) == 1:
        return next(iter(kinds))
    return next((wider for narrower, wider in _WIDER if kinds <= narrower), DataType.TEXT)


def superseding(
    before: Sequence[Part], after: Sequence[Part], key: Sequence[str], scratch: Path, limits: Limits = Limits()
) -> pa.Table:
    """The records that are superseded now and were not, or the other way round, when the parts of a released table change: `release`,
    `record`, `superseded`.

    A record is superseded where a part of a newer delivery has its key, compared as written text. One that lacks a part of the key
    never is. Only keys of the parts that came or went are looked at.
    """
    touched = [part for part in (*before, *after) if (part in before) != (part in after)]
    every = list(dict.fromkeys((*before, *after)))
    if not key or not touched:
        return CHANGES.empty_table()
    query = template(
        "WITH touched AS (SELECT DISTINCT key FROM :touched AS parts_touched), held AS (SELECT * FROM :every AS every_part WHERE key IN (SELECT key FROM touched)),"
        " judged AS (SELECT release, record,"
        " coalesce(was AND delivery < max(delivery) FILTER (was) OVER (PARTITION BY key), false) AS former,"
        " coalesce(stands AND delivery < max(delivery) FILTER (stands) OVER (PARTITION BY key), false) AS superseded FROM held)"
        " SELECT release, record, superseded FROM judged WHERE former <> superseded ORDER BY release, record",
        touched=exp.paren(_below([_keyed(part, key, before, after) for part in touched])),
        every=exp.paren(_below([_keyed(part, key, before, after) for part in every])),
    )
    with connect([part.file.parent for part in every], scratch, limits) as con:
        return con.sql(sql(query)).to_arrow_reader().read_all().cast(CHANGES)


def _keyed(part: Part, key: Sequence[str], before: Sequence[Part], after: Sequence[Part]) -> exp.Select:
    types = dict(part.columns)
    parts = [template("nullif(:c, '')", c=written(column(name), types[name])) for name in key]
    return (
        exp.select(
            exp.alias_(exp.convert(part.release), "release"),
            exp.alias_(exp.convert(part.delivery), "delivery"),
            exp.alias_(exp.convert(part in before), "was"),
            exp.alias_(exp.convert(part in after), "stands"),
            exp.alias_(column(part.record), "record"),
            exp.alias_(parts[0] if len(parts) == 1 else exp.Array(expressions=parts), "key"),
        )
        .from_(read_parquet([part.file]))
        .where(*(template(":p IS NOT NULL", p=each) for each in parts))
    )


def _below(tables: Sequence[exp.Select]) -> exp.Expr:
    """Tables below each other."""
    return tables[0] if len(tables) == 1 else exp.union(*tables, distinct=False)


def write_whole(
    parts: Sequence[Part], key: Sequence[str], target: Path, scratch: Path, limits: Limits = Limits()
) -> list[tuple[str, DataType]]:
    """Write the table that parts add up to as Parquet, by delivery and record, numbered anew in the column RECORD; with a key only
    the newest record of each stands. Returns its columns.
    """
    parts = sorted(parts, key=lambda part: part.delivery)
    columns = common_columns([part.columns for part in parts])
    query = template(
        "SELECT * FROM :parts AS every_part", parts=exp.paren(_below([_cells(part, columns, key) for part in parts]))
    )
    if key:
        query = template(
            "SELECT * FROM :all AS keyed QUALIFY key IS NULL OR delivery = max(delivery) OVER (PARTITION BY key)",
            all=exp.paren(query),
        )
    numbered = template("row_number() OVER (ORDER BY delivery, record)")
    cells = [column(name) for name, _ in columns]
    rows = exp.select(exp.alias_(numbered, RECORD, quoted=True), *cells).from_(exp.paren(query).as_("standing"))
    with connect([target.parent, *(part.file.parent for part in parts)], scratch, limits) as con:
        con.execute(sql(copy_to(rows.order_by(column(RECORD)), target, format="parquet")))
    return columns


def _cells(part: Part, columns: Sequence[tuple[str, DataType]], key: Sequence[str]) -> exp.Select:
    types = dict(part.columns)
    texts = [template("nullif(:c, '')", c=written(column(name), types[name])) for name in key]
    lacks = exp.or_(*(template(":t IS NULL", t=text) for text in texts)) if key else exp.true()
    told = template("CASE WHEN NOT (:lacks) THEN :key END", lacks=lacks, key=exp.Array(expressions=texts))
    return exp.select(
        exp.alias_(exp.convert(part.delivery), "delivery"),
        exp.alias_(column(part.record), "record"),
        exp.alias_(told if key else exp.null(), "key"),
        *(exp.alias_(_as(name, types.get(name), kind), name, quoted=True) for name, kind in columns),
    ).from_(read_parquet([part.file]))


def _as(name: str, own: DataType | None, kind: DataType) -> exp.Expr:
    if own is None or own is kind:
        return column(name) if own else exp.cast(exp.null(), SQL_TYPES[kind], dialect="duckdb")
    return (
        written(column(name), own)
        if kind is DataType.TEXT
        else exp.cast(column(name), SQL_TYPES[kind], dialect="duckdb")
    )


def key_faults(
    result: Sequence[Path],
    columns: Sequence[tuple[str, str]],
    key: Sequence[str],
    scratch: Path,
    limits: Limits = Limits(),
) -> KeyFaults:
    """The ready records of a run's result that a key cannot tell apart."""
    types = {name: DataType(kind) for name, kind in columns}
    texts = [template("nullif(:c, '')", c=written(column(name), types[name])) for name in key]
    lacks = exp.or_(*(template(":t IS NULL", t=text) for text in texts))
    query = template(
        "SELECT count(*) FILTER (shared), count(*) FILTER (lacks),"
        " list_slice(array_agg(record ORDER BY record) FILTER (shared), 1, 5),"
        " list_slice(array_agg(record ORDER BY record) FILTER (lacks), 1, 5) FROM ("
        " SELECT record, lacks, NOT lacks AND count(*) OVER (PARTITION BY key) > 1 AS shared FROM ("
        "  SELECT :record AS record, :key AS key, :lacks AS lacks FROM :result WHERE :state IN ('ready', 'corrected')))"
        " WHERE shared OR lacks",
        record=column(RECORD),
        key=exp.Array(expressions=texts),
        lacks=lacks,
        result=read_parquet(result),
        state=column(names.STATE),
    )
    with connect([path.parent for path in result], scratch, limits) as con:
        shared, incomplete, *first = con.execute(sql(query)).fetchone() or (0, 0, None, None)
    return KeyFaults(int(shared), int(incomplete), *(tuple(records or ()) for records in first))
