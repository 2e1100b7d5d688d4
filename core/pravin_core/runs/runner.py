"""Run a rulebook. A pure function of snapshot, rulebook and decisions; its result may be deleted and made again."""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import shutil
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import replace
from pathlib import Path
from typing import Any

import pyarrow.compute
import pyarrow.parquet as pq
from sqlglot import exp

from pravin_core.compiler.checks import judged
from pravin_core.compiler.plan import AMENDMENTS, DECISIONS, Plan, RunContext, compile_rulebook, on_day
from pravin_core.compiler.plan_builder import BitmapLookup
from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import Watch, beside, connect, know_operations
from pravin_core.errors import RunError
from pravin_core.formulas.language import condition
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.base import Check, RecordCorrection, Rule, TableCheck, TableCorrection, never_null
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.decisions import Decision, amendments, decided, key_of
from pravin_core.runs.model import Effect, Outcome, Reconciliation
from pravin_core.runs.repeating_columns import WIDEST, distinct_values, repeating_columns, values_of
from pravin_core.sql.statements import copy_to, kept_table, read_parquet, temporary_view, variable
from pravin_core.sql.trees import column, sql, template, written_out
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD
from pravin_core.tables.folders import made_whole

pc: Any = pyarrow.compute

VERSION = 9  # raise when the result changes for the same input
DELIVERED = "delivered"
SMALL = 50_000  # records, below which a second pass costs more than it saves
MOST_SIDE_BY_SIDE = 800  # columns: each step of a chain holds 2,048 records of them for each thread, 32 KB a column
CELLS_AT_ONCE = 5_000_000  # that a writer holds until it writes them as a row group


def result_key(
    snapshot_key: str,
    rulebook: Rulebook,
    decisions: Sequence[Decision] = (),
    context: RunContext = RunContext(),
) -> str:
    """The name of a run's result: a hash of all it is made from."""
    serialized = json.dumps(
        [VERSION, snapshot_key, rulebook.model_dump(mode="json"), key_of(decisions), context.key()], sort_keys=True
    )
    return hashlib.sha256(serialized.encode()).hexdigest()[:32]


def result_parts(folder: Path) -> list[Path]:
    """The Parquet files of all records in a result folder, in order."""
    return sorted(folder.glob("part-*.parquet"))


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
    context: RunContext = RunContext(),
) -> Outcome:
    """Run a rulebook over all records and write the result into `folder`, whole or not at all.

    `beat(share)` hears the progress (0 to 1) and returns False to cancel (raises Cancelled).
    """
    if found_outcome := load_outcome(folder):
        return found_outcome
    with made_whole(folder, lambda place: load_outcome(place) is not None) as work:
        places = [snapshot.folder, work, *folders(context)]
        if len(snapshot.columns) > MOST_SIDE_BY_SIDE:
            limits = replace(limits, threads=1)
        is_wide = len(snapshot.columns) > WIDEST
        with connect(places, work / "scratch", limits, in_order=True, is_wide=is_wide) as con:
            plan = compiled(con, snapshot, rulebook, decisions, context, snapshot.records > SMALL)
            look_up(con, snapshot, plan, beat)
            _write(con, snapshot, plan, work, limits.threads, Watch(beat))
            outcome = _outcome(con, snapshot, plan, result_parts(work), context.delivered_on)
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
    context: RunContext = RunContext(),
) -> dict[str, Any]:
    """Try one record again under other decisions: its state, reasons and current values as text."""
    with connect([snapshot.folder, *folders(context)], scratch, limits) as con:
        plan = compiled(con, snapshot, rulebook, decisions, context)
        look_up(con, snapshot, plan)
        cells = [written(column(c.name), c.type).as_(c.name, quoted=True) for c in plan.columns]
        only = plan.query.select(column(names.STATE), column(names.REASONS), *cells, append=False).where(
            template(":r = :n", r=column(RECORD), n=exp.Literal.number(record))
        )
        cursor = con.execute(sql(only))
        row = cursor.fetchone()
        if row is None:
            raise RunError(f"The delivery has no record {record:,}.", record=record)
        results = dict(zip([d[0] for d in cursor.description or []], row, strict=True))
    values = {c.name: results[c.name] for c in plan.columns}
    return {"state": results[names.STATE], "reasons": results[names.REASONS], "values": values}


def folders(context: RunContext) -> list[Path]:
    """The folders that reference tables lie in."""
    return [reference.folder for reference in context.references.values() if reference.folder is not None]


