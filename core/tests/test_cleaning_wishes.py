"""What people wish for is fulfilled by one to three rules: the table that leaves, and the records set apart."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pyarrow.parquet as pq
import pytest
from cleaning_wishes import WISHES, Wish
from test_rules import book, plain, seen_by

from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.base import Example
from pravin_core.runs.runner import result_parts, run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]


@pytest.mark.parametrize("wish", WISHES, ids=[wish.wish for wish in WISHES])
def test_a_wish_is_fulfilled(wish: Wish, table: Table, tmp_path: Path) -> None:
    context = seen_by(Example(rule={}, before={}, after={}, references=wish.references), tmp_path)
    outcome = run_rulebook(table(wish.before), book(*wish.rules), tmp_path / "r", context=context)
    rows = [row for part in result_parts(tmp_path / "r") for row in pq.read_table(part).to_pylist()]
    rows.sort(key=lambda row: row["__place" if outcome.ordered else "__record"])
    ready = [row for row in rows if row["__state"] in ("ready", "corrected")]
    assert {name: [plain(row[name]) for row in ready] for name, _ in outcome.columns} == wish.ready
    assert [row["__record"] for row in rows if row["__state"] == "quarantined"] == wish.quarantined
    assert 1 <= len(wish.rules) <= 3


def test_there_are_enough_of_them() -> None:
    assert len({wish.wish for wish in WISHES}) == len(WISHES) >= 60
