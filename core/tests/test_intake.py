"""Intake: what each file becomes is written down here by hand; every physical line is accounted for."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from conftest import cells_of, rejected_of
from pravin_core.errors import IntakeError, SettingsError
from pravin_core.intake.preview import preview
from pravin_core.intake.settings import IntakeSettings, SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle

# bytes, columns, records, (line, part of the reason) of rejected lines
FILES = {
    "pipe": (b"id|v\n1|x\n2|\n", ("id", "v"), [("1", "x"), ("2", "")], []),
    "crlf": (b"a,b\r\n1,2\r\n3,4\r\n", ("a", "b"), [("1", "2"), ("3", "4")], []),
    "old line ends": (b"a,b\r1,2\r3,4\r", ("a", "b"), [("1", "2"), ("3", "4")], []),
    "no end": (b"a,b\n1,2", ("a", "b"), [("1", "2")], []),
    "quoted delimiter": (b'a|b\n1|"x|y"\n', ("a", "b"), [("1", "x|y")], []),
    "quoted line end": (b'a,b\n1,"x\ny"\n2,z\n', ("a", "b"), [("1", "x\ny"), ("2", "z")], []),
    "doubled quotes": (b'a,b\n1,"say ""x"""\n', ("a", "b"), [("1", 'say "x"')], []),
    "quoted empty": (b'a,b\n1,""\n2,\n', ("a", "b"), [("1", ""), ("2", "")], []),
    "spaces kept": (b'a,b\n 1 , x\n2,"y "\n', ("a", "b"), [(" 1 ", " x"), ("2", "y ")], []),
    "space before quote": (b'a,b\n1, "x"\n2,y\n', ("a", "b"), [("1", ' "x"'), ("2", "y")], []),
    "the word NULL": (b"a,b\n1,NULL\n2,\\N\n", ("a", "b"), [("1", "NULL"), ("2", "\\N")], []),
    "bom": (b"\xef\xbb\xbfa,b\n1,2\n", ("a", "b"), [("1", "2")], []),
    "utf-16": ("a;b\n1;ü\n".encode("utf-16"), ("a", "b"), [("1", "ü")], []),
    "latin": ("a;b\n1;Müll\n2;x\n".encode("cp1252"), ("a", "b"), [("1", "Müll"), ("2", "x")], []),
    "preamble": (b"Report\n\na;b\n1;2\n3;4\n", ("a", "b"), [("1", "2"), ("3", "4")], []),
    "one column": (b"x\n1\n\n3\n", ("x",), [("1",), ("",), ("3",)], []),
    "texts with commas": (
        b"note\nhello, you\nfoo\nbar, baz\n",
        ("note",),
        [("hello, you",), ("foo",), ("bar, baz",)],
        [],
    ),
    "header only": (b"a|b\n", ("a", "b"), [], []),
    "names alike": (b"a,A,,a\n1,2,3,4\n", ("a", "A_2", "column_3", "a_3"), [("1", "2", "3", "4")], []),
    "ragged": (b"a,b\n1\n2,3\n4,5,6\n", ("a", "b"), [("2", "3")], [(2, "1 field,"), (4, "3 fields")]),
    "blank lines": (b"a,b\n1,2\n\n3,4\n\n", ("a", "b"), [("1", "2"), ("3", "4")], [(3, "empty"), (5, "empty")]),
    "open quote": (b'a,b\n1,"x\n2,y\n3,z\n', ("a", "b"), [("2", "y"), ("3", "z")], [(2, "not closed")]),
    "text after quote": (b'a,b\n1,"x"y\n2,z\n', ("a", "b"), [("2", "z")], [(2, "after a closing")]),
    "nul": (b"a,b\n1,2\n3,\x004\n", ("a", "b"), [("1", "2")], [(3, "NUL")]),
    "damaged utf-8": (
        "a,b\n1,é\n2,ü\n3,ö\n".encode() + b"4,\xff\n",
        ("a", "b"),
        [("1", "é"), ("2", "ü"), ("3", "ö")],
        [(5, "not valid")],
    ),
}