def compiled(
    con: Connection,
    snapshot: Snapshot,
    rulebook: Rulebook,
    decisions: Sequence[Decision] = (),
    context: RunContext = RunContext(),
    is_large: bool = False,
) -> Plan:
    """The plan of a run, with operations and decisions made known to the connection; for a large one, what follows from a
    single value may be computed once for each different value.
    """
    know_operations(con)
    con.execute(sql(temporary_view(DELIVERED, records_of(snapshot))))
    amended = amendments(decisions)
    con.register(DECISIONS, decided(decisions))
    con.register(AMENDMENTS, amended)
    touched = sorted(str(name) for name in amended.column("name").unique().to_pylist())
    return compile_rulebook(
        rulebook,
        exp.to_table(DELIVERED),
        snapshot.columns,
        bool(decisions),
        touched,
        context,
        snapshot.records,
        repeating_columns(con, DELIVERED, snapshot.columns, snapshot.records) if is_large else None,
    )


def look_up(con: Connection, snapshot: Snapshot, plan: Plan, beat: Callable[[float], bool] | None = None) -> None:
    """Find the records that rules ask for by looking at all of them; `beat` hears 0, since the records are still to come."""
    watch = Watch(None if beat is None else lambda _: beat(0.0))
    for name, table in plan.different.items():
        values = values_of(snapshot, name, DELIVERED, lambda statement: watch.execute(con, statement))
        watch.execute(con, distinct_values(name, table, values))
    for lookup in plan.lookups:
        watch.execute(con, kept_table(lookup.name, lookup.query))
        _know(con, lookup)


def _know(con: Connection, lookup: BitmapLookup) -> None:
    con.execute(sql(variable(lookup.name, exp.select("*").from_(exp.to_table(lookup.name, quoted=True)))))


def records_of(snapshot: Snapshot, first: int = 1, last: int | None = None) -> exp.Select:
    """The delivered records of a snapshot, all or those with numbers from `first` to `last`."""
    records = exp.select("*").from_(read_parquet(snapshot.parts))
    if last is None:
        return records
    within = template(":r BETWEEN :f AND :l", r=column(RECORD), f=exp.convert(first), l=exp.convert(last))
    return records.where(within)


