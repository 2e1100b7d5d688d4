"""Derived tables: the released records of one feed, to which steps join, append or sum up those of others."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory

import pyarrow.parquet as pq
from sqlglot import exp

from pravin_core.compiler.plan import RunContext
from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect
from pravin_core.errors import RunError
from pravin_core.intake.snapshot import FileCounts, Snapshot, load_snapshot, part_of
from pravin_core.releases import writers
from pravin_core.rules.base import counted
from pravin_core.rules.reshaping import Reference
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.model import Outcome
from pravin_core.runs.runner import result_key, result_parts, run_rulebook
from pravin_core.sql.statements import copy_to, read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD
from pravin_core.tables.folders import made_whole
from pravin_core.tables.types import DataType

VERSION = 1  # raise when what is made of the same tables and steps changes


@dataclass(frozen=True)
class Making:
    """What a derived table is made of: the released table that it begins with, the steps, and the tables that these look into, by
    the name that a step says.
    """

    base: Reference
    steps: Rulebook
    others: Mapping[str, Reference]

    @property
    def context(self) -> RunContext:
        """What the steps are given beside the records."""
        types = {each.name: each.type for each in self.base.columns if each.type is not DataType.TEXT}
        return RunContext(references=self.others, types=types)

    @property
    def key(self) -> str:
        """The name of what is made: a hash of the tables in their versions and the steps."""
        columns = [[each.name, each.type.value] for each in self.base.columns]
        return result_key(json.dumps([VERSION, self.base.version, columns]), self.steps, context=self.context)


@dataclass(frozen=True)
class Stage:
    """A derived table, or what the first steps made of one: how many records it has after each step, the first of which is the base."""

    outcome: Outcome
    records: tuple[int, ...]
    columns: tuple[tuple[str, DataType], ...]


def records_of_table(table: Reference, folder: Path, scratch: Path, limits: Limits = Limits()) -> Snapshot:
    """The records of a released table as a run takes them, written into `folder` (whole or not at all): texts, with the number that
    each has in the table as its line.
    """
    if snapshot := load_snapshot(folder):
        return snapshot
    own = table.folder
    with made_whole(folder, lambda place: load_snapshot(place) is not None) as work:
        target = part_of(work, 0)
        number = template("row_number() OVER (ORDER BY :r)", r=column(RECORD))
        cells = [exp.alias_(written(column(each.name), each.type), each.name, quoted=True) for each in table.columns]
        rows = exp.select(
            exp.alias_(number, RECORD, quoted=True),
            exp.alias_(exp.cast(exp.Literal.number(0), "SMALLINT"), FILE, quoted=True),
            exp.alias_(exp.cast(column(RECORD), "BIGINT"), LINE, quoted=True),
            *cells,
        ).from_(table.source.copy())
        with connect([work, *([own] if own else [])], scratch, limits) as con:
            con.execute(sql(copy_to(rows.order_by(column(RECORD)), target, format="parquet", preserve_order=True)))
        records = pq.ParquetFile(target).metadata.num_rows
        counts = FileCounts(name="", lines=records, record_lines=records, records=records, lane="fast", unit="record")
        meta = {"columns": [each.name for each in table.columns], "files": [counts.model_dump()], "lacks": False}
        (work / "meta.json").write_text(json.dumps(meta, ensure_ascii=False))
    return Snapshot(folder, tuple(each.name for each in table.columns), (counts,))


def derive(
    making: Making,
    records: Snapshot,
    folder: Path,
    limits: Limits = Limits(),
    beat: Callable[[float], bool] | None = None,
) -> Stage:
    """Run the steps over all records into `folder` (whole or not at all).

    A step sets no record apart: that is for the checks of the derived feed, whose records can be decided on. Raises RunError when
    one would, RulebookError when a step does not fit, Cancelled when `beat` says so.
    """
    outcome = run_rulebook(records, making.steps, folder, (), limits, beat, making.context)
    if not outcome.columns:
        raise RunError("The steps leave no column; nothing was made.", advice="Keep at least one column.")
    if apart := outcome.reconciliation.quarantined:
        raise RunError(
            f"{_first_apart(folder, limits)}; {counted(apart, 'record')} would be quarantined, and nothing was made.",
            advice="Let the step keep them without a value or remove them, or change the columns that do not fit each other. "
            "Checks of the derived feed can quarantine records.",
        )
    after = [records.records]
    for effect in outcome.effects:
        after.append(after[-1] + effect.added - effect.removed)
    return Stage(outcome, tuple(after), tuple((name, DataType(kind)) for name, kind in outcome.columns))


def _first_apart(folder: Path, limits: Limits) -> str:
    """The first value that a step could not treat, in words."""
    reason = template("list_extract(:r, 1)", r=column(names.REASONS))
    apart = template(":s = 'quarantined'", s=column(names.STATE))
    query = exp.select(*(template(f":r.{part}", r=exp.paren(reason)) for part in ("rule", "name", "value")))
    query = query.from_(read_parquet(result_parts(folder))).where(apart).order_by(column(RECORD)).limit(1)
    with TemporaryDirectory(prefix="pravin-") as scratch, connect([folder], Path(scratch), limits) as con:
        number, name, value = con.execute(sql(query)).fetchone() or (0, "", None)
    return f"Step {number} cannot treat {name} “{value or ''}”"


def write_derived(folder: Path, outcome: Outcome, target: Path, scratch: Path, limits: Limits = Limits()) -> int:
    """Write what steps made as one Parquet file of texts, in the order of the records, and return how many there are."""
    with connect([folder, target.parent], scratch, limits) as con:
        writers.write(con, _rows(folder, outcome), target, "parquet")
    return pq.ParquetFile(target).metadata.num_rows


def first_records(
    folder: Path, outcome: Outcome, most: int, scratch: Path, limits: Limits = Limits()
) -> list[Sequence[str | None]]:
    """The texts of the first records of what steps made."""
    with connect([folder], scratch, limits) as con:
        return list(con.execute(sql(_rows(folder, outcome).limit(most))).fetchall())


def _rows(folder: Path, outcome: Outcome) -> exp.Select:
    types = {name: DataType(kind) for name, kind in outcome.columns}
    return writers.delimited(writers.ready(result_parts(folder), outcome), types, defused=False)
