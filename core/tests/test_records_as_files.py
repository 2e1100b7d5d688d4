"""Records behind a filter as a file hold what the pages show, all of it, in the same order."""

from __future__ import annotations

import csv
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
import pytest
from test_rules import book

from pravin_core.errors import RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.export import export_records
from pravin_core.records.filters import read_filter
from pravin_core.records.pages import Stage, read_page
from pravin_core.runs.runner import run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
CELLS: dict[str, list[str | None]] = {
    "id": ["1", "2", "3", "4", "5"],
    "ph": ["7.4", "74", "x", None, "6.9"],
    "record": ["a", "=1+1", None, 'say "hi"\nthere', "-3"],
}
RULES: list[dict[str, Any]] = [
    {"kind": "to-number", "columns": ["ph"]},
    {"kind": "in-range", "columns": ["ph"], "high": "14"},
    {"kind": "sort-records", "keys": [{"column": "id", "descending": True}]},
]


def stage_of(table: Table, folder: Path) -> Stage:
    rules = book(*RULES)
    snapshot = table(CELLS)
    outcome = run_rulebook(snapshot, rules, folder / "r")
    return Stage(snapshot, folder / "r", outcome, rules)


def shown(stage: Stage, filters: list[Any], sort: str | None, descending: bool, folder: Path) -> list[tuple[Any, ...]]:
    page = read_page(stage, filters, sort, descending, 0, 500, folder / "spills")
    return [(row["record"], row["state"], tuple(row["cells"])) for row in page.rows]


def plain(text: str) -> str:
    """A cell as it was, without the apostrophe that keeps a spreadsheet from running it."""
    return text[1:] if text.startswith("'=") else text


@pytest.mark.parametrize(("sort", "descending"), [(None, False), ("ph", False), ("id", True)])
@pytest.mark.parametrize(
    "filters", [[], [{"on": "column", "name": "ph", "test": "filled"}], [{"on": "state", "value": "quarantined"}]]
)
def test_a_file_holds_what_the_pages_show(
    filters: list[dict[str, Any]], sort: str | None, descending: bool, table: Table, tmp_path: Path
) -> None:
    stage, made = stage_of(table, tmp_path), [read_filter(filter_) for filter_ in filters]
    (tmp_path / "out").mkdir()
    expected = shown(stage, made, sort, descending, tmp_path)
    assert expected
    export_records(stage, made, tmp_path / "out" / "r.csv", "csv", sort, descending)
    with (tmp_path / "out" / "r.csv").open(newline="") as file:
        rows = list(csv.reader(file))
    assert rows[0] == ["record_2", "state", "reasons", "id", "ph", "record"]  # the table's own names stay as they are
    assert [(int(row[0]), row[1], tuple(plain(cell) for cell in row[3:])) for row in rows[1:]] == [
        (record, state, tuple(cell or "" for cell in cells)) for record, state, cells in expected
    ]
    export_records(stage, made, tmp_path / "out" / "r.jsonl", "jsonl", sort, descending)
    lines = [json.loads(line) for line in (tmp_path / "out" / "r.jsonl").read_text().splitlines()]
    assert [line["record_2"] for line in lines] == [record for record, *_ in expected]
    export_records(stage, made, tmp_path / "out" / "r.parquet", "parquet", sort, descending)
    table_ = pq.read_table(tmp_path / "out" / "r.parquet")
    assert table_.column("record_2").to_pylist() == [record for record, *_ in expected]
    assert str(table_.schema.field("ph").type) == "double"


def test_quarantined_records_say_why_and_what_stood_there(table: Table, tmp_path: Path) -> None:
    stage = stage_of(table, tmp_path)
    (tmp_path / "out").mkdir()
    export_records(
        stage, [read_filter({"on": "state", "value": "quarantined"})], tmp_path / "out" / "r.csv", "csv", "id"
    )
    with (tmp_path / "out" / "r.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))
    assert [(row["id"], row["ph"], row["reasons"]) for row in rows] == [
        ("2", "74", "ph 74 is above 14"), ("3", "x", "ph x could not be read"),
    ]  # fmt: skip


def test_as_delivered_there_is_neither_state_nor_reason(table: Table, tmp_path: Path) -> None:
    (tmp_path / "out").mkdir()
    export_records(Stage(table(CELLS)), [], tmp_path / "out" / "r.csv", "csv")
    with (tmp_path / "out" / "r.csv").open(newline="") as file:
        rows = list(csv.reader(file))
    assert rows[0] == ["record_2", "id", "ph", "record"]
    assert [row[2] for row in rows[1:]] == ["7.4", "74", "x", "", "6.9"]
    with pytest.raises(RunError, match="There is no column 'gone'"):
        export_records(Stage(table(CELLS)), [], tmp_path / "out" / "x.csv", "csv", "gone")
