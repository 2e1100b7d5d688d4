"""A formula tried while it is typed: on the table as the rules above leave it, with the results that a run would write."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_rules import book

from pravin_core.errors import RunError
from pravin_core.formulas.by_example.learning import Wanted
from pravin_core.intake.snapshot import Snapshot
from pravin_core.runs.preview import SHOWN, Request, columns_above, learn_above, try_formula
from pravin_core.runs.runner import result_parts, run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
READ: dict[str, Any] = {"kind": "to-number", "id": "read", "columns": ["ph"], "unconverted": "missing"}
CELLS: dict[str, list[str | None]] = {
    "site": ["Fen-1", "Tarn-2", None, "Fen-1", "total"],
    "ph": ["7.5", "x", "6", "7.5", "20.5"],
}
FORMULAS = {
    "ph * 2": "decimal", "ph > 7": "true/false", "upper(site)": "text", "site || '/' || to_text(ph)": "text",
    "coalesce(ph, 0) + 1": "decimal", "length(site)": "decimal", "case when ph > 7 then 'high' else site end": "text",
    "site is null": "true/false", "null": "text", "left(site, 3) = 'Fen'": "true/false",
}  # fmt: skip


def tried(
    snapshot: Snapshot, work: Path, text: str, *rules: dict[str, Any], below: str = "", is_condition: bool = False
) -> Any:
    return try_formula(snapshot, book(*rules), below, text, is_condition, work / "scratch")


@pytest.mark.parametrize("formula", FORMULAS)
def test_the_results_are_those_of_the_run(formula: str, table: Table, tmp_path: Path) -> None:
    snapshot = table(CELLS)
    found_result = tried(snapshot, tmp_path, formula, READ)
    assert (found_result.message, found_result.type) == ("", FORMULAS[formula])
    new_results = {"kind": "compute", "id": "made", "columns": ["made"], "formula": formula}
    as_text = {"kind": "to-text", "id": "text", "columns": ["made"]}
    rules = [READ, new_results] if FORMULAS[formula] == "text" else [READ, new_results, as_text]
    run_rulebook(snapshot, book(*rules), tmp_path / "run")
    results = {
        row["__record"]: row["made"]
        for part in result_parts(tmp_path / "run")
        for row in pq.read_table(part).to_pylist()
    }
    assert {record: result for record, _, result in found_result.rows} == {
        record: results[record] for record, *_ in found_result.rows
    }
    assert [record for record, *_ in found_result.rows] == sorted({record for record, *_ in found_result.rows})


def test_different_inputs_are_shown_once_with_what_is_read(table: Table, tmp_path: Path) -> None:
    result = tried(table(CELLS), tmp_path, "upper(site)", READ)
    assert result.reads == ("site",)
    assert result.rows == (
        (1, ("Fen-1",), "FEN-1"), (2, ("Tarn-2",), "TARN-2"), (3, (None,), None), (5, ("total",), "TOTAL"),
    )  # fmt: skip
    assert result.columns == (("site", "text"), ("ph", "decimal"))


def test_a_formula_that_reads_nothing_has_one_result(table: Table, tmp_path: Path) -> None:
    assert tried(table(CELLS), tmp_path, "1 + 1").rows == ((1, (), "2"),)


def test_at_most_some_inputs_are_shown(table: Table, tmp_path: Path) -> None:
    many = table({"n": [str(n) for n in range(40)]})
    assert [record for record, *_ in tried(many, tmp_path, "n").rows] == list(range(1, SHOWN + 1))


def test_the_place_in_the_rulebook_decides_what_a_column_is(table: Table, tmp_path: Path) -> None:
    """Above the rule that reads numbers ph is text; below it a number; records that rules removed are not shown."""
    snapshot = table(CELLS)
    gone = {"kind": "remove-where", "id": "gone", "columns": ["site"], "values": ["total"]}
    dropped = {"kind": "drop-columns", "id": "dropped", "columns": ["site"]}
    rules = [gone, READ, dropped, {"kind": "required", "id": "check", "columns": ["ph"]}]
    assert tried(snapshot, tmp_path, "ph", *rules, below="r1").type == "text"
    assert len(tried(snapshot, tmp_path, "ph", *rules, below="r1").rows) == 4
    assert tried(snapshot, tmp_path, "ph", *rules, below="r3").type == "decimal"
    assert [row[2] for row in tried(snapshot, tmp_path, "site", *rules, below="r3").rows] == [
        "Fen-1",
        "Tarn-2",
        None,
    ]
    assert "site" in tried(snapshot, tmp_path, "site", *rules).message  # at the end the column is not there any more
    off = [rule | {"enabled": False} for rule in rules[:3]] + rules[3:]
    assert tried(snapshot, tmp_path, "site", *off).type == "text"
    assert [item.name for item in columns_above(snapshot, book(*rules), "", tmp_path / "c")] == ["ph"]
    assert [item.name for item in columns_above(snapshot, book(*rules), "r3", tmp_path / "c")] == ["site", "ph"]


@pytest.mark.parametrize(
    ("formula", "at"), [("ph * nothing", "nothing"), ("upper(site", ""), ("ph +", ""), ("site = 'Fen", "'")]
)
def test_an_error_says_where_and_keeps_the_columns(formula: str, at: str, table: Table, tmp_path: Path) -> None:
    result = tried(table(CELLS), tmp_path, formula, READ)
    assert result.message
    assert 0 <= result.start <= result.end <= len(formula)
    assert at in formula[result.start : result.end + 1]
    assert (result.rows, result.type) == ((), "")
    assert [name for name, _ in result.columns] == ["site", "ph"]


@pytest.mark.parametrize(
    ("formula", "is_one"), [("ph > 7", True), ("site is null or ph < 3", True), ("ph + 1", False), ("site", False)]
)
def test_a_condition_must_be_true_or_false(formula: str, is_one: bool, table: Table, tmp_path: Path) -> None:
    result = tried(table(CELLS), tmp_path, formula, READ, is_condition=True)
    assert (result.type == "true/false") is is_one
    assert bool(result.message) is not is_one


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(cells=st.lists(st.sampled_from([None, "", " ", "7", "7.25", "-3", "1e3", "x", "n/a"]), min_size=1, max_size=20))
def test_numbers_are_those_that_python_reads(cells: list[str | None], table: Table, tmp_path: Path) -> None:
    def number(cell: str | None) -> float | None:
        try:
            return float(cell) if cell else None
        except ValueError:
            return None

    found_result = tried(table({"ph": cells}), tmp_path, "ph * 2 - 1", READ)
    results = {record: None if result is None else float(result) for record, _, result in found_result.rows}
    for record, cell in enumerate(cells, start=1):
        if record in results:
            known = number(cell)
            assert results[record] == (None if known is None else pytest.approx(known * 2 - 1))
    assert len(results) == min(SHOWN, len({number(cell) for cell in cells}))


def test_formulas_are_learned_of_the_table_that_the_rules_above_leave(table: Table, tmp_path: Path) -> None:
    snapshot = table({"site": [" fen-1", "tarn-22 ", "weir-3", "upham-4"]})
    trim = {"kind": "trim-spaces", "id": "trim", "columns": ["site"]}
    expected = [Wanted(record=1, result="FEN"), Wanted(record=2, result="TARN")]
    learned, examples = learn_above(snapshot, book(trim), "", Request(["site"], expected), tmp_path / "s")
    assert learned.candidates
    best = tried(snapshot, tmp_path, learned.candidates[0].formula, trim)
    assert [result for *_, result in best.rows] == ["FEN", "TARN", "WEIR", "UPHAM"]
    assert dict(examples)[2] == ("tarn-22",)
    with pytest.raises(RunError, match="no column 'place'"):
        learn_above(snapshot, book(trim), "", Request(["place"], expected), tmp_path / "s")
