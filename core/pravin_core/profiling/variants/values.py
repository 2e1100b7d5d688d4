"""The groups of variants of a column of a snapshot."""

from __future__ import annotations

from pathlib import Path

from sqlglot import exp

from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect
from pravin_core.errors import RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.variants.groups import METHODS, Group, group
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import sql, template

MOST = 50_000
LONGEST = 200


def variants_of(
    snapshot: Snapshot, column: str, method: str, scratch: Path, limits: Limits = Limits()
) -> tuple[list[Group], int, bool]:
    """Groups by a method, how many different values the column has, and whether all of them were compared.

    Of more than 50,000 different values the most frequent are compared. Raises RunError for an unknown column or method.
    """
    if column not in snapshot.columns or method not in METHODS:
        raise RunError(
            f"There is no column {column!r} or no method {method!r}.", column=column,
            advice=f"Methods are {', '.join(METHODS)}.",
        )  # fmt: skip
    with connect([snapshot.folder], scratch, limits) as con:
        cell = text_of(column)
        grouped = (
            exp.select(exp.alias_(cell, "v"), "count(*) AS n")
            .from_(read_parquet(snapshot.parts))
            .where(template("length(:c) BETWEEN 1 AND :most", c=cell, most=exp.convert(LONGEST)))
            .group_by("ALL")
        )
        query = (
            exp.select("v", "n", "count(*) OVER ()").from_(grouped.subquery("g")).order_by("n DESC", "v").limit(MOST)
        )
        rows = con.execute(sql(query)).fetchall()
    values = {value: n for value, n, _ in rows}
    distinct = rows[0][2] if rows else 0
    return group(values, method), distinct, distinct <= MOST
