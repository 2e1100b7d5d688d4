"""What a way to make results gives for the different values, as people see it."""

from __future__ import annotations

from dataclasses import dataclass

from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.sql.trees import sql

MOST_SHOWN = 200


@dataclass(frozen=True)
class Row:
    """One combination of values: the first record with it, how many have it, what stands in the columns, the result."""

    record: int
    times: int
    values: tuple[str | None, ...]
    result: str | None


def rows_of(
    con: Connection, table: str, cells: exp.Expr, result: str, where: exp.Expr | None = None
) -> tuple[Row, ...]:
    """The most frequent combinations of a table with `__first` and `__times`, those alone that `where` keeps."""
    query = exp.select("__first", "__times", cells.copy(), result).from_(table)
    query = query.where(where.copy()) if where else query
    rows = con.execute(sql(query.order_by("__times DESC", "__first").limit(MOST_SHOWN))).fetchall()
    return tuple(Row(record, times, tuple(cells), result) for record, times, cells, result in rows)
