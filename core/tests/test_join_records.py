"""Lists in cells: split into records, corrected there, and joined again."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_after_rules import cells_of, left
from test_rules import book

from pravin_core.intake.snapshot import Snapshot
from pravin_core.runs.runner import run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
SPLIT: dict[str, Any] = {"kind": "break-cells", "column": "seen", "mark": ";"}
JOIN: dict[str, Any] = {"kind": "join-records", "column": "seen", "mark": ";"}
ITEMS = ("reeds", "Ducks", "ducks", "mud", "frost")


def seen_after(snapshot: Snapshot, work: Path, *rules: dict[str, Any]) -> list[tuple[int, str | None, str | None]]:
    """Number, list and another cell of each record that the rules leave, in the order of the table."""
    return [(row["__record"], row["seen"], row["at"]) for row in cells_of(left(snapshot, work, *rules))]


def test_split_corrected_and_joined_again(table: Table, tmp_path: Path) -> None:
    snapshot = table({"seen": ["reeds;Ducks", None, "ducks;mud;Ducks", "mud"], "at": ["w1", "w2", "w1", None]})
    merge = {"kind": "translate", "columns": ["seen"], "codes": [{"code": "Ducks", "meaning": "ducks"}]}
    assert seen_after(snapshot, tmp_path, SPLIT, merge, JOIN) == [
        (1, "reeds;ducks", "w1"), (2, None, "w2"), (3, "ducks;mud", "w1"), (4, "mud", None),
    ]  # fmt: skip


@given(lists=st.lists(st.lists(st.sampled_from(ITEMS), max_size=5), min_size=1, max_size=12), once=st.booleans())
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_joining_undoes_splitting(table: Table, tmp_path: Path, lists: list[list[str]], once: bool) -> None:
    snapshot = table({"seen": [";".join(items) or None for items in lists], "at": [str(len(items)) for items in lists]})
    work = tmp_path / f"w{len(list(tmp_path.iterdir()))}"
    work.mkdir()
    expected = [(at, ";".join(dict.fromkeys(items) if once else items) or None, str(len(items)))
              for at, items in enumerate(lists, 1)]  # fmt: skip
    assert seen_after(snapshot, work, SPLIT, JOIN | {"once": once}) == expected


def test_records_alike_in_columns_are_joined_in_their_order(table: Table, tmp_path: Path) -> None:
    snapshot = table({"seen": ["b", "a", None, "c", "a"], "at": ["x", "y", "x", "x", None]})
    assert seen_after(snapshot, tmp_path, JOIN | {"groups": ["at"], "mark": ", "}) == [
        (1, "b, c", "x"), (2, "a", "y"), (5, "a", None),
    ]  # fmt: skip


def test_records_removed_before_are_not_joined(table: Table, tmp_path: Path) -> None:
    snapshot = table({"seen": ["a", "total", "b"], "at": ["x", "x", "x"]})
    gone = {"kind": "remove-where", "columns": ["seen"], "values": ["total"]}
    assert seen_after(snapshot, tmp_path, gone, JOIN | {"groups": ["at"]}) == [(1, "a;b", "x")]


def test_its_effect_counts_records_and_changed_cells(table: Table, tmp_path: Path) -> None:
    snapshot = table({"seen": ["a", "b", "c", "c"], "at": ["x", "x", "y", "y"]})
    outcome = run_rulebook(snapshot, book(JOIN | {"groups": ["at"]}), tmp_path / "run")
    effect = outcome.effects[0]
    assert (effect.cells, effect.removed) == (1, 2)  # a;b is new, c with itself once is what it was


@pytest.mark.parametrize(("rule", "sentence"), [
    (JOIN, "Join seen into lists with ; of records that were one, each item once."),
    (JOIN | {"groups": ["at", "no"], "once": False}, "Join seen into lists with ; of records alike in at, no."),
])  # fmt: skip
def test_its_sentence(rule: dict[str, Any], sentence: str) -> None:
    assert "".join(part.text for part in book(rule).rules[0].describe()) == sentence
