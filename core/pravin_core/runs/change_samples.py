"""Values before and after a rule: the most frequent changes, and where each is met first."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables.columns import FILE, LINE, RECORD
from pravin_core.tables.types import DataType

MOST_PAIRS, LONGEST = 60, 400


class ValueChange(BaseModel):
    """A value before and after a rule (or a value that it could not treat, or that breaks it), how often it occurs, and
    the first record with it."""

    model_config = ConfigDict(frozen=True)

    column: str
    before: str | None
    after: str | None
    times: int
    record: int
    file: int | None
    line: int | None


def by_frequency(pair: ValueChange) -> tuple[int, int, str]:
    """What sorts changes: the most frequent first."""
    return -pair.times, pair.record, pair.column


def written_as(cell: exp.Expr, data_type: DataType | None) -> exp.Expr:
    """A cell as text; missing for None, a column that was not there."""
    return exp.cast(exp.null(), "VARCHAR") if data_type is None else written(cell, data_type)


def frequent(grouped: exp.Select, shown: Sequence[exp.Expr]) -> tuple[str, str]:
    """Statements for `most_frequent`: `grouped` has `times` and `first`, a record; `shown` are name, before and after over
    its columns.
    """
    groups = template("(SELECT count(*) FROM pairs) AS groups")
    top = exp.select(exp.Star(), groups).from_("pairs").order_by("times DESC", "first")
    places = exp.select(column(RECORD), column(FILE), column(LINE)).from_("touched").subquery("t")
    met = exp.EQ(this=column(RECORD, "t"), expression=exp.column("first", "p"))
    rows = (
        exp.select(*shown, "times", "first", column(FILE), column(LINE), "groups").from_(top.limit(MOST_PAIRS).subquery("p"))
        .join(places, on=met).order_by("times DESC", "first")
    )  # fmt: skip
    return sql(temporary_table("pairs", grouped)), sql(rows)


def most_frequent(con: Connection, statements: tuple[str, str]) -> tuple[int, list[ValueChange]]:
    """How many groups there are, and the most frequent with where the first record of each came from."""
    con.execute(statements[0])
    rows = con.execute(statements[1]).fetchall()
    return rows[0][-1] if rows else 0, [
        ValueChange(column=name, before=before, after=after, times=times, record=record, file=file, line=line)
        for name, before, after, times, record, file, line, _ in rows
    ]


def short(cell: exp.Expr) -> exp.Expr:
    """A text, cut where it is too long to be shown."""
    return template(f"left(:c, {LONGEST})", c=cell)
