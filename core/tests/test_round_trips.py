"""Text that looks dangerous goes in by every format and out by every way: the same cells, or a stated change."""

from __future__ import annotations

import csv
import io
import json
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import duckdb
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import xlsxwriter
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_rules import EXAMPLES, book, seen_by

from pravin_core.engines.duckdb import connect
from pravin_core.exports.script import SourceSettings, checking_script, script
from pravin_core.exports.sql import compiled, whole_duckdb
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.releases import writers
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.tables.types import DataType
from testing.dangerous import tables

NAMES = ("first", "second", "third")
Rows = list[tuple[str, str, str]]
often = settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
seldom = settings(max_examples=4, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
TOLD = {"delimiter": ",", "quote": '"', "escape": "", "header_rows": 1, "skip_lines": 0, "comment": "", "totals_line": False,
        "repeated_header": False, "spaced_quotes": False, "trailing_delimiter": False}  # fmt: skip


def as_csv(rows: Rows) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, quoting=csv.QUOTE_ALL, lineterminator="\r\n")
    writer.writerows([NAMES, *rows])
    return out.getvalue().encode()


def as_xlsx(rows: Rows) -> bytes:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"strings_to_formulas": False, "strings_to_numbers": False}) as workbook:
        sheet = workbook.add_worksheet()
        for at, row in enumerate([NAMES, *rows]):
            for column, cell in enumerate(row):
                sheet.write_string(at, column, cell)
    return out.getvalue()


def as_json(rows: Rows) -> bytes:
    return json.dumps([dict(zip(NAMES, row, strict=True)) for row in rows]).encode()


def as_json_lines(rows: Rows) -> bytes:
    return "\n".join(json.dumps(dict(zip(NAMES, row, strict=True)), ensure_ascii=False) for row in rows).encode()


def as_parquet(rows: Rows) -> bytes:
    out = io.BytesIO()
    columns = {name: [row[at] for row in rows] for at, name in enumerate(NAMES)}
    pq.write_table(pa.table({name: pa.array(cells, pa.string()) for name, cells in columns.items()}), out)
    return out.getvalue()


WAYS_IN: dict[str, tuple[Callable[[Rows], bytes], dict[str, Any]]] = {
    "csv": (as_csv, TOLD), "xlsx": (as_xlsx, {"header_rows": 1, "skip_lines": 0, "repeated_header": False, "totals_line": False}),
    "json": (as_json, {}), "jsonl": (as_json_lines, {}), "parquet": (as_parquet, {}),
}  # fmt: skip


def snapshot_of(data: bytes, folder: Path, told: dict[str, Any]) -> tuple[Path, SourceFile, Snapshot]:
    folder = folder / f"f{len(list(folder.iterdir()))}"
    folder.mkdir()
    path = folder / "delivered.bin"
    path.write_bytes(data)
    source = SourceFile(path.name, path, settle(path, path.name, SettingsRequest(**told)).settings)
    return path, source, make_snapshot([source], folder / "snapshot")


def cells_in(snapshot: Snapshot) -> list[tuple[str, ...]]:
    read = [row for part in snapshot.parts for row in pq.read_table(part).to_pylist()]
    return [tuple(row[name] or "" for name in NAMES) for row in read]


@pytest.mark.parametrize("way", WAYS_IN)
@often
@given(rows=tables())
def test_cells_arrive_as_they_were(way: str, rows: Rows, tmp_path: Path) -> None:
    write, result = WAYS_IN[way]
    _, _, snapshot = snapshot_of(write(rows), tmp_path, result)
    assert cells_in(snapshot) == rows


def written(snapshot: Snapshot, folder: Path, form: writers.Format, defused: bool) -> Path:
    """A release of the ready records after a run of an empty rulebook, as the downloads make it."""
    outcome = run_rulebook(snapshot, book(), folder / "run")
    query = writers.ready(result_parts(folder / "run"), outcome)
    if form in ("csv", "tsv"):
        query = writers.delimited(query, dict.fromkeys(NAMES, DataType.TEXT), defused)
    with connect([folder], folder / "scratch") as con:
        writers.write(con, query, folder / f"out.{form}", form)
    return folder / f"out.{form}"


