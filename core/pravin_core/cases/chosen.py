"""Chosen records in statements: known to the connection by their numbers, with their cells as they are and as they were delivered."""

from __future__ import annotations

from dataclasses import dataclass

import pyarrow as pa
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.records.pages import Stage
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, template
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD
from pravin_core.tables.record_sets import Numbers

CHOSEN = "chosen"


@dataclass(frozen=True)
class Waiting:
    """Records (by number) that wait in a delivery (its number), as its run left them."""

    delivery: int
    stage: Stage
    records: Numbers


def know_chosen(con: Connection, records: Numbers, name: str = CHOSEN) -> None:
    """Let chosen records be a table of the connection, with the column `record`."""
    con.register(name, pa.table({"record": pa.array(records, pa.int64())}))


def is_chosen() -> exp.Expr:
    """Whether a record of a result or a snapshot is among the chosen ones."""
    return exp.In(this=column(RECORD), query=exp.select("record").from_(CHOSEN).subquery())


def with_delivered(stage: Stage, name: str = CHOSEN) -> exp.Select:
    """Chosen records, nothing selected yet: `r` is each as the run left it, `s` as it was delivered. A record that a rule made has
    what it was made from beside it, or nothing.
    """
    source: exp.Expr = column(RECORD, "r")
    if stage.outcome is not None and stage.outcome.traced:
        source = template("coalesce(:m, :r)", m=column(names.MADE_FROM, "r"), r=column(RECORD, "r"))
    return (
        exp.select()
        .from_(exp.select("*").from_(read_parquet(stage.files)).subquery("r"))
        .join(exp.to_table(name).as_("c"), on=template("c.record = :r", r=column(RECORD, "r")))
        .join(
            exp.select("*").from_(read_parquet(stage.snapshot.parts)).subquery("s"),
            on=exp.EQ(this=source, expression=column(RECORD, "s")),
            join_type="left",
        )
    )


def delivered_as(stage: Stage, name: str) -> str | None:
    """What a column of the table is called in the snapshot; None when rules made it."""
    there = stage.outcome.delivered if stage.outcome else {}
    source = there.get(name, name)
    return source if source in stage.snapshot.columns else None
