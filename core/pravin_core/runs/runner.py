"""Run a rulebook. A pure function of snapshot, rulebook and decisions; its result may be deleted and made again."""

from __future__ import annotations

import hashlib
import json
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import duckdb
import pyarrow as pa
from sqlglot import exp

from pravin_core.compiler import names
from pravin_core.compiler.plan import AMENDMENTS, DECISIONS, Plan, compile_rulebook
from pravin_core.engines.duckdb import Limits, Watch, column, connect, copy_to, read_parquet, sql, template
from pravin_core.engines.written import written
from pravin_core.errors import RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.base import Check, ColumnCorrection, RecordCorrection, TableCorrection
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.model import Decision, Effect, Outcome, Reconciliation
from pravin_core.tables.columns import RECORD
from pravin_core.tables.folders import made_whole

VERSION = 1  # raise when the result changes for the same input


def result_key(snapshot_key: str, rulebook: Rulebook, decisions: Sequence[Decision] = ()) -> str:
    """The name of a run's result: a hash of all it is made from."""
    said = json.dumps(
        [VERSION, snapshot_key, rulebook.model_dump(), [d.model_dump() for d in sorted(decisions, key=_record_of)]],
        sort_keys=True,
    )
    return hashlib.sha256(said.encode()).hexdigest()[:32]


def result_path(folder: Path) -> Path:
    """The Parquet file of all records in a result folder."""
    return folder / "result.parquet"


def load_outcome(folder: Path) -> Outcome | None:
    """The outcome of a result made earlier, or None."""
    try:
        return Outcome.model_validate_json((folder / "outcome.json").read_text())
    except FileNotFoundError:
        return None


def run_rulebook(
    snapshot: Snapshot,
    rulebook: Rulebook,
    folder: Path,
    decisions: Sequence[Decision] = (),
    limits: Limits = Limits(),
    beat: Callable[[float], bool] | None = None,
) -> Outcome:
    """Run a rulebook over all records and write the result into `folder`, whole or not at all.

    `beat(share)` hears the progress (0 to 1) and returns False to cancel (raises Cancelled).
    """
    if found := load_outcome(folder):
        return found
    with made_whole(folder, lambda place: load_outcome(place) is not None) as work:
        with connect([snapshot.folder, work], work / "scratch", limits) as con:
            plan = _compile(con, snapshot, rulebook, decisions)
            target = result_path(work)
            Watch(beat).execute(con, copy_to(plan.query, target, format="parquet", row_group_size=100_000))
            outcome = _outcome(con, snapshot, plan, target)
        (work / "outcome.json").write_text(outcome.model_dump_json())
        shutil.rmtree(work / "scratch", ignore_errors=True)
    return outcome


def retry_record(
    snapshot: Snapshot,
    rulebook: Rulebook,
    record: int,
    decisions: Sequence[Decision],
    scratch: Path,
    limits: Limits = Limits(),
) -> dict[str, Any]:
    """Try one record again under other decisions: its state, reasons and current values as text."""
    with connect([snapshot.folder], scratch, limits) as con:
        plan = _compile(con, snapshot, rulebook, decisions)
        cells = [written(column(c.name), c.type).as_(c.name, quoted=True) for c in plan.columns]
        only = plan.query.select(column(names.STATE), column(names.REASONS), *cells, append=False).where(
            template(":r = :n", r=column(RECORD), n=exp.Literal.number(record))
        )
        cursor = con.execute(sql(only))
        row = cursor.fetchone()
        if row is None:
            raise RunError(f"The delivery has no record {record:,}.", record=record)
        found = dict(zip([d[0] for d in cursor.description or []], row, strict=True))
    values = {c.name: found[c.name] for c in plan.columns}
    return {"state": found[names.STATE], "reasons": found[names.REASONS], "values": values}