def read_back(path: Path) -> list[tuple[str, ...]]:
    if path.suffix in (".csv", ".tsv"):
        with path.open(newline="", encoding="utf-8") as file:
            return [tuple(row) for row in csv.reader(file, delimiter="," if path.suffix == ".csv" else "\t")][1:]
    if path.suffix == ".jsonl":
        results = [json.loads(line) for line in path.read_text(encoding="utf-8").split("\n") if line]
    else:
        results = pq.read_table(path).to_pylist()
    return [tuple(row[name] or "" for name in NAMES) for row in results]


@pytest.mark.parametrize("form", writers.FORMATS)
@often
@given(rows=tables())
def test_cells_leave_as_they_were(form: writers.Format, rows: Rows, tmp_path: Path) -> None:
    path, _, snapshot = snapshot_of(as_csv(rows), tmp_path, TOLD)
    assert read_back(written(snapshot, path.parent, form, defused=False)) == rows


def as_stated(text: str) -> str:
    """The change that the manifest states for CSV and TSV, written down independently of the program."""
    runs = text[:1] in tuple("=+-@\t\r") and bool(text) and not set(text) <= set("-0123456789 +.,()/")
    return f"'{text}" if runs else text


@given(text=st.one_of(st.text(), st.text(alphabet="=+-@\t\r 0123456789.,()/a", max_size=6)))
def test_a_text_alone_is_defused_as_stated(text: str) -> None:
    assert writers.defused(text) == as_stated(text)


@pytest.mark.parametrize("form", ["csv", "tsv"])
@often
@given(rows=tables())
def test_texts_that_a_spreadsheet_would_run_leave_with_the_stated_change(
    form: writers.Format, rows: Rows, tmp_path: Path
) -> None:
    path, _, snapshot = snapshot_of(as_csv(rows), tmp_path, TOLD)
    expected = [tuple(map(as_stated, row)) for row in rows]
    assert read_back(written(snapshot, path.parent, form, defused=True)) == expected


@often
@given(rows=tables())
def test_exported_statements_keep_the_cells(rows: Rows, tmp_path: Path) -> None:
    _, _, snapshot = snapshot_of(as_csv(rows), tmp_path, TOLD)
    text = rows[0][1]
    rules = book(
        {"kind": "replace-text", "columns": ["third"], "find": text or "none", "replacement": "=''\\ $$", "note": text}
    )
    result = compiled(rules, snapshot.columns, seen_by(EXAMPLES[0][1], tmp_path))
    with duckdb.connect() as con:
        con.execute(f"CREATE VIEW delivered AS SELECT * FROM read_parquet('{snapshot.parts[0]}')")
        con.execute(whole_duckdb(result))
        found_rows = con.execute("SELECT first, second, third FROM result ORDER BY __record").fetchall()
    expected = [(a, b, c.replace(text or "none", "=''\\ $$")) for a, b, c in rows]
    assert [tuple(cell or "" for cell in row) for row in found_rows] == expected


@seldom
@given(rows=tables(most=60))
def test_both_scripts_keep_the_cells(rows: Rows, tmp_path: Path) -> None:
    path, source, snapshot = snapshot_of(as_csv(rows), tmp_path, TOLD)
    around = seen_by(EXAMPLES[0][1], tmp_path)
    rules = book({"kind": "required", "columns": ["first"]})
    settings_of = SourceSettings(path.name, source.settings)
    columns = [(name, DataType.TEXT.value) for name in NAMES]
    texts = (
        script("Cells", rules, NAMES, [settings_of], around),
        checking_script("Cells", rules, columns, [settings_of], around),
    )
    for at, text in enumerate(texts):
        written_to = path.parent / f"script-{at}.py"
        written_to.write_text(text, encoding="utf-8")
        out = path.parent / f"out-{at}"
        done = subprocess.run([sys.executable, written_to, path, "--out", out], capture_output=True, text=True)
        assert done.returncode == 0, done.stderr
        assert read_back(out / "ready.csv") == rows
    assert cells_in(snapshot) == rows
