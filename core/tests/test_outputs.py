"""Files of a release in chosen forms, read back with other libraries."""

from __future__ import annotations

import csv
import datetime as dt
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from pravin_core.engines.duckdb import connect
from pravin_core.errors import RunError
from pravin_core.releases.outputs import ENCODINGS, OutputForm, write_output
from pravin_core.tables.types import DataType

T = DataType
TYPES = {
    "name": T.TEXT,
    "n": T.WHOLE,
    "share": T.DECIMAL,
    "price": T.EXACT,
    "day": T.DATE,
    "at": T.DATETIME,
    "open": T.BOOLEAN,
}
ARROW = [pa.string(), pa.int64(), pa.float64(), pa.decimal128(38, 10), pa.date32(), pa.timestamp("us"), pa.bool_()]
ROWS: list[tuple[Any, ...]] = [
    ("Straße; 1", 1, 0.5, Decimal("12.30"), dt.date(2024, 3, 17), dt.datetime(2024, 3, 17, 8, 30), True),
    ('say "no"\nor yes', None, -2.0, Decimal("0.1"), dt.date(1899, 1, 2), dt.datetime(2024, 12, 1), False),
    ("=1+1", 9007199254740993, 1e300, Decimal("12345678901234567.89"), None, None, None),
    (None, 0, None, None, dt.date(2024, 1, 1), dt.datetime(2024, 1, 1, 0, 0, 0, 250), True),
]


def output(folder: Path, form: OutputForm, rows: list[tuple[Any, ...]] = ROWS) -> Path:
    cells = {name: pa.array([row[at] for row in rows], ARROW[at]) for at, name in enumerate(TYPES)}
    pq.write_table(pa.table(cells), folder / "source.parquet")
    target = folder / f"out.{form.form}"
    with connect([folder], folder / "spill") as con:
        write_output(con, folder / "source.parquet", TYPES, form, target, folder)
    return target


def read(file: Path, encoding: str = "utf-8", delimiter: str = ",") -> list[list[str]]:
    with file.open(encoding=encoding, newline="") as text:
        return list(csv.reader(text, delimiter=delimiter))


def test_plain_text_as_it_is_written_everywhere(tmp_path: Path) -> None:
    head, first, second, third, fourth = read(output(tmp_path, OutputForm()))
    assert head == list(TYPES)
    assert first == ["Straße; 1", "1", "0.5", "12.3", "2024-03-17", "2024-03-17 08:30:00", "true"]
    assert second[:2] == ['say "no"\nor yes', ""]
    assert third[:4] == ["'=1+1", "9007199254740993", "1e+300", "12345678901234567.89"]
    assert fourth[0] == ""
    assert read(output(tmp_path, OutputForm(defused=False)))[3][0] == "=1+1"


def test_another_country_reads_it(tmp_path: Path) -> None:
    form = OutputForm(
        delimiter="semicolon", encoding="windows-1252", decimal_mark=",", dates="17.03.2024", line_ends="crlf", header=False,
        missing="NA", columns=("day", "name", "at", "share", "n"),
    )  # fmt: skip
    file = output(tmp_path, form)
    rows = read(file, "cp1252", ";")
    assert rows[0] == ["17.03.2024", "Straße; 1", "17.03.2024 08:30:00", "0,5", "1"]
    assert rows[1] == ["02.01.1899", 'say "no"\nor yes', "01.12.2024 00:00:00", "-2", "NA"]
    assert rows[3] == ["01.01.2024", "NA", "01.01.2024 00:00:00.00025", "NA", "0"]
    content = file.read_bytes()
    assert content.count(b"\r\n") == len(ROWS)
    assert content.count(b"\n") == len(ROWS) + 1  # the one within a value stays


CELL = st.one_of(st.none(), st.text(st.sampled_from('ab"\n\r;,ü '), max_size=6))


@settings(max_examples=60)
@given(
    values=st.lists(CELL, min_size=1, max_size=8), encoding=st.sampled_from(sorted(ENCODINGS)), piece=st.integers(1, 9)
)
def test_every_value_comes_back_in_every_encoding(
    tmp_path_factory: pytest.TempPathFactory, values: list[str | None], encoding: Any, piece: int
) -> None:
    rows = [(value, at, None, None, None, None, None) for at, value in enumerate(values)]
    form = OutputForm(encoding=encoding, line_ends="crlf", delimiter="semicolon", columns=("name", "n"), defused=False)
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr("pravin_core.releases.outputs._PIECE", piece)
        file = output(tmp_path_factory.mktemp("out"), form, rows)
    told = read(file, ENCODINGS[encoding], ";")
    assert told == [["name", "n"], *([value or "", str(at)] for at, value in enumerate(values))]


def test_a_character_that_the_encoding_lacks_is_told_and_not_replaced(tmp_path: Path) -> None:
    rows = [("Ω", *ROWS[0][1:])]
    with pytest.raises(RunError, match="'Ω' is not in the encoding"):
        output(tmp_path, OutputForm(encoding="iso-8859-1"), rows)


def test_a_workbook_with_cells_of_their_types(tmp_path: Path) -> None:
    sheet = openpyxl.load_workbook(output(tmp_path, OutputForm(form="xlsx")))["records"]
    head, first, second, third, fourth = sheet.iter_rows(values_only=True)
    assert head == tuple(TYPES)
    assert first == ("Straße; 1", 1, 0.5, 12.3, dt.datetime(2024, 3, 17), dt.datetime(2024, 3, 17, 8, 30), True)
    assert second[4] == "1899-01-02"
    assert (second[1], second[6]) == (None, False)
    assert third[:3] == ("=1+1", "9007199254740993", 1e300)  # more digits than a cell holds
    assert third[3].startswith("12345678901234567.89")
    assert {cell.data_type for row in sheet.iter_rows() for cell in row} <= {"s", "n", "d", "b"}
    assert fourth[5].startswith("2024-01-01 00:00:00.00025")
    assert sheet.freeze_panes == "A2"


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"columns": ("n", "n")}, "named twice"),
        ({"missing": '"'}, "cannot hold quotes"),
        ({"delimiter": "x"}, "delimiter"),
    ],
)
def test_forms_that_make_no_sense(more: dict[str, Any], words: str) -> None:
    with pytest.raises(ValidationError, match=words):
        OutputForm(**more)


def test_a_column_that_is_not_there(tmp_path: Path) -> None:
    with pytest.raises(RunError, match="no column 'nowhere'"):
        output(tmp_path, OutputForm(columns=("nowhere",)))


@pytest.mark.parametrize("form", ["jsonl", "parquet"])
def test_columns_in_their_order_in_other_forms(tmp_path: Path, form: Any) -> None:
    file = output(tmp_path, OutputForm(form=form, columns=("n", "name")))
    if form == "parquet":
        assert pq.read_table(file).column_names == ["n", "name"]
    else:
        assert file.read_text().splitlines()[2] == '{"n":9007199254740993,"name":"=1+1"}'
