"""Exports: the SQL and the script of every kind of rule give what the run gives, record for record."""

from __future__ import annotations

import csv
import json
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import duckdb
import pyarrow.parquet as pq
import pytest
from test_layers import as_large
from test_rules import EXAMPLES, book, plain, seen_by

from pravin_core.exports.script import SourceSettings, checking_script, script
from pravin_core.exports.sql import compiled, steps, whole_duckdb
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.rules.base import Example
from pravin_core.rules.registry import KINDS
from pravin_core.runs.runner import result_parts, run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]


def state_of(con: duckdb.DuckDBPyConnection, said: str) -> list[tuple[Any, ...]]:
    rows = con.execute(said).fetchall()
    return [tuple(plain(cell) if not isinstance(cell, list) else str(cell) for cell in row) for row in rows]


@pytest.mark.parametrize(("kind", "example"), EXAMPLES)
def test_exported_statements_give_the_result_of_the_run(
    kind: str, example: Example, table: Table, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    as_large(monkeypatch)
    snapshot, around = table(example.before), seen_by(example, tmp_path)
    rules = book(
        *example.first,
        {"kind": kind, **example.rule},
        {"kind": "required", "columns": [next(iter(example.after))]}
        if not KINDS[kind].is_check
        else {"kind": "trim-spaces"},
    )
    outcome = run_rulebook(snapshot, rules, tmp_path / "r", context=around)
    result = compiled(rules, snapshot.columns, around)
    with duckdb.connect() as con:
        con.execute(f"CREATE VIEW delivered AS SELECT * FROM read_parquet('{snapshot.parts[0]}')")
        con.execute(whole_duckdb(result))
        order = "__place" if outcome.ordered else "__record"
        cells = ", ".join('"' + name + '"' for name, _ in outcome.columns)
        text = f"SELECT __record, __state, __reasons, __gone, {cells} FROM {{}} ORDER BY {order}, __record"
        ours = text.format("read_parquet(" + str([str(part) for part in result_parts(tmp_path / "r")]) + ")")
        assert state_of(con, text.format("result")) == state_of(con, ours)
    numbers = [step.rule for step in steps(result) if step.rule]
    assert numbers == sorted(numbers)
    assert set(numbers) <= set(range(1, len(rules.rules) + 1))


LINES = (
    "Proben-Nr;Wert;Labor;Tag\r\n"
    '1;"7,4";Lab North;2024-03-17\r\n'
    "2;n/a;lab north ;2024-03-18\r\n"
    "3;8,1;Harbour\r\n"
    '4;"9\r\n5;74,0;"Lab ""North""";2024-03-19\r\n'
    "Proben-Nr;Wert;Labor;Tag\r\n"
    "6;x;Grün;2024-02-30\r\n\r\n"
)
RULES: list[dict[str, Any]] = [
    {"kind": "trim-spaces"},
    {"kind": "missing-tokens", "tokens": ["n/a"]},
    {"kind": "letter-case", "columns": ["Labor"], "letters": "words"},
    {"kind": "to-number", "columns": ["Wert"], "decimal": ","},
    {"kind": "to-date", "columns": ["Tag"], "formats": ["%Y-%m-%d"]},
    {"kind": "in-range", "columns": ["Wert"], "high": "14"},
    {"kind": "required", "columns": ["Wert"], "consequence": "stop"},
    {"kind": "record-count", "least": 10, "consequence": "note"},
]


def test_the_script_reads_files_and_writes_what_the_run_writes(tmp_path: Path) -> None:
    path = tmp_path / "north.csv"
    path.write_bytes(LINES.encode("latin-1"))
    settings = settle(
        path, path.name, SettingsRequest(encoding="latin-1", delimiter=";", repeated_header=True)
    ).settings
    snapshot = make_snapshot([SourceFile(path.name, path, settings)], tmp_path / "snapshot")
    rules = book(*RULES)
    outcome = run_rulebook(snapshot, rules, tmp_path / "r")
    around = seen_by(EXAMPLES[0][1], tmp_path)
    written = tmp_path / "clean.py"
    written.write_text(script("North", rules, snapshot.columns, [SourceSettings(path.name, settings)], around))
    done = subprocess.run([sys.executable, written, path, "--out", tmp_path / "out"], capture_output=True, text=True)
    assert done.returncode == 1, done.stderr  # a stopping check
    assert "rule 8: 4 records; there must be at least 10" in done.stderr
    counts = json.loads((tmp_path / "out" / "counts.json").read_text())
    result = outcome.reconciliation
    assert (counts["delivered"], counts["rejected"], counts["quarantined"]) == (
        result.delivered,
        result.rejected,
        result.quarantined,
    )
    rows = pq.read_table(result_parts(tmp_path / "r")).to_pylist()
    with (tmp_path / "out" / "ready.csv").open() as file:
        ready = list(csv.DictReader(file))
    assert [row["Labor"] for row in ready] == [row["Labor"] for row in rows if row["__state"] in ("ready", "corrected")]
    with (tmp_path / "out" / "rejected.csv").open() as file:
        lines = [(int(row["line"]), row["reason"]) for row in csv.DictReader(file)]
    assert lines == [(row["line"], row["reason"]) for row in pq.read_table(snapshot.rejected_path).to_pylist()]
    checks = tmp_path / "check.py"
    columns = [(name, kind) for name, kind in outcome.columns]
    checks.write_text(
        checking_script(
            "North",
            rules,
            columns,
            [
                SourceSettings(
                    "ready.csv", settle(tmp_path / "out" / "ready.csv", "ready.csv", SettingsRequest()).settings
                )
            ],
            around,
        )
    )
    again = subprocess.run(
        [sys.executable, checks, tmp_path / "out" / "ready.csv", "--out", tmp_path / "checked"],
        capture_output=True,
        text=True,
    )
    assert "0 quarantined" in again.stdout, again.stderr


@pytest.mark.parametrize(("value", "consequence", "code"), [
    ("7", "quarantine", 0), ("70", "quarantine", 1), ("70", "note", 0), ("70", "stop", 1), ("x", "quarantine", 1),
])  # fmt: skip
def test_the_checking_script_says_by_its_exit_code_whether_checks_hold(
    value: str, consequence: str, code: int, tmp_path: Path
) -> None:
    path = tmp_path / "ready.csv"
    path.write_text(f"id,ph\n1,6.9\n2,{value}\n")
    rules = book(
        {"kind": "trim-spaces"}, {"kind": "in-range", "columns": ["ph"], "high": "14", "consequence": consequence}
    )
    settings = settle(path, path.name, SettingsRequest()).settings
    written = tmp_path / "check.py"
    columns = [("id", "text"), ("ph", "decimal")]
    around = seen_by(EXAMPLES[0][1], tmp_path)
    written.write_text(checking_script("Any", rules, columns, [SourceSettings(path.name, settings)], around))
    done = subprocess.run(
        [sys.executable, written, path, "--out", tmp_path / "out"], capture_output=True, text=True, check=False
    )
    assert done.returncode == code, done.stderr
    assert ("1 of the records break a check" in done.stderr) == (code == 1 and consequence == "quarantine")


@pytest.mark.parametrize("end", ["\n", "\r", "\r\n", "\x0b", "\x0c", "\x85", "\u2028", "\u2029"])
def test_a_line_end_in_a_value_does_not_leave_its_comment(end: str, table: Table, tmp_path: Path) -> None:
    value = f"x{end}; DROP VIEW delivered; --"
    rules = book({"kind": "replace-text", "columns": ["a"], "find": value, "replacement": "y", "note": value})
    snapshot = table({"a": ["x", value]})
    result = compiled(rules, snapshot.columns, seen_by(EXAMPLES[0][1], tmp_path))
    text = whole_duckdb(result)
    with duckdb.connect() as con:
        con.execute(f"CREATE VIEW delivered AS SELECT * FROM read_parquet('{snapshot.parts[0]}')")
        for _ in range(2):
            con.execute(text)
        assert con.execute("SELECT a FROM result ORDER BY __record").fetchall() == [("x",), ("y",)]
        assert con.execute("SELECT count(*) FROM delivered").fetchall() == [(2,)]
