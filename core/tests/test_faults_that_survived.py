"""What small faults put into the code showed to be tested by nothing: each of these failed with one of them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from test_rules import book

from pravin_core.errors import PravinError, RulebookError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.pages import Stage, read_page
from pravin_core.rules.from_text import rulebook_from_text
from pravin_core.rules.review import review
from pravin_core.runs.runner import run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]


def ran(snapshot: Snapshot, folder: Path, *rules: dict[str, Any]) -> tuple[dict[str, str], list[list[Any]], int]:
    """The columns with their types, the cells of the ready records, and how many records are quarantined."""
    whole = book(*rules)
    outcome = run_rulebook(snapshot, whole, folder / "r")
    page = read_page(Stage(snapshot, folder / "r", outcome, whole), [], None, False, 0, 100, folder / "s")
    return dict(outcome.columns), [row["cells"] for row in page.rows], outcome.reconciliation.quarantined


def test_columns_of_one_type_keep_it_as_records_and_of_several_become_text(table: Table, tmp_path: Path) -> None:
    snapshot = table({"id": ["x", "y"], "a": ["1", "02"], "b": ["3", "04"]})
    to_records = {"kind": "columns-to-records", "columns": ["a", "b"], "names": "n", "values": "v"}
    both, cells, _ = ran(snapshot, tmp_path / "both", {"kind": "to-number", "columns": ["a", "b"]}, to_records)
    assert (both["v"], sorted(row[-1] for row in cells)) == ("decimal", ["1", "2", "3", "4"])
    one, cells, _ = ran(snapshot, tmp_path / "one", {"kind": "to-number", "columns": ["a"]}, to_records)
    assert (one["v"], sorted(row[-1] for row in cells)) == ("text", ["04", "1", "2", "3"])


@pytest.mark.parametrize(("direction", "quarantined"), [("both", 3), ("first determines second", 0)])
def test_one_direction_of_pairs_forgives_the_other(
    table: Table, tmp_path: Path, direction: str, quarantined: int
) -> None:
    snapshot = table({"code": ["1", "2", "3", "4"], "name": ["a", "a", "a", "b"]})
    check = {"kind": "one-to-one", "columns": ["code", "name"], "direction": direction}
    assert ran(snapshot, tmp_path, check)[2] == quarantined


@pytest.mark.parametrize(
    ("low", "read", "said"),
    [("5", {"kind": "to-date", "formats": ["%Y-%m-%d"]}, "numbers"), ("2024-03-01", {"kind": "to-number"}, "dates")],
)
def test_limits_of_another_type_than_the_column_are_told(
    table: Table, tmp_path: Path, low: str, read: dict[str, Any], said: str
) -> None:
    snapshot = table({"a": ["2024-03-17" if said == "numbers" else "7"]})
    with pytest.raises(PravinError, match=f"The limits are {said}, but a is"):
        ran(snapshot, tmp_path, {**read, "columns": ["a"]}, {"kind": "in-range", "columns": ["a"], "low": low})


@pytest.mark.parametrize(("factor", "undone"), [(10, True), (10.001, False), (9, False), (0.1, False)])
def test_scaling_back_is_told_and_scaling_otherwise_is_not(factor: float, undone: bool) -> None:
    scale = {"kind": "scale-values", "columns": ["a"], "low": "0", "high": "10"}
    advice = review(book({**scale, "factor": 0.1}, {**scale, "factor": factor}))
    assert any("It undoes rule 1" in remark.says for remark in advice) is undone


def test_where_a_text_is_no_yaml_is_told_as_people_count() -> None:
    with pytest.raises(RulebookError) as error:
        rulebook_from_text("rules:\n  - kind: [trim-spaces\n  - kind: x\n")
    assert error.value.where == {"line": 3, "column": 9}  # the colon, where a comma or the bracket was expected
