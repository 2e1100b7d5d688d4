"""Files that go to the supplier and come back filled in."""

from __future__ import annotations

import csv
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import openpyxl
import pytest
from test_rules import book

from pravin_core.cases.chosen import Waiting
from pravin_core.cases.counting import quarantined_numbers
from pravin_core.cases.returns import NO_VALUE, REASONS, REFERENCE, Returned, read_return, recognised, write_return
from pravin_core.errors import IntakeError, RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.pages import Stage
from pravin_core.runs.decisions import amendments
from pravin_core.runs.runner import run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
Read = Callable[..., Snapshot]
RULES: list[dict[str, Any]] = [
    {"kind": "to-number", "columns": ["n"]},
    {"kind": "required", "columns": ["site"]},
]
THEIRS = {"id": "Sample no.", "site": "Site", "n": "Result"}


@pytest.fixture
def waiting(table: Table, tmp_path: Path) -> Waiting:
    snapshot = table({"id": ["1", "2", "3", "4"], "site": ["", "A", "=B", ""], "n": ["5", "x", "7", "y"]})
    rulebook = book(*RULES)
    outcome = run_rulebook(snapshot, rulebook, tmp_path / "result")
    return Waiting(1, Stage(snapshot, tmp_path / "result", outcome, rulebook), np.asarray([1, 2, 4]))


@pytest.fixture
def sent(waiting: Waiting, tmp_path: Path) -> list[dict[str, str]]:
    write_return(waiting, THEIRS, "7:secret", tmp_path / "out.csv")
    with (tmp_path / "out.csv").open() as file:
        return list(csv.DictReader(file))


def back(
    rows: list[dict[str, str]], waiting: Waiting, read: Read, tmp_path: Path, secret: str = "7:secret"
) -> Returned:
    heads = list(rows[0])
    text = "\n".join([";".join(heads), *(";".join(f'"{row[head]}"' for head in heads) for row in rows)])
    return read_return(read(text.encode() + b"\n"), waiting, THEIRS, secret, tmp_path / "scratch")


def cells(returned: Returned) -> list[tuple[int, str, str | None]]:
    rows = amendments([returned.amendment] if returned.amendment else []).to_pylist()
    return sorted((row["record"], row["name"], row["value"]) for row in rows)


def test_the_file_speaks_the_suppliers_language(sent: list[dict[str, str]]) -> None:
    assert list(sent[0]) == [REFERENCE, REASONS, "Sample no.", "Site", "Result", "correct Site", "correct Result"]
    assert [row["Sample no."] for row in sent] == ["1", "2", "4"]
    assert sent[1][REASONS] == "n x could not be read"
    assert {row["correct Site"] for row in sent} == {""}
    assert len({row[REFERENCE] for row in sent}) == 3


def test_what_was_filled_in_becomes_amendments(
    sent: list[dict[str, str]], waiting: Waiting, read: Read, tmp_path: Path
) -> None:
    sent[0]["correct Site"] = "Z"
    sent[2] |= {"correct Site": NO_VALUE, "correct Result": "8,5"}
    returned = back(list(reversed(sent)), waiting, read, tmp_path)  # in any order
    assert cells(returned) == [(1, "site", "Z"), (4, "n", "8,5"), (4, "site", None)]
    assert (returned.records, returned.untouched, returned.unknown, returned.changed) == (2, 1, (), ())


def test_nothing_filled_in_amends_nothing(
    sent: list[dict[str, str]], waiting: Waiting, read: Read, tmp_path: Path
) -> None:
    returned = back(sent, waiting, read, tmp_path)
    assert (returned.amendment, returned.records, returned.untouched) == (None, 0, 3)


def test_lines_of_another_file_and_changed_cells_are_told_and_not_taken(
    sent: list[dict[str, str]], waiting: Waiting, read: Read, tmp_path: Path
) -> None:
    for row in sent:
        row["correct Result"] = "1"
    sent[0][REFERENCE] = sent[0][REFERENCE][:-1] + "?"
    sent[1]["Sample no."] = "999"
    returned = back(sent, waiting, read, tmp_path)
    assert cells(returned) == [(4, "n", "1")]
    assert (returned.unknown, returned.changed) == ((2,), (3,))
    other = back(sent[2:], waiting, read, tmp_path, secret="7:another")
    assert (other.records, other.unknown) == (0, (2,))


def test_a_line_that_stands_there_twice_is_told_and_not_taken(
    sent: list[dict[str, str]], waiting: Waiting, read: Read, tmp_path: Path
) -> None:
    twice = [{**sent[0], "correct Site": "Z"}, {**sent[0], "correct Site": "Y"}, {**sent[1], "correct Result": "1"}]
    returned = back(twice, waiting, read, tmp_path)
    assert (cells(returned), returned.repeated, returned.untouched) == ([(2, "n", "1")], (2, 3), 0)


def test_a_file_that_comes_back_is_recognised(sent: list[dict[str, str]], read: Read, tmp_path: Path) -> None:
    assert {row[REFERENCE].split("-")[0] for row in sent} == {"7"}
    text = "\n".join([f"{REFERENCE};x", *(f"{row[REFERENCE]};1" for row in sent), "strange;1"])
    assert recognised(read(text.encode() + b"\n"), tmp_path / "s") == "7"
    assert recognised(read(b"a;b\n1;2\n"), tmp_path / "s") == ""


