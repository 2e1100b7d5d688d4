"""A record is corrected when a rule changed one of its delivered values: reading a value as its type, or filling a new
column, is no correction.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from test_rules import EXAMPLES, book, seen_by

from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.pages import Stage, read_page
from pravin_core.rules.base import Example
from pravin_core.runs.runner import run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
READING = ("to-number", "to-date", "to-truth", "write-numbers", "write-dates")
PLAIN = [(kind, example) for kind, example in EXAMPLES if kind not in READING and not example.first]


@pytest.mark.parametrize(("kind", "example"), PLAIN)
def test_corrected_are_the_records_in_which_a_delivered_value_changed(
    kind: str, example: Example, table: Table, tmp_path: Path
) -> None:
    snapshot, rules = table(example.before), book({"kind": kind, **example.rule})
    outcome = run_rulebook(snapshot, rules, tmp_path / "r", context=seen_by(example, tmp_path))
    page = read_page(Stage(snapshot, tmp_path / "r", outcome, rules), [], None, False, 0, 100, tmp_path / "s")
    delivered = [
        at for at, (name, _) in enumerate(page.columns) if outcome.delivered.get(name, name) in snapshot.columns
    ]
    for row in page.rows:
        if row["state"] in ("ready", "corrected"):
            changed = any(row["originals"][at] is not None for at in delivered)
            assert (row["state"] == "corrected") == changed, row


STATES: list[tuple[dict[str, Any], list[str]]] = [
    ({"kind": "to-number", "columns": ["a"], "unconverted": "missing"}, ["ready", "ready", "corrected", "ready"]),
    ({"kind": "to-number", "columns": ["a"], "unconverted": "missing", "result": "beside"}, ["ready"] * 4),
    ({"kind": "compute", "columns": ["c"], "formula": "a || 'x'"}, ["ready"] * 4),
    ({"kind": "compute", "columns": ["b"], "formula": "a"}, ["corrected", "ready", "corrected", "corrected"]),
    ({"kind": "split-column", "column": "a", "mark": ".", "into": ["b", "c"]}, ["ready", "ready", "corrected", "corrected"]),
    ({"kind": "extract", "columns": ["a"], "which": "number", "unconverted": "missing", "result": "beside"}, ["ready"] * 4),
    ({"kind": "add-column", "name": "n", "value": "1"}, ["ready"] * 4),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "states"), STATES)
def test_states_after_rules_that_read_fill_and_change(
    rule: dict[str, Any], states: list[str], table: Table, tmp_path: Path
) -> None:
    snapshot = table({"a": ["7.4", "8", "x", None], "b": ["7", "8", "y", "z"]})
    rules = book(rule)
    stage = Stage(snapshot, tmp_path / "r", run_rulebook(snapshot, rules, tmp_path / "r"), rules)
    rows = read_page(stage, [], None, False, 0, 9, tmp_path / "s").rows
    assert [row["state"] for row in rows] == states