@pytest.mark.parametrize("name", FILES)
def test_each_file_becomes_what_is_written_down(name: str, read: Callable[..., Snapshot]) -> None:
    data, columns, records, rejected = FILES[name]
    snapshot = read(data)
    assert snapshot.columns == columns
    assert cells_of(snapshot) == records
    found = rejected_of(snapshot)
    assert [line for line, _ in found] == [line for line, _ in rejected]
    assert all(words in reason for (_, reason), (_, words) in zip(found, rejected, strict=True))
    file = snapshot.files[0]
    assert file.lines == file.preamble + file.header + file.record_lines + file.rejected
    text = data.decode("utf-16") if name == "utf-16" else data.decode("latin-1")
    assert file.lines == len(re.findall(r"[^\r\n]*(?:\r\n|\n|\r)|[^\r\n]+$", text))


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"\n \n", "empty"),
        (bytes(range(256)) * 40, "control characters"),
        (b"PK\x03\x04" + b"x" * 50, "workbook"),
        (b"%PDF-1.7 ...", "PDF"),
    ],
)
def test_what_is_no_table_is_refused_with_the_file_named(
    data: bytes, words: str, read: Callable[..., Snapshot]
) -> None:
    with pytest.raises(IntakeError, match=words) as caught:
        read(data)
    assert caught.value.where["file"] == "file.txt"
    assert caught.value.advice


def test_settings_override_detection_and_contradictions_are_refused(read: Callable[..., Snapshot]) -> None:
    assert read(b"a;b,c\n1;2,3\n", delimiter=",").columns == ("a;b", "c")
    headless = read(b"1;2\n3;4\n", header=False, names=("x", "y"))
    assert headless.columns == ("x", "y")
    assert cells_of(headless) == [("1", "2"), ("3", "4")]
    with pytest.raises(SettingsError, match="same character"):
        IntakeSettings(default=SettingsRequest(delimiter="'"), files={"f": SettingsRequest(quote="'")}).for_file("f")


def test_a_wide_file_keeps_all_columns(read: Callable[..., Snapshot]) -> None:
    heads = [f"c{n}" for n in range(2000)]
    snapshot = read("|".join(heads).encode() + b"\n" + b"|".join([b"1"] * 2000) + b"\n")
    assert snapshot.columns == tuple(heads)
    assert cells_of(snapshot) == [("1",) * 2000]


def test_preview_says_the_fate_of_each_line(tmp_path: Path) -> None:
    path = tmp_path / "f.txt"
    path.write_bytes(b"Report\na|b\n1|2\n3\n" + b"4|5\n" * 3)
    shown = preview(path, settle(path, "f.txt", SettingsRequest()).settings)
    assert [(line, fate) for line, _, fate, _ in shown.lines] == [
        (1, "preamble"), (2, "header"), (3, "record"), (4, "rejected"), (5, "record"), (6, "record"), (7, "record"),
    ]  # fmt: skip
    assert shown.records[0] == (3, ("1", "2"))


def test_files_of_one_delivery_become_one_table(tmp_path: Path) -> None:
    one, two = tmp_path / "one.txt", tmp_path / "two.txt"
    one.write_text("a|b\n1|2\n")
    two.write_text("5|6\n7|8\n")
    first = settle(one, "one.txt", SettingsRequest())
    second = settle(two, "two.txt", SettingsRequest(), known=first.settings.names)
    assert not second.settings.header
    sources = [SourceFile("one.txt", one, first.settings), SourceFile("two.txt", two, second.settings)]
    snapshot = make_snapshot(sources, tmp_path / "snapshot")
    assert (snapshot.columns, snapshot.records) == (("a", "b"), 3)
    assert [file.records for file in snapshot.files] == [1, 2]


_text = st.text(st.characters(exclude_categories=("Cs",), exclude_characters="\x00"), max_size=8)


@settings(max_examples=100, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    rows=st.integers(2, 4).flatmap(lambda n: st.lists(st.tuples(*[_text] * n), min_size=1, max_size=6)),
    delimiter=st.sampled_from(",;|\t"),
    end=st.sampled_from(["\n", "\r\n"]),
    quoting=st.sampled_from([csv.QUOTE_MINIMAL, csv.QUOTE_ALL]),
)
def test_what_the_csv_module_writes_comes_back_cell_for_cell(
    rows: list[tuple[str, ...]], delimiter: str, end: str, quoting: int, tmp_path: Path
) -> None:
    # the csv module leaves a lone carriage return unquoted there, and nobody could tell it from a line end
    assume(end == "\r\n" or quoting == csv.QUOTE_ALL or not any("\r" in cell for row in rows for cell in row))
    out = io.StringIO()
    writer = csv.writer(out, delimiter=delimiter, lineterminator=end, quoting=quoting)
    names = tuple(f"column {n}" for n in range(len(rows[0])))
    writer.writerows([names, *rows])
    path = tmp_path / "f.txt"
    path.write_bytes(out.getvalue().encode())
    request = SettingsRequest(delimiter=delimiter, quote='"', header=True, skip_lines=0, encoding="utf-8", names=names)
    folder = tmp_path / f"s{len(list(tmp_path.iterdir()))}"
    snapshot = make_snapshot([SourceFile("f.txt", path, settle(path, "f.txt", request).settings)], folder)
    assert cells_of(snapshot) == rows
