"""The table that rules leave, and which findings rules treat."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_findings import DAYS, PH, cycle, findings
from test_rules import book

from pravin_core.intake.snapshot import Snapshot, load_snapshot
from pravin_core.profiling.findings.treated import treated
from pravin_core.profiling.model import Finding
from pravin_core.records.after_rules import first_rules, table_after
from pravin_core.records.pages import Stage, read_page
from pravin_core.runs.runner import run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]


def left(snapshot: Snapshot, work: Path, *rules: dict[str, Any]) -> Snapshot:
    """The table that rules leave."""
    rulebook = book(*rules)
    outcome = run_rulebook(snapshot, rulebook, work / "result")
    return table_after(Stage(snapshot, work / "result", outcome, rulebook), work / "after")


def cells_of(snapshot: Snapshot) -> list[dict[str, Any]]:
    return [row for part in snapshot.parts for row in pq.read_table(part).to_pylist()]


def test_what_is_removed_or_held_back_is_not_in_it_and_numbers_stay(table: Table, tmp_path: Path) -> None:
    snapshot = table({"a": ["1", "total", "x", None, "4"], "b": ["p", "q", "r", "s", "t"]})
    after = left(
        snapshot, tmp_path, {"kind": "remove-where", "columns": ["a"], "values": ["total"]},
        {"kind": "to-number", "columns": ["a"]},
    )  # fmt: skip
    assert [(row["__record"], row["a"], row["b"]) for row in cells_of(after)] == [
        (1, "1", "p"),
        (4, None, "s"),
        (5, "4", "t"),
    ]
    assert (after.records, after.columns, after.rejected) == (3, ("a", "b"), 0)
    assert load_snapshot(after.folder) == after
    assert [file.name for file in after.files] == [file.name for file in snapshot.files]


def test_columns_and_records_are_those_of_the_rules(table: Table, tmp_path: Path) -> None:
    snapshot = table({"n": ["3", "1", "2"], "list": ["x|y", "z", "x"]})
    after = left(
        snapshot, tmp_path, {"kind": "break-cells", "column": "list"}, {"kind": "sort-records", "keys": [{"column": "list"}]},
        {"kind": "drop-columns", "columns": ["n"]},
    )  # fmt: skip
    assert after.columns == ("list",)
    assert sorted(row["list"] for row in cells_of(after)) == ["x", "x", "y", "z"]
    page = read_page(Stage(after), (), None, False, 0, 9, tmp_path / "s")
    assert {(row["record"], row["cells"][0]) for row in page.rows} >= {(1, "x"), (2, "z"), (3, "x")}
    assert page.total == 4


@given(data=st.data())
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_it_holds_what_records_show_after_the_run(data: st.DataObject, table: Table, tmp_path: Path) -> None:
    """Cell by cell what the records of the run show, for any order of some rules."""
    pool = [
        {"kind": "trim-spaces", "columns": ["a"]}, {"kind": "to-number", "columns": ["b"], "unconverted": "missing"},
        {"kind": "letter-case", "columns": ["a"], "letters": "capitals"}, {"kind": "required", "columns": ["a"]},
        {"kind": "remove-duplicates"}, {"kind": "in-range", "columns": ["b"], "low": "0"},
    ]  # fmt: skip
    rules = data.draw(st.permutations(pool))[: data.draw(st.integers(0, 6))]
    cells = st.lists(st.sampled_from(["x", " x", "Y", "-3", "4.50", None, ""]), min_size=8, max_size=8)
    snapshot = table({"a": data.draw(cells), "b": data.draw(cells)})
    work = tmp_path / str(random.random())
    rulebook = book(*rules)
    outcome = run_rulebook(snapshot, rulebook, work / "result")
    stage = Stage(snapshot, work / "result", outcome, rulebook)
    shown = read_page(stage, (), None, False, 0, 99, work / "s")
    expected = [(row["record"], row["cells"]) for row in shown.rows if row["state"] not in ("removed", "quarantined")]
    after = table_after(stage, work / "after")
    page = read_page(Stage(after), (), None, False, 0, 99, work / "s2")
    assert [(row["record"], row["cells"]) for row in page.rows] == expected


def test_the_first_rules_of_a_rulebook() -> None:
    rulebook = book(
        {"kind": "trim-spaces", "columns": ["a"]}, {"kind": "required", "columns": ["a"]}, {"kind": "to-text", "columns": ["a"]},
    )  # fmt: skip
    assert [rule.id for rule in rulebook.rules] == ["r1", "r3", "r2"]  # checks judge what all corrections have made
    assert [rule.id for rule in first_rules(rulebook, "r3").rules] == ["r1", "r3"]
    assert first_rules(rulebook, "") is rulebook
    with pytest.raises(KeyError):
        first_rules(rulebook, "r9")


TREATS: list[tuple[str, list[str | None], dict[str, Any], bool]] = [
    ("disguised missing", [*PH, "n/a", "?"], {"kind": "missing-tokens", "tokens": ["n/a", "?"]}, True),
    ("disguised missing", [*PH, "n/a", "?"], {"kind": "missing-tokens", "tokens": ["n/a"]}, False),
    ("disguised missing", [*PH, "n/a"], {"kind": "replace-text", "find": "n/a", "replacement": ""}, True),
    ("disguised missing", [*PH, "n/a"], {"kind": "required"}, False),
    ("does not fit its type", [*PH, "acid"], {"kind": "to-number"}, True),
    ("does not fit its type", [*PH, "acid"], {"kind": "to-number", "unconverted": "missing"}, True),
    ("does not fit its type", [*PH, "acid"], {"kind": "of-type", "type": "decimal", "consequence": "note"}, False),
    ("does not fit its type", [*PH, "acid"], {"kind": "of-type", "type": "decimal", "enabled": False}, False),
    ("does not fit its type", [*PH, "acid"], {"kind": "of-type", "type": "decimal", "columns": ["other"]}, False),
    ("spaces at the ends", [*cycle(["Fen", "Tarn"], 30), "Fen "], {"kind": "trim-spaces"}, True),
    (
        "spaces at the ends",
        [*cycle(["Fen", "Tarn"], 30), "Fen "],
        {"kind": "trim-spaces", "when": "other = '1'"},
        False,
    ),
    ("impossible year", [*DAYS, "2107-03-04"], {"kind": "in-range", "low": "2020-01-01", "high": "2030-01-01"}, True),
    ("scale slip", [*PH, "74"], {"kind": "scale-values", "factor": 0.1, "low": "20", "high": "200"}, True),
    ("scale slip", [*PH, "74"], {"kind": "scale-values", "factor": 0.1, "low": "80", "high": "200"}, False),
]


@pytest.mark.parametrize(("kind", "cells", "rule", "treats"), TREATS)
def test_a_rule_treats_a_finding_when_it_changes_or_holds_back_all_that_it_shows(
    kind: str, cells: list[str | None], rule: dict[str, Any], treats: bool, table: Table, tmp_path: Path
) -> None:
    _, noticed = findings(table, tmp_path, {"v": cells, "other": [str(i * i) for i in range(len(cells))]})
    (one,) = [item for item in noticed if item.kind == kind and item.columns == ("v",)]
    rulebook = book({"kind": "to-text", "columns": ["other"]}, {"columns": ["v"], **rule})
    assert treated(noticed, rulebook, tmp_path / "t").get(one.id) == ("r2" if treats else None)


def test_a_finding_about_records_is_treated_by_the_rule_that_it_proposes(table: Table, tmp_path: Path) -> None:
    rows = [str(i * i) for i in range(60)]
    _, noticed = findings(table, tmp_path, {"a": [*rows, "9"], "b": [*rows, "9"]})
    (one,) = [item for item in noticed if item.kind == "duplicate records"]

    def by(*rules: dict[str, Any]) -> str | None:
        return treated([one], book(*rules), tmp_path / "t").get(one.id)

    assert by({"kind": "remove-duplicates"}) == "r1"
    assert by({"kind": "trim-spaces", "columns": ["a"]}) is None
    assert by() is None


def test_nothing_is_said_of_findings_without_rules_or_evidence(table: Table, tmp_path: Path) -> None:
    _, noticed = findings(table, tmp_path, {"v": [*PH, None, None], "w": cycle(["a", "b"], 62)})
    missing: list[Finding] = [item for item in noticed if item.kind == "missing"]
    assert missing
    assert treated(missing, book({"kind": "trim-spaces", "columns": ["v"]}), tmp_path / "t") == {}