def _compile(
    con: duckdb.DuckDBPyConnection, snapshot: Snapshot, rulebook: Rulebook, decisions: Sequence[Decision]
) -> Plan:
    con.register(DECISIONS, pa.table({
        "record": pa.array([d.record for d in decisions], pa.int64()),
        "kind": pa.array([d.kind for d in decisions], pa.string()),
    }))  # fmt: skip
    amended = [(d.record, name, value) for d in decisions for name, value in d.values.items()]
    con.register(AMENDMENTS, pa.table({
        "record": pa.array([a[0] for a in amended], pa.int64()),
        "name": pa.array([a[1] for a in amended], pa.string()),
        "value": pa.array([a[2] for a in amended], pa.string()),
    }))  # fmt: skip
    touched = list(dict.fromkeys(name for _, name, _ in amended))
    return compile_rulebook(rulebook, read_parquet(snapshot.parts), snapshot.columns, bool(decisions), touched)


def _record_of(decision: Decision) -> int:
    return decision.record


def _outcome(con: duckdb.DuckDBPyConnection, snapshot: Snapshot, plan: Plan, result: Path) -> Outcome:
    """Count the written result; the reconciliation is checked against the snapshot's own counts."""
    count = _counts(con, plan, result)
    reconciliation = Reconciliation(
        delivered=snapshot.records + snapshot.rejected,
        added=0,
        ready=count["ready"],
        corrected=count["corrected"],
        quarantined=count["quarantined"],
        removed=count["removed"],
        rejected=snapshot.rejected,
    )
    if not reconciliation.balances:
        raise RunError("The run does not account for every record; nothing was kept.", counts=str(reconciliation))
    effects = tuple(_effect(number, rule, count) for number, rule in plan.rules)
    stopping = [e.rule for e, (_, rule) in zip(effects, plan.rules, strict=True)
                if isinstance(rule, Check) and rule.consequence == "stop" and e.broken]  # fmt: skip
    return Outcome(
        reconciliation=reconciliation,
        discarded=count["discarded"],
        accepted=count["accepted"],
        effects=effects,
        columns=tuple((c.name, c.type.value) for c in plan.columns),
        stopped_by=tuple(stopping),
    )


def _counts(con: duckdb.DuckDBPyConnection, plan: Plan, result: Path) -> dict[str, int]:
    wanted: dict[str, exp.Expr] = {
        state: template("count_if(:s = :v)", s=column(names.STATE), v=exp.Literal.string(state))
        for state in ("ready", "corrected", "quarantined", "removed")
    }
    decision = column(names.DECISION)
    wanted["discarded"] = template("count_if(:d = 'discard' AND :g IS NULL)", d=decision, g=column(names.GONE))
    wanted["accepted"] = template("count_if(:d = 'accept' AND len(:r) > 0)", d=decision, r=column(names.REASONS))
    for number, rule in plan.rules:
        if not rule.enabled:
            continue
        if isinstance(rule, ColumnCorrection):
            cells, lost = column(names.cells_changed(number)), column(names.cells_unconverted(number))
            wanted[f"cells {number}"] = template("sum(:c)", c=cells)
            wanted[f"unconverted {number}"] = template("sum(:c)", c=lost)
            wanted[f"records {number}"] = template("count_if(:c > 0 OR :u > 0)", c=cells, u=lost)
        elif isinstance(rule, RecordCorrection):
            number_said = exp.Literal.number(number)
            wanted[f"removed {number}"] = template("count_if(:g = :n)", g=column(names.GONE), n=number_said)
        elif isinstance(rule, Check):
            wanted[f"broken {number}"] = template("count_if(:k)", k=column(names.breaks(number)))
    query = exp.select(*(exp.alias_(e, name, quoted=True) for name, e in wanted.items())).from_(read_parquet([result]))
    row = con.execute(sql(query)).fetchone() or ()
    return {name: int(value or 0) for name, value in zip(wanted, row, strict=True)}


def _effect(number: int, rule: Any, count: dict[str, int]) -> Effect:
    said = {name: count.get(f"{name} {number}", 0) for name in ("cells", "unconverted", "records", "removed", "broken")}
    if isinstance(rule, TableCorrection) and rule.enabled:
        said["columns"] = len(set(rule.dropped()))
    return Effect(rule=rule.id, number=number, kind=rule.kind, enabled=rule.enabled, **said)
