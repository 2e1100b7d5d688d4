"""Workbooks as they leave: read again by another library and by our own reader."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import openpyxl
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from openpyxl.utils.escape import unescape
from sqlglot import exp

from pravin_core.engines.duckdb import connect
from pravin_core.errors import RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.releases import workbook

HOSTILE = ["=1+1", "+A1", "-2", "@SUM(A1)", "\tx", "{=A1}", "http://a.example/", "mailto:a@b.example", "007", "1e5", "TRUE", "#N/A",
           "_x0041_", "  spaced ", "a\nb", "'quoted", "ß€😀", "<b>&amp;</b>", "2026-11-28"]  # fmt: skip


def write(rows: dict[str, list[Any]], target: Path, to_fill_in: list[str] | None = None) -> None:
    with connect([target.parent], target.parent, in_order=True) as con:
        con.register("rows", pa.table(rows))
        workbook.write_workbook(con, exp.select("*").from_("rows"), target, to_fill_in)


def sheets(path: Path) -> list[list[tuple[Any, ...]]]:
    return [list(sheet.iter_rows(values_only=True)) for sheet in openpyxl.load_workbook(path).worksheets]


def test_texts_stay_texts_and_nothing_runs(tmp_path: Path) -> None:
    write({"record": list(range(len(HOSTILE))), "a": HOSTILE}, tmp_path / "out.xlsx")
    (rows,) = sheets(tmp_path / "out.xlsx")
    # this library leaves the standard's escapes (ECMA-376, ST_Xstring) as they stand in the file
    assert [(number, unescape(text)) for number, text in rows] == [("record", "a"), *enumerate(HOSTILE)]
    book = openpyxl.load_workbook(tmp_path / "out.xlsx")
    kinds = {cell.data_type for row in book.active.iter_rows(min_row=2, min_col=2) for cell in row}
    assert (kinds, [cell.hyperlink for cell in book.active["B"] if cell.hyperlink]) == ({"s"}, [])
    assert book.active.freeze_panes == "A2"


CELLS = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), max_size=12)


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(cells=st.lists(st.one_of(st.none(), CELLS), min_size=1, max_size=20))
def test_any_text_is_read_as_it_was(cells: list[str | None], tmp_path: Path) -> None:
    write({"n": list(range(len(cells))), "a": pa.array(cells, pa.string())}, tmp_path / "out.xlsx")
    (rows,) = sheets(tmp_path / "out.xlsx")
    assert [row[1] or "" for row in rows[1:]] == [cell or "" for cell in cells]


def test_our_own_reader_takes_it_back(tmp_path: Path, read: Callable[..., Snapshot]) -> None:
    written = [text for text in HOSTILE if text.strip() == text]
    write({"n": [str(n) for n in range(len(written))], "a": written}, tmp_path / "out.xlsx")
    snapshot = read((tmp_path / "out.xlsx").read_bytes())
    cells = pa.concat_tables([pa.parquet.read_table(part) for part in snapshot.parts]).column("a").to_pylist()
    assert cells == written


def test_only_what_is_to_be_filled_in_is_open(tmp_path: Path) -> None:
    write({"a": ["x"], "correct a": [""]}, tmp_path / "out.xlsx", ["correct a"])
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx").active
    assert sheet.protection.sheet
    assert (sheet["A1"].protection.locked, sheet["A2"].protection.locked) == (True, True)
    assert not sheet["B2"].protection.locked
    assert sheet["B2"].number_format == "@"  # what is typed stays as it is typed
    write({"a": ["x"]}, tmp_path / "free.xlsx")
    assert not openpyxl.load_workbook(tmp_path / "free.xlsx").active.protection.sheet


@pytest.mark.parametrize(("rows", "sizes"), [(0, [1]), (3, [4]), (4, [4, 2]), (7, [4, 4, 2])])
def test_what_a_sheet_cannot_hold_goes_on_in_the_next(
    rows: int, sizes: list[int], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(workbook, "MOST_ROWS", 4)
    write({"n": pa.array(range(rows), pa.int64())}, tmp_path / "out.xlsx")
    written = sheets(tmp_path / "out.xlsx")
    assert [len(sheet) for sheet in written] == sizes
    assert {sheet[0] for sheet in written} == {("n",)}
    assert [row[0] for sheet in written for row in sheet[1:]] == list(range(rows))


def test_a_text_too_long_for_a_cell_is_not_cut(tmp_path: Path) -> None:
    write({"a": ["y" * workbook.LONGEST]}, tmp_path / "fits.xlsx")
    assert sheets(tmp_path / "fits.xlsx")[0][1] == ("y" * workbook.LONGEST,)
    with pytest.raises(RunError, match="32,768 characters") as refused:
        write({"a": ["y" * (workbook.LONGEST + 1)]}, tmp_path / "out.xlsx")
    assert refused.value.advice == "Take the file as CSV."
