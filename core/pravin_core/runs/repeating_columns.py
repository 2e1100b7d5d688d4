"""Which delivered columns hold few different values: what rules make of one value is then computed once for each."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Sequence
from pathlib import Path

from sqlglot import exp

from pravin_core.compiler.distinct_pushdown import RepeatingColumns
from pravin_core.engines.base import Connection
from pravin_core.intake.snapshot import Snapshot
from pravin_core.sql.statements import copy_to, kept_table, read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import RECORD

VALUE = "value"
SAMPLE, STRETCHES = 20_000, 8
SHARE = 1 / 3  # of the sample, below which the values of a column count as repeating
AT_ONCE = 40  # counts
MOST_TABLES = 40  # to meet one more costs every column of the records that pass it
MOST_DIFFERENT = 50_000  # values, about: their tables must fit the memory
WIDEST = 250  # columns, above which to meet tables costs more than it saves


def sampled(source: str, records: int, sample: int = SAMPLE) -> exp.Select:
    """About `sample` records from places all over a table with record numbers up to `records`; all when it has no more."""
    query = exp.select("*").from_(source)
    if records <= sample:
        return query
    size = sample // STRETCHES
    firsts = [1 + at * (records - size) // (STRETCHES - 1) for at in range(STRETCHES)]
    within = [template(f"{RECORD} BETWEEN :f AND :l", f=exp.convert(f), l=exp.convert(f + size - 1)) for f in firsts]
    return query.where(exp.or_(*within))


def repeating_columns(con: Connection, source: str, columns: Sequence[str], records: int) -> RepeatingColumns | None:
    """The columns of a table whose values repeat, as a sample says; at most those that repeat most."""
    if not 0 < len(columns) <= WIDEST:
        return None
    results, seen = counted_different(con, sampled(source, records), [[name] for name in columns])
    few = sorted((count, at) for at, count in enumerate(results) if count < seen * SHARE)[:MOST_TABLES]
    if not few:
        return None
    # rare values hide from a sample
    counts = [template("approx_count_distinct(:c)", c=column(columns[at])) for _, at in few]
    all_ = con.execute(sql(exp.select(*counts).from_(source))).fetchall()[0]
    kept = [at for (_, at), count in zip(few, all_, strict=True) if count <= MOST_DIFFERENT]
    return RepeatingColumns(source, {columns[at]: f"__different_{at}" for at in kept})


def counted_different(con: Connection, query: exp.Select, sets: Sequence[Sequence[str]]) -> tuple[list[int], int]:
    """How many different values (or combinations of them) each set of columns has in the rows of a query, and its rows."""
    results: list[int] = []
    rows = 0
    for at in range(0, len(sets), AT_ONCE):  # each count holds memory of its own
        counts = [
            template("count(DISTINCT :c)", c=column(some[0])) if len(some) == 1
            else template("count(DISTINCT :r)", r=exp.Anonymous(this="row", expressions=[column(name) for name in some]))
            for some in sets[at : at + AT_ONCE]
        ]  # fmt: skip
        *these, rows = con.execute(
            sql(exp.select(*counts, template("count(*)")).from_(query.subquery("some")))
        ).fetchall()[0]
        results += these
    return results, rows


def values_of(snapshot: Snapshot, name: str, source: str, execute: Callable[[exp.Expr], object]) -> Path:
    """The file of the different delivered values of a column, with the first record of each and how often it occurs. Made
    from `source`, the delivered records, when it is asked for first; kept beside the snapshot, since runs and effects ask for
    it again and again.
    """
    place = snapshot.folder / "values" / f"{snapshot.columns.index(name)}.parquet"
    if not place.exists():
        place.parent.mkdir(exist_ok=True)
        new_name = place.with_name(f"{uuid.uuid4().hex}.new")
        value = column(name)
        counts = [template(f"min({RECORD}) AS {RECORD}"), template("count(*) AS __times")]
        query = exp.select(*counts, exp.alias_(value, VALUE)).from_(source).group_by(value)
        try:
            execute(copy_to(query, new_name, format="parquet"))
            new_name.replace(place)
        finally:
            new_name.unlink(missing_ok=True)
    return place


def distinct_values(name: str, table: str, values: Path) -> exp.Expr:
    """The statement that makes the different values of a column a table of the engine."""
    shown = exp.alias_(column(VALUE), name, quoted=True)
    return kept_table(table, exp.select(shown).from_(read_parquet([values])))
