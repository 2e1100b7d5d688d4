"""One rule, four ways: its effect computed alone, a run, the stand-alone script and the exported SQL tell the same of any
table, for every kind of rule, also under a condition and with the result beside.
"""

from __future__ import annotations

import contextlib
import io
import json
import types
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import duckdb
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_effects import COUNTS
from test_once_for_each_value import BESIDE, CONDITIONAL
from test_promises import NASTY
from test_rules import RECORDS, RULES, book, seen_by

from pravin_core.compiler.plan import RunContext
from pravin_core.errors import PravinError
from pravin_core.exports.script import script
from pravin_core.exports.sql import compiled, whole_duckdb
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.registry import KINDS
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.effects.effect import effect_of
from pravin_core.runs.model import Effect, Outcome
from pravin_core.runs.runner import result_parts, run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
STATES = {"ready": ("ready", "corrected"), "quarantined": ("quarantined",), "removed": ("removed",)}


@st.composite
def tables(draw: st.DrawFn, before: dict[str, list[Any]]) -> dict[str, list[str | None]]:
    """A table with the columns of an example: its own values, others, and some of its records more than once."""
    cells = [st.sampled_from([*own, *own, *NASTY]) for own in before.values()]
    rows = draw(st.lists(st.tuples(*cells), min_size=1, max_size=15))
    rows += draw(st.lists(st.sampled_from(rows), max_size=4))
    return {name: [row[place] for row in rows] for place, name in enumerate(before)}


@st.composite
def variants(draw: st.DrawFn, kind: str, rule: dict[str, Any], columns: list[str]) -> dict[str, Any]:
    """A rule as its example has it, or under a condition, or with its result beside."""
    variant = {"kind": kind, **rule}
    if kind in CONDITIONAL and draw(st.booleans()):
        name = '"' + draw(st.sampled_from(columns)).replace('"', '""') + '"'
        variant["when"] = draw(st.sampled_from((f"{name} is not null", f"length({name}) > 1", f"{name} like '%a%'")))
    if kind in BESIDE and draw(st.booleans()):
        variant |= {"result": "beside", "ending": " new"}
    return variant


def cells_of(names: list[str], rows: list[dict[str, Any]]) -> Counter[str]:
    """Records as a bag of their cells: what a table holds, whatever the order."""
    return Counter(repr([row[name] for name in names]) for row in rows)


def by_sql(rules: Rulebook, snapshot: Snapshot, context: RunContext) -> list[dict[str, Any]]:
    """What the exported statements make of the delivered table."""
    with duckdb.connect() as con:
        con.execute("SET TimeZone = 'UTC'")
        con.execute(f"CREATE VIEW delivered AS SELECT * FROM read_parquet({[str(part) for part in snapshot.parts]})")
        con.execute(whole_duckdb(compiled(rules, snapshot.columns, context)))
        rows = con.execute("SELECT * FROM result").fetchall()
        heads = [head[0] for head in con.description or []]
        return [dict(zip(heads, row, strict=True)) for row in rows]


def by_script(
    rules: Rulebook, snapshot: Snapshot, context: RunContext, folder: Path
) -> tuple[dict[str, list[dict[str, Any]]], dict[str, int], int]:
    """The tables that the stand-alone script writes, its counts and its exit code."""
    module = types.ModuleType("written_script")
    exec(compile(script("Any", rules, snapshot.columns, [], context), "script.py", "exec"), module.__dict__)
    arguments = ["--delivered", str(snapshot.parts[0]), "--out", str(folder), "--format", "parquet"]
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        code = module.main(arguments)
    parts = {name: pq.read_table(folder / f"{name}.parquet").to_pylist() for name in STATES}
    return parts, json.loads((folder / "counts.json").read_text()), code


def run_or_refusal(snapshot: Snapshot, rules: Rulebook, context: RunContext, folder: Path) -> Outcome | str:
    """The outcome of a run, or what it is refused with."""
    try:
        return run_rulebook(snapshot, rules, folder, context=context)
    except PravinError as error:
        return error.message


def counts_of(effect: Effect, other: Effect) -> dict[str, Any]:
    return {name: getattr(effect, name) for name in COUNTS if name != "records" or other.records is not None}


def agree(snapshot: Snapshot, rules: Rulebook, context: RunContext, folder: Path) -> Outcome | None:
    """Compares the four ways; None when all of them refuse the rules."""
    last = rules.rules[-1].id
    outcome = run_or_refusal(snapshot, rules, context, folder / "run")
    if isinstance(outcome, str):
        for way in (
            lambda: effect_of(snapshot, rules, last, folder / "alone", context=context),
            lambda: script("Any", rules, snapshot.columns, [], context),
            lambda: whole_duckdb(compiled(rules, snapshot.columns, context)),
        ):
            with pytest.raises(PravinError) as refused:
                way()
            assert refused.value.message == outcome
        return None
    rows = [row for part in result_parts(folder / "run") for row in pq.read_table(part).to_pylist()]
    names = [name for name, _ in outcome.columns]

    alone = effect_of(snapshot, rules, last, folder / "alone", context=context)
    assert counts_of(alone, alone) == counts_of(outcome.effects[-1], alone)

    told = ["__record", "__state", "__reasons", *names]
    assert cells_of(told, by_sql(rules, snapshot, context)) == cells_of(told, rows)

    parts, counts, code = by_script(rules, snapshot, context, folder / "script")
    for name, states in STATES.items():
        expected = [row for row in rows if row["__state"] in states]
        if name == "ready":
            assert cells_of(names, parts[name]) == cells_of(names, expected)
        else:
            assert len(parts[name]) == len(expected)
    balance = outcome.reconciliation
    assert counts["delivered"] == balance.delivered
    assert counts.get("quarantined", 0) == balance.quarantined
    assert counts.get("removed", 0) == balance.removed
    assert code == int(bool(outcome.stopped_by))
    return outcome


@pytest.mark.parametrize("kind", sorted(KINDS))
@settings(max_examples=4, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_effect_run_script_and_sql_of_each_kind_agree(
    kind: str, data: st.DataObject, table: Table, tmp_path: Path
) -> None:
    example = data.draw(st.sampled_from(KINDS[kind].examples))
    before = data.draw(tables(example.before))
    rule = data.draw(variants(kind, example.rule, list(before)))
    (folder := tmp_path / f"r{len(list(tmp_path.iterdir()))}").mkdir()
    agree(table(before), book(*example.first, rule), seen_by(example, folder), folder)


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(records=RECORDS, rules=RULES.filter(bool))
def test_so_do_those_of_any_rulebook(
    records: list[tuple[str | None, ...]], rules: list[dict[str, Any]], table: Table, tmp_path: Path
) -> None:
    (folder := tmp_path / f"r{len(list(tmp_path.iterdir()))}").mkdir()
    snapshot = table({name: [row[place] for row in records] for place, name in enumerate("abc")})
    agree(snapshot, book(*rules), RunContext(), folder)


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_the_four_ways_are_compared_for_each_kind(kind: str, table: Table, tmp_path: Path) -> None:
    """Not only refused: on the table of its first example each kind runs in all four."""
    example = KINDS[kind].examples[0]
    rules = book(*example.first, {"kind": kind, **example.rule})
    assert agree(table(example.before), rules, seen_by(example, tmp_path), tmp_path) is not None