def _write(con: Connection, snapshot: Snapshot, plan: Plan, folder: Path, threads: int, watch: Watch) -> None:
    """The result as files of records in order: where each record goes its way alone, each thread writes its share.

    One writer for wide tables would leave threads idle, since it reserves memory for each of its columns.
    """
    shares = threads if plan.is_one_pass and snapshot.records > SMALL else 1
    size = -(-snapshot.records // shares) or 1
    group = max(2048, min(100_000, CELLS_AT_ONCE // len(plan.query.expressions)))
    query = written_out(plan.query)
    with ExitStack() as opened:
        work = []
        for share in range(shares):
            cursor = con
            if shares > 1:
                cursor = opened.enter_context(beside(con))
                records = records_of(snapshot, share * size + 1, (share + 1) * size)
                cursor.execute(sql(temporary_view(DELIVERED, records)))
                for lookup in plan.lookups:
                    _know(cursor, lookup)
            target = folder / f"part-{share:04}.parquet"
            work.append((cursor, copy_to(query, target, format="parquet", row_group_size=group, preserve_order=True)))
        watch.execute_all(work)
    if plan.is_one_pass:
        for part in result_parts(folder):
            if not is_in_order([part]):
                _put_in_order(con, part, group, watch)


def _put_in_order(con: Connection, part: Path, group: int, watch: Watch) -> None:
    """Sort the records of a file by their numbers."""
    records, target = exp.select("*").from_(read_parquet([part])), part.with_suffix(".sorted")
    watch.execute(con, copy_to(records.order_by(column(RECORD)), target, format="parquet", row_group_size=group))
    target.replace(part)


def _outcome(con: Connection, snapshot: Snapshot, plan: Plan, result: Sequence[Path], day: dt.date | None) -> Outcome:
    """Count the written result; the reconciliation is checked against the snapshot's own counts."""
    count = _counts(con, snapshot, plan, result)
    reconciliation = Reconciliation(
        delivered=snapshot.records + snapshot.rejected,
        added=count["added"],
        ready=count["ready"],
        corrected=count["corrected"],
        quarantined=count["quarantined"],
        removed=count["removed"],
        rejected=snapshot.rejected,
    )
    if plan.is_one_pass and not is_in_order(result):
        raise RunError("The records of the result are not in order; nothing was kept.")
    if not reconciliation.balances or count["all"] - count["added"] != snapshot.records:
        raise RunError("The run does not account for every record; nothing was kept.", counts=str(reconciliation))
    seen = judge_table(con, plan, result, day)
    effects = tuple(_effect(number, rule, count, plan, seen) for number, rule in plan.rules)
    stopping = [e.rule for e, (_, rule) in zip(effects, plan.rules, strict=True)
                if isinstance(rule, Check | TableCheck) and rule.consequence == "stop" and e.broken]  # fmt: skip
    return Outcome(
        reconciliation=reconciliation,
        discarded=count["discarded"],
        accepted=count["accepted"],
        effects=effects,
        columns=tuple((c.name, c.type.value) for c in plan.columns),
        delivered={c.name: c.delivered for c in plan.columns if c.delivered and c.delivered != c.name},
        ordered=names.PLACE in plan.system_columns,
        lost=tuple(c.name for c in plan.columns if c.name in plan.conversion_failures),
        traced=names.ADDED in plan.system_columns,
        stopped_by=tuple(stopping),
        version=VERSION,
    )


def is_in_order(result: Sequence[Path]) -> bool:
    """Whether record numbers rise from file to file; what shows the records, or need not sort them again, relies on it."""
    numbers = pq.read_table(list(result), columns=[RECORD]).column(RECORD).combine_chunks()
    return len(numbers) < 2 or bool(pc.all(pc.greater(numbers[1:], numbers[:-1])).as_py())


def judge_table(
    con: Connection, plan: Plan, result: Sequence[Path], day: dt.date | None
) -> dict[int, tuple[str, bool]]:
    """What each check of the table saw in the records not removed, and whether it breaks."""
    results = {}
    for number, rule in plan.rules:
        if isinstance(rule, TableCheck) and rule.enabled:
            live = exp.select(exp.Star()).from_(read_parquet(result)).where(judged())
            if rule.condition():
                live = live.where(never_null(condition(rule.condition(), plan.columns).expression))
            row = con.execute(sql(on_day(rule.verdict(live, plan.columns), day))).fetchone() or ("", False)
            results[number] = (str(row[0]), bool(row[1]))
    return results


def _counts(con: Connection, snapshot: Snapshot, plan: Plan, result: Sequence[Path]) -> dict[str, int]:
    requested: dict[str, exp.Expr] = {
        state: template("count_if(:s = :v)", s=column(names.STATE), v=exp.Literal.string(state))
        for state in ("ready", "corrected", "quarantined", "removed")
    }
    decision = column(names.DECISION)
    requested["all"] = template("count(*)")
    requested["added"] = template("count_if(:r > :n)", r=column(RECORD), n=exp.Literal.number(snapshot.records))
    requested["discarded"] = template("count_if(:d = 'discard' AND :g IS NULL)", d=decision, g=column(names.GONE))
    requested["accepted"] = template("count_if(:d = 'accept' AND len(:r) > 0)", d=decision, r=column(names.REASONS))
    for number, rule in plan.rules:
        if rule.enabled:
            requested |= counted(number, rule, plan.system_columns)
    query = exp.select(*(exp.alias_(e, name, quoted=True) for name, e in requested.items())).from_(read_parquet(result))
    row = con.execute(sql(query)).fetchone() or ()
    return {name: int(value or 0) for name, value in zip(requested, row, strict=True)}


def counted(number: int, rule: Rule, carried: Sequence[str]) -> dict[str, exp.Expr]:
    """What is counted of a rule over the records of a chain, by "what number"."""
    requested: dict[str, exp.Expr] = {}
    if names.cells_changed(number) in carried:
        cells, lost = column(names.cells_changed(number)), column(names.cells_failed(number))
        requested[f"cells {number}"] = template("sum(:c)", c=cells)
        requested[f"unconverted {number}"] = template("sum(:c)", c=lost)
        requested[f"records {number}"] = template("count_if(:c > 0 OR :u > 0)", c=cells, u=lost)
    number_said = exp.Literal.number(number)
    if isinstance(rule, RecordCorrection | TableCorrection):
        requested[f"removed {number}"] = template("count_if(:g = :n)", g=column(names.GONE), n=number_said)
    if isinstance(rule, TableCorrection) and names.ADDED in carried:
        requested[f"added {number}"] = template("count_if(:a = :n)", a=column(names.ADDED), n=number_said)
    if names.broken(number) in carried:
        requested[f"broken {number}"] = template("count_if(:k)", k=column(names.broken(number)))
    return requested


_COUNTED = ("cells", "unconverted", "records", "removed", "added", "broken")


def _effect(number: int, rule: Rule, count: dict[str, int], plan: Plan, seen: dict[int, tuple[str, bool]]) -> Effect:
    fields: dict[str, Any] = {name: count.get(f"{name} {number}", 0) for name in _COUNTED}
    fields["columns"] = plan.changed_columns.get(number, 0)
    if number in seen:
        fields["seen"], fields["broken"] = seen[number][0], int(seen[number][1])
    return Effect(rule=rule.id, number=number, kind=rule.kind, enabled=rule.enabled, **fields)
