"""The stand-alone script finds columns by their names, and refuses files with other columns."""

from __future__ import annotations

import csv
import subprocess
import sys
from pathlib import Path

import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st
from test_rules import EXAMPLES, book, seen_by

from pravin_core.exports import standalone
from pravin_core.exports.script import SourceSettings, script
from pravin_core.intake.formats.base import joined_header
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import settle
from pravin_core.tables.columns import unique_names

MADE_FOR = [["site", "ph", "turbidity"], ["A1", "7.4", "12"], ["A2", "6.9", "3"]]


def write(path: Path, rows: list[list[str]]) -> Path:
    if path.suffix == ".xlsx":
        with xlsxwriter.Workbook(path) as workbook:
            sheet = workbook.add_worksheet("Table")
            for at, row in enumerate(rows):
                for place, cell in enumerate(row):
                    sheet.write_string(at, place, cell)
    else:
        path.write_text("".join(";".join(row) + "\n" for row in rows))
    return path


@pytest.fixture(params=["csv", "xlsx"])
def cleaning(request: pytest.FixtureRequest, tmp_path: Path) -> tuple[Path, str]:
    """A script made for a file of that kind, and the kind."""
    first = write(tmp_path / f"delivery-1.{request.param}", MADE_FOR)
    settings = settle(first, first.name, SettingsRequest()).settings
    table = "Table" if request.param == "xlsx" else ""
    text = script(
        "Sites", book({"kind": "trim-spaces"}), settings.names, [SourceSettings(first.name, settings, table)],
        seen_by(EXAMPLES[0][1], tmp_path),
    )  # fmt: skip
    (tmp_path / "clean.py").write_text(text)
    return tmp_path / "clean.py", request.param


def run(made: Path, file: Path, *more: str) -> tuple[subprocess.CompletedProcess[str], list[dict[str, str]]]:
    out = file.parent / "out"
    done = subprocess.run([sys.executable, made, file, "--out", out, *more], capture_output=True, text=True)
    rows = list(csv.DictReader((out / "ready.csv").open())) if (out / "ready.csv").exists() else []
    return done, rows


def test_columns_in_another_order_are_found_by_name(cleaning: tuple[Path, str], tmp_path: Path) -> None:
    swapped = write(tmp_path / f"delivery-2.{cleaning[1]}", [[row[2], row[0], row[1]] for row in MADE_FOR])
    done, rows = run(cleaning[0], swapped)
    assert done.returncode == 0, done.stderr
    assert rows == [{"site": "A1", "ph": "7.4", "turbidity": "12"}, {"site": "A2", "ph": "6.9", "turbidity": "3"}]


@pytest.mark.parametrize(
    ("header", "said"),
    [
        (["site", "ph", "clarity"], "without turbidity and with clarity besides"),
        (["site", "ph"], "without turbidity"),
        (["site", "ph", "turbidity", "depth"], "with depth besides"),
    ],
)
def test_other_columns_are_refused_and_nothing_is_written(
    cleaning: tuple[Path, str], tmp_path: Path, header: list[str], said: str
) -> None:
    other = write(tmp_path / f"delivery-2.{cleaning[1]}", [header, ["1"] * len(header)])
    done, rows = run(cleaning[0], other)
    assert done.returncode == 2
    assert said in done.stderr
    assert rows == []


def test_other_names_are_read_by_place_when_that_is_said(cleaning: tuple[Path, str], tmp_path: Path) -> None:
    other = write(tmp_path / f"delivery-2.{cleaning[1]}", [["Ort", "pH", "Trübung"], ["A9", "8", "1"]])
    done, rows = run(cleaning[0], other, "--by-position")
    assert done.returncode == 0, done.stderr
    assert rows == [{"site": "A9", "ph": "8", "turbidity": "1"}]


_cells = st.text(st.sampled_from("aAbB _2\x00ß"), max_size=4)


@given(
    st.integers(1, 4).flatmap(
        lambda width: st.lists(st.lists(_cells, min_size=width, max_size=width), min_size=1, max_size=3)
    )
)
def test_the_script_names_columns_as_the_intake_does(rows: list[list[str]]) -> None:
    assert standalone.header_names([list(row) for row in rows]) == unique_names(joined_header(rows, len(rows[0])))[0]
