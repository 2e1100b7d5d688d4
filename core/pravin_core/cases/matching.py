"""Which records in quarantine a later delivery brought again: told by the key of the feed."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import pyarrow as pa
from sqlglot import exp

from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.records.pages import Stage
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written_or_unread
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD

MET = pa.schema([("record", pa.int64()), ("by_record", pa.int64()), ("again", pa.int8())])


def matches(earlier: Stage, later: Stage, key: Sequence[str], scratch: Path, limits: Limits = Limits()) -> pa.Table:
    """The quarantined records of an earlier result whose key stands in a later one, by record: `record`, `by_record` (the first
    ready record there with this key, else the first quarantined one) and `again` (1: quarantined there too).

    Keys are compared as the rules left them, as text, exactly; a key of which a part is missing belongs to no other record.
    Records that rules removed are not there. Nothing is matched where a column of the key is missing in one of the tables.
    """
    if not key or any(name not in stage.types for stage in (earlier, later) for name in key):
        return MET.empty_table()
    waiting = keyed(earlier, key, ["quarantined"])
    arrived = keyed(later, key, ["ready", "corrected", "quarantined"])
    query = template(
        "SELECT w.record, coalesce(a.ready, a.apart) AS by_record, CAST(a.ready IS NULL AS TINYINT) AS again FROM :waiting AS w"
        " JOIN (SELECT key, min(record) FILTER (state <> 'quarantined') AS ready,"
        " min(record) FILTER (state = 'quarantined') AS apart FROM :arrived AS n GROUP BY key) AS a ON w.key = a.key"
        " ORDER BY w.record",
        waiting=exp.paren(waiting),
        arrived=exp.paren(arrived),
    )
    with connect([*earlier.folders, *later.folders], scratch, limits) as con:
        know_operations(con)
        return con.sql(sql(query)).to_arrow_reader().read_all().cast(MET)


def keyed(stage: Stage, key: Sequence[str], states: Sequence[str]) -> exp.Select:
    """Records in some states with their state and their key, a list of texts; those that have no value in a part of it are not there."""
    reasons = column(names.REASONS)
    parts = [
        template("nullif(:c, '')", c=written_or_unread(column(name), stage.types[name], reasons, name)) for name in key
    ]
    query = exp.select(
        column(RECORD).as_("record"), column(names.STATE).as_("state"), exp.Array(expressions=parts).as_("key")
    ).from_(read_parquet(stage.files))
    state = exp.In(this=column(names.STATE), expressions=[exp.Literal.string(each) for each in states])
    return query.where(state, *(template(":p IS NOT NULL", p=part) for part in parts))
