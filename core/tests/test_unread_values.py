"""A value that could not be read stays in sight: in pages of records, files of the quarantined, scripts and statements."""

from __future__ import annotations

import csv
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import duckdb
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_rules import book

from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.exports.sql import compiled, whole_duckdb
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.pages import Stage, read_page
from pravin_core.releases import writers
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.tables.types import DataType

Table = Callable[[dict[str, list[str | None]]], Snapshot]
CELLS: dict[str, list[str | None]] = {
    "ph": ["7.4", "x", None, "=1+1"],
    "day": ["2024-03-01", "2024-03-02", "31 April", None],
}
RULES: list[dict[str, Any]] = [
    {"kind": "to-number", "columns": ["ph"]}, {"kind": "to-date", "columns": ["day"], "formats": ["%Y-%m-%d"]},
    {"kind": "rename-columns", "names": [{"code": "ph", "meaning": "acidity"}]}, {"kind": "required", "columns": ["acidity"], "consequence": "note"},
]  # fmt: skip
WANTED = [["x", "2024-03-02"], [None, "31 April"], ["=1+1", None]]


@pytest.fixture
def ran(table: Table, tmp_path: Path) -> Stage:
    snapshot, rules = table(CELLS), book(*RULES)
    return Stage(snapshot, tmp_path / "r", run_rulebook(snapshot, rules, tmp_path / "r"), rules)


def test_a_page_of_records_shows_it(ran: Stage, tmp_path: Path) -> None:
    page = read_page(ran, [], None, False, 0, 10, tmp_path / "s")
    rows = [row for row in page.rows if row["state"] == "quarantined"]
    assert [row["cells"] for row in rows] == WANTED
    assert all(shown is None for row in rows for shown in row["originals"])


@pytest.mark.parametrize("form", ["csv", "jsonl"])
@pytest.mark.parametrize("defused", [True, False])
def test_files_of_the_quarantined_hold_it(ran: Stage, tmp_path: Path, form: writers.Format, defused: bool) -> None:
    assert ran.outcome is not None
    query = writers.quarantined(result_parts(tmp_path / "r"), ran.outcome)
    if form == "csv":
        query = writers.delimited(query, {name: DataType(kind) for name, kind in ran.outcome.columns}, defused)
    target = tmp_path / f"held.{form}"
    with connect([tmp_path], tmp_path / "s") as con:
        know_operations(con)
        writers.write(con, query, target, form)
    rows = list(csv.DictReader(target.open())) if form == "csv" else [json.loads(line) for line in target.open()]
    expected = [["'=1+1" if cell == "=1+1" and defused and form == "csv" else cell for cell in row] for row in WANTED]
    assert [[row["acidity"] or None, row["day"] or None] for row in rows] == expected


def test_exported_statements_hold_it(ran: Stage) -> None:
    with duckdb.connect() as con:
        con.execute(f"CREATE VIEW delivered AS SELECT * FROM read_parquet('{ran.snapshot.parts[0]}')")
        con.execute(whole_duckdb(compiled(ran.rulebook, ran.snapshot.columns)))
        assert [list(row) for row in con.execute("SELECT acidity, day FROM quarantined").fetchall()] == WANTED


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(texts=st.lists(st.text(st.sampled_from("1. x-'\"é"), min_size=1, max_size=6), min_size=1, max_size=8))
def test_every_text_is_a_number_or_still_there(texts: list[str], table: Table, tmp_path: Path) -> None:
    snapshot, rules = table({"n": list(texts)}), book({"kind": "to-number", "columns": ["n"]})
    folder = tmp_path / f"run-{len(list(tmp_path.iterdir()))}"
    stage = Stage(snapshot, folder, run_rulebook(snapshot, rules, folder), rules)
    rows = read_page(stage, [], None, False, 0, 100, tmp_path / "s").rows
    for text, row in zip(texts, rows, strict=True):
        cell = row["cells"][0]
        if text.strip() == "" and cell is None:
            continue
        assert cell == text if row["state"] == "quarantined" else float(cell) == float(text)