def test_an_apostrophe_put_in_for_spreadsheets_is_no_change(table: Table, read: Read, tmp_path: Path) -> None:
    snapshot = table({"id": ["1"], "site": ["=B"], "n": ["x"]})
    outcome = run_rulebook(snapshot, book(*RULES), tmp_path / "other")
    waiting = Waiting(1, Stage(snapshot, tmp_path / "other", outcome, book(*RULES)), np.asarray([1]))
    write_return(waiting, {}, "s", tmp_path / "out.csv")
    text = (tmp_path / "out.csv").read_bytes()
    assert b"'=B" in text
    returned = read_return(read(text.replace(b",\n", b",6\n")), waiting, {}, "s", tmp_path / "t")
    assert returned.changed == ()


def test_what_is_no_return_file_is_said(waiting: Waiting, read: Read, tmp_path: Path) -> None:
    with pytest.raises(IntakeError, match="no column “return reference”"):
        read_return(read(b"a;b\n1;2\n3;4\n"), waiting, THEIRS, "s", tmp_path / "t")
    with pytest.raises(IntakeError, match="correct colour"):
        read_return(read(f"{REFERENCE};correct colour\nx;red\ny;blue\n".encode()), waiting, THEIRS, "s", tmp_path / "t")


def test_a_column_called_as_one_of_the_files_own_is_refused(waiting: Waiting, tmp_path: Path) -> None:
    with pytest.raises(RunError, match="what is wrong"):
        write_return(waiting, {**THEIRS, "site": REASONS}, "s", tmp_path / "out.csv")


def test_a_renamed_column_is_corrected_under_the_name_that_the_supplier_knows(
    table: Table, read: Read, tmp_path: Path
) -> None:
    rules = book(
        {"kind": "rename-columns", "names": [{"code": "site", "meaning": "place"}]},
        {"kind": "required", "columns": ["place"]},
    )
    snapshot = table({"id": ["1"], "site": [""]})
    stage = Stage(snapshot, tmp_path / "r", run_rulebook(snapshot, rules, tmp_path / "r"), rules)
    waiting = Waiting(1, stage, np.asarray([1]))
    write_return(waiting, {"site": "Ort"}, "7:s", tmp_path / "out.csv")
    with (tmp_path / "out.csv").open() as file:
        (row,) = csv.DictReader(file)
    assert list(row)[2:] == ["id", "Ort", "correct Ort"]
    text = "\n".join([";".join(row), ";".join({**row, "correct Ort": "A"}.values()), ""]).encode()
    returned = read_return(read(text), waiting, {"site": "Ort"}, "7:s", tmp_path / "s")
    assert cells(returned) == [(1, "place", "A")]


def test_records_that_a_rule_made_go_along(table: Table, read: Read, tmp_path: Path) -> None:
    rules = book(
        {"kind": "break-cells", "column": "site", "mark": ";"},
        {"kind": "allowed-values", "columns": ["site"], "values": ["A"]},
    )
    snapshot = table({"id": ["1", "2"], "site": ["B;A;C", "A"]})
    stage = Stage(snapshot, tmp_path / "r", run_rulebook(snapshot, rules, tmp_path / "r"), rules)
    waiting = Waiting(1, stage, quarantined_numbers(stage, tmp_path / "s"))
    write_return(waiting, {}, "7:s", tmp_path / "out.csv")
    with (tmp_path / "out.csv").open() as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == len(waiting.records) == 2
    assert {row["site"] for row in rows} == {"B;A;C"}
    heads = list(rows[0])
    lines = [",".join(f'"{value}"' for value in {**row, "correct site": "A"}.values()) for row in rows]
    returned = read_return(read("\n".join([",".join(heads), *lines, ""]).encode()), waiting, {}, "7:s", tmp_path / "t")
    assert (returned.records, returned.changed) == (2, ())


def test_a_workbook_goes_out_and_comes_back(waiting: Waiting, read: Read, tmp_path: Path) -> None:
    write_return(waiting, THEIRS, "7:secret", tmp_path / "out.xlsx", "xlsx")
    book = openpyxl.load_workbook(tmp_path / "out.xlsx")
    sheet = book.active
    heads = [cell.value for cell in sheet[1]]
    assert heads == [REFERENCE, REASONS, "Sample no.", "Site", "Result", "correct Site", "correct Result"]
    assert [cell.protection.locked for cell in sheet[2]] == [True] * 5 + [False] * 2
    sheet.cell(2, 6).value = "=Z"  # as text it stays: nothing runs, nothing is taken for a formula of ours
    sheet.cell(2, 6).data_type = "s"
    sheet.cell(3, 7).value = 8.25
    sheet.cell(4, 6).value = NO_VALUE
    book.save(tmp_path / "back.xlsx")
    answer = read((tmp_path / "back.xlsx").read_bytes())
    assert recognised(answer, tmp_path / "spills") == "7"
    returned = read_return(answer, waiting, THEIRS, "7:secret", tmp_path / "scratch")
    assert cells(returned) == [(1, "site", "=Z"), (2, "n", "8.25"), (4, "site", None)]
    assert (returned.unknown, returned.changed, returned.repeated) == ((), (), ())


def test_a_workbook_for_a_supplier_has_one_sheet(
    waiting: Waiting, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("pravin_core.cases.returns.MOST_ROWS", 3)
    with pytest.raises(RunError, match="3 records are more than one sheet") as refused:
        write_return(waiting, THEIRS, "7:secret", tmp_path / "out.xlsx", "xlsx")
    assert refused.value.advice == "Take the file as CSV."
    write_return(waiting, THEIRS, "7:secret", tmp_path / "out.csv")
