"""The table as rules leave it, as a table of its own: it can be profiled, searched and compared like a delivered one."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pyarrow.parquet as pq
from sqlglot import exp

from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect
from pravin_core.intake.snapshot import FileCounts, Snapshot, load_snapshot, part_of
from pravin_core.records.pages import Stage
from pravin_core.rules.rulebook import Rulebook
from pravin_core.sql.statements import copy_to, read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, ORIGIN
from pravin_core.tables.folders import made_whole

LEFT_OUT = ("removed", "quarantined")  # what is not in the table any more


def first_rules(rulebook: Rulebook, last: str) -> Rulebook:
    """The rules up to one, that one included; all of them where `last` is empty. Raises KeyError when it is not there."""
    if not last:
        return rulebook
    places = {rule.id: place for place, rule in enumerate(rulebook.rules, start=1)}
    return rulebook.model_copy(update={"rules": rulebook.rules[: places[last]]})


def table_after(stage: Stage, folder: Path, limits: Limits = Limits()) -> Snapshot:
    """Write the records that rules left into `folder` (whole or not at all), cells as text, as a snapshot.

    Records keep their numbers, files and lines, and stand in the order of their numbers, also where rules gave them another.
    What was removed or quarantined is not in it.
    """
    if snapshot := load_snapshot(folder):
        return snapshot
    with made_whole(folder, lambda place: load_snapshot(place) is not None) as work:
        cells = [exp.alias_(written(column(name), kind), name, quoted=True) for name, kind in stage.types.items()]
        states = exp.In(this=column(names.STATE), expressions=[exp.Literal.string(state) for state in LEFT_OUT])
        rows = exp.select(*(column(name) for name in ORIGIN), *cells).from_(read_parquet(stage.files))
        rows = rows.where(exp.not_(states))
        counts: list[FileCounts] = []
        with connect([*stage.folders, work], work / "scratch", limits, in_order=True) as con:
            for number, file in enumerate(stage.snapshot.files):
                of_file = rows.copy().where(template(":f = :n", f=column(FILE), n=exp.Literal.number(number)))
                con.execute(sql(copy_to(of_file, part_of(work, number), format="parquet")))
                records = pq.read_metadata(part_of(work, number)).num_rows
                counts.append(
                    FileCounts(name=file.name, lines=records, record_lines=records, records=records, lane="rules")
                )
        meta = {"columns": list(stage.types), "files": [count.model_dump() for count in counts]}
        shutil.rmtree(work / "scratch", ignore_errors=True)
        (work / "meta.json").write_text(json.dumps(meta, ensure_ascii=False))
    return Snapshot(folder, tuple(stage.types), tuple(counts))
