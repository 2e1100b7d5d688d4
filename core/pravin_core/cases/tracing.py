"""What each rule did to one record."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlglot import exp

from pravin_core.compiler.plan import RunContext, compile_corrections
from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.pages import Stage
from pravin_core.rules.base import Rule
from pravin_core.runs.runner import folders
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD

MOST_STEPS = 30  # rules whose work on a record is told


@dataclass(frozen=True)
class Step:
    """What a rule (by number) did to a record: its cells before and after, by name; None: no value."""

    rule: int
    before: dict[str, str | None]
    after: dict[str, str | None]


def trace(
    stage: Stage, record: int, scratch: Path, limits: Limits = Limits(), context: RunContext = RunContext()
) -> list[Step]:
    """The rules that changed a record, in order, each with the cells that it changed or made."""
    rules = [
        (number, rule)
        for number, rule in enumerate(stage.rulebook.rules, start=1)
        if rule.enabled and not rule.is_check
    ]
    with connect([*stage.folders, *folders(context)], scratch, limits) as con:
        know_operations(con)
        touching = _touching(con, stage, record, [number for number, _ in rules])[:MOST_STEPS]
        known: dict[int, dict[str, str | None]] = {}
        steps = []
        for number in touching:
            place = [each for each, _ in rules].index(number)
            before = _after(con, stage.snapshot, rules[:place], record, context, known)
            after = _after(con, stage.snapshot, rules[: place + 1], record, context, known)
            changed = [name for name in {**before, **after} if before.get(name) != after.get(name)]
            if changed:
                steps.append(Step(number, {n: before.get(n) for n in changed}, {n: after.get(n) for n in changed}))
    return steps


def _touching(con: Connection, stage: Stage, record: int, numbers: Sequence[int]) -> list[int]:
    """The rules whose counts in the result say that they touched a record; those that keep no count may have."""
    row = _one(con, exp.select(exp.Star()).from_(read_parquet(stage.files)), record)
    sorts = stage.rules
    return [
        number
        for number in numbers
        if sorts.get(number) == "table"
        or row.get(names.cells_changed(number))
        or row.get(names.cells_failed(number))
        or row.get(names.ADDED) == number
    ]


def _after(
    con: Connection,
    snapshot: Snapshot,
    rules: Sequence[tuple[int, Rule]],
    record: int,
    context: RunContext,
    known: dict[int, dict[str, str | None]],
) -> dict[str, str | None]:
    """The cells of a record after some first rules, as text."""
    if len(rules) not in known:
        builder = compile_corrections(rules, read_parquet(snapshot.parts), snapshot.columns, context)
        cells = [exp.alias_(written(column(c.name), c.type), c.name, quoted=True) for c in builder.columns]
        known[len(rules)] = _one(con, builder.query([column(RECORD), *cells]), record, cells_only=True)
    return known[len(rules)]


def _one(con: Connection, query: exp.Select, record: int, cells_only: bool = False) -> dict[str, Any]:
    only = query.where(template(":r = :n", r=column(RECORD), n=exp.Literal.number(record)))
    cursor = con.execute(sql(only))
    heads = [head[0] for head in cursor.description or []]
    row = cursor.fetchone()
    cells = dict(zip(heads, row, strict=True)) if row else {}
    if cells_only:
        cells.pop(RECORD, None)
    return cells
