"""What decisions would do to records, told from the run without and the run with them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from sqlglot import exp

from pravin_core.cases.chosen import is_chosen, know_chosen
from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect
from pravin_core.runs.runner import result_parts
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql
from pravin_core.tables import names
from pravin_core.tables.record_sets import Numbers


def states_of(folder: Path, records: Numbers, scratch: Path, limits: Limits = Limits()) -> dict[str, int]:
    """How many of the records stand in which state after the run whose result lies in `folder`."""
    states = (
        exp.select(column(names.STATE).as_("state"), exp.Count(this=exp.Star()).as_("records"))
        .from_(read_parquet(result_parts(folder)))
        .where(is_chosen())
        .group_by(column(names.STATE))
    )
    with connect([folder], scratch, limits) as con:
        know_chosen(con, records)
        rows: list[tuple[Any, ...]] = con.execute(sql(states)).fetchall()
    return {str(state): int(count) for state, count in rows}
