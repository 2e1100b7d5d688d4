"""What is said of one rule, or of one record, alone: the effect of each kind of rule is what a run tells of it, also under a
condition and with results beside; a record tried again alone is what the run made of it.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_effects import COUNTS
from test_once_for_each_value import BESIDE, CONDITIONAL, repeated
from test_rules import book, seen_by

from pravin_core.compiler.plan import RunContext
from pravin_core.errors import PravinError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.base import AcrossCheck, ColumnCorrection, Example, RecordsCheck
from pravin_core.rules.registry import KINDS
from pravin_core.runs.effects.effect import effect_of
from pravin_core.runs.model import Outcome
from pravin_core.runs.runner import result_parts, retry_record, run_rulebook
from pravin_core.tables.names import REASONS, STATE

Table = Callable[[dict[str, list[str | None]]], Snapshot]
Rule = dict[str, Any]
EVERY = sorted(KINDS)


def run(snapshot: Snapshot, rules: list[Rule], folder: Path, context: RunContext) -> Outcome | None:
    """The outcome of a run; None when the rules are refused."""
    try:
        return run_rulebook(snapshot, book(*rules), folder, context=context)
    except PravinError:
        return None


def alone_is_as_in_the_run(table: Table, example: Example, rule: Rule, folder: Path) -> None:
    """The effect of the last rule, computed alone, against what the run counted."""
    folder.mkdir()
    context, snapshot = seen_by(example, folder), table(repeated(example.before))
    rules = [*example.first, rule]
    if (outcome := run(snapshot, rules, folder / "run", context)) is None:
        with pytest.raises(PravinError):
            effect_of(snapshot, book(*rules), f"r{len(rules)}", folder / "alone", context=context)
        return
    effect = outcome.effects[-1]
    alone = effect_of(snapshot, book(*rules), effect.rule, folder / "alone", context=context)
    counts = [name for name in COUNTS if name != "records" or alone.records is not None]
    assert {name: getattr(alone, name) for name in counts} == {name: getattr(effect, name) for name in counts}
    changed = sum(pair.times for pair in alone.pairs)
    assert changed <= max(effect.cells, effect.broken, effect.records)  # pairs are examples of what is counted
    assert all(pair.before != pair.after for pair in alone.pairs if effect.cells)


@pytest.mark.parametrize("kind", EVERY)
def test_the_effect_of_each_kind(kind: str, table: Table, tmp_path: Path) -> None:
    for at, example in enumerate(KINDS[kind].examples):
        alone_is_as_in_the_run(table, example, {"kind": kind, **example.rule}, tmp_path / f"example-{at}")


@pytest.mark.parametrize("kind", CONDITIONAL)
def test_the_effect_of_each_kind_under_a_condition(kind: str, table: Table, tmp_path: Path) -> None:
    example = KINDS[kind].examples[0]
    name = '"' + list(example.before)[-1].replace('"', '""') + '"'
    rule = {"kind": kind, **example.rule, "when": f"length({name}) > 1 or {name} is null"}
    alone_is_as_in_the_run(table, example, rule, tmp_path / "when")


@pytest.mark.parametrize("kind", BESIDE)
def test_the_effect_of_each_kind_with_the_result_beside(kind: str, table: Table, tmp_path: Path) -> None:
    example = KINDS[kind].examples[0]
    rule = {"kind": kind, **example.rule, "result": "beside", "ending": " made"}
    alone_is_as_in_the_run(table, example, rule, tmp_path / "beside")


def of_one_record(kind: str) -> bool:
    """Whether what a kind makes of a record depends on this record alone."""
    one = KINDS[kind]
    return issubclass(one, ColumnCorrection) or (one.is_check and not issubclass(one, AcrossCheck | RecordsCheck))


@pytest.mark.parametrize("kind", [kind for kind in EVERY if of_one_record(kind)])
@settings(max_examples=2, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_a_record_tried_again_is_what_the_run_made_of_it(
    kind: str, data: st.DataObject, table: Table, tmp_path: Path
) -> None:
    example = data.draw(st.sampled_from(KINDS[kind].examples))
    (folder := tmp_path / f"r{len(list(tmp_path.iterdir()))}").mkdir()
    context, snapshot = seen_by(example, folder), table(repeated(example.before))
    rules = [*example.first, {"kind": kind, **example.rule}]
    outcome = run(snapshot, rules, folder / "run", context)
    if outcome is None or outcome.traced:
        return
    rows = {row["__record"]: row for part in result_parts(folder / "run") for row in pq.read_table(part).to_pylist()}
    record = data.draw(st.integers(1, snapshot.records))
    again = retry_record(snapshot, book(*rules), record, [], folder / "scratch", context=context)
    assert again["state"] == rows[record][STATE]
    assert repr(again["reasons"]) == repr(rows[record][REASONS])
    assert set(again["values"]) == {name for name, _ in outcome.columns}


@pytest.mark.parametrize("formula", ["1 + 1", "'x'", "null", "today()", "concat('a', 'b')"])
def test_the_effect_of_a_formula_that_reads_no_column(formula: str, table: Table, tmp_path: Path) -> None:
    example = Example(rule={}, before={"a": ["1", "2", None]}, after={})
    alone_is_as_in_the_run(table, example, {"kind": "compute", "columns": ["n"], "formula": formula}, tmp_path / "none")
