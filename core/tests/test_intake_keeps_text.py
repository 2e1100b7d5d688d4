"""Intake alters no text: what could be read in two ways is read so that nothing is lost, and the doubt is told."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import cells_of, rejected_of
from pravin_core.intake.formats.base import Detected
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, settle

Read = Callable[..., Snapshot]


def detected(tmp_path: Path, data: bytes, **wanted: Any) -> Detected:
    path = tmp_path / "doubt.txt"
    path.write_bytes(data)
    return settle(path, path.name, SettingsRequest(**wanted))


def about(found: Detected, setting: str) -> list[dict[str, str]]:
    return [dict(doubt.readings) for doubt in found.doubts if doubt.about == setting]


ESCAPED = b'id,path,note\n1,c:\\new\\table,"say \\"hi\\", yes"\n2,c:\\n,x\\,y\n3,\\\\server,"a"\n'


def test_a_backslash_before_anything_but_a_mark_stays(read: Read, tmp_path: Path) -> None:
    assert cells_of(read(ESCAPED)) == [
        ("1", "c:\\new\\table", 'say "hi", yes'),
        ("2", "c:\\n", "x,y"),
        ("3", "\\server", "a"),
    ]
    readings = about(detected(tmp_path, ESCAPED), "escape")
    assert readings[0] == {"\\": '1 | c:\\new\\table | say "hi", yes', "": '1 | c:\\new\\table | say \\hi\\" |  yes"'}
    assert about(detected(tmp_path, ESCAPED, escape="\\"), "escape") == []  # what a person chose is no doubt


@pytest.mark.parametrize("inner", ["a\nb\nc\nd\ne", "a,1\nb,2,3\nc,3,4\nd,4,5\ne", "2,b,3\n3,c,4\n4,d,5\n5,e,6\n7"])
def test_a_closed_quoted_field_over_five_lines_is_one_field(read: Read, tmp_path: Path, inner: str) -> None:
    data = f'id,note,n\n1,"{inner}",5\n2,x,6\n3,y,7\n'.encode()
    assert cells_of(read(data)) == [("1", inner, "5"), ("2", "x", "6"), ("3", "y", "7")]
    assert bool(about(detected(tmp_path, data), "quote")) == ("," in inner)


def test_lines_of_a_closed_record_with_other_fields_are_rejected_together(read: Read) -> None:
    snapshot = read(b'id,note,n\n1,"a\n2,b,3\n3,c,4\n",5,6\n2,x,6\n3,y,7\n')
    assert cells_of(snapshot) == [("2", "x", "6"), ("3", "y", "7")]
    reason = "the record over 4 lines has 4 fields, the table has 3"
    assert rejected_of(snapshot) == [(line, reason) for line in (2, 3, 4, 5)]


def test_quotation_marks_after_spaces_stand_around_fields_and_other_spaces_stay(read: Read, tmp_path: Path) -> None:
    data = b"id, name, n\n" + b"".join(b'%d, "x, y",  %d\n' % (i, i) for i in range(3)) + b'4,  plain ,"5, 6"\n'
    assert cells_of(read(data)) == [
        ("0", "x, y", "  0"),
        ("1", "x, y", "  1"),
        ("2", "x, y", "  2"),
        ("4", "  plain ", "5, 6"),
    ]
    assert about(detected(tmp_path, data), "spaced_quotes")[0] == {
        "true": "0 | x, y |   0",
        "false": '0 |  "x |  y" |   0',
    }
    kept = read(b'id, name\n1, "x"\n2, "y"\n', spaced_quotes=False)
    assert cells_of(kept) == [("1", ' "x"'), ("2", ' "y"')]


@pytest.mark.parametrize("data", [b"x,1,2\ny,3,4\n", b"x,1,2\ny,5,6\nz,7,8\n", b"a,7,8,9\nb,1,2,3\n"])
def test_a_row_that_counts_up_as_those_below_do_is_no_header(read: Read, data: bytes) -> None:
    assert len(cells_of(read(data))) == data.count(b"\n")


def test_years_over_values_are_a_header(read: Read) -> None:
    assert cells_of(read(b"site,2021,2022,2023\nA,7,9,8\nB,1,1,4\n")) == [("A", "7", "9", "8"), ("B", "1", "1", "4")]


@pytest.mark.parametrize("data", [b"a,b\nc,d\n", b"North,South\nEast,West\nA,B\n", b"a,b,c\n"])
def test_a_header_that_is_only_assumed_says_so(tmp_path: Path, data: bytes) -> None:
    readings = about(detected(tmp_path, data), "header_rows")
    assert [list(reading) for reading in readings] == [["1", "0"]]
    assert readings[0]["0"].startswith("a record: ")
    assert about(detected(tmp_path, data, header_rows=0), "header_rows") == []


def test_a_header_that_is_certain_raises_no_doubt(tmp_path: Path) -> None:
    assert detected(tmp_path, b"site,ph\nA,7.4\nB,6.9\n").doubts == ()


@pytest.mark.parametrize("data", [b"1,2,\n3,4,\n", b"1,\n2,\n"])
def test_a_delimiter_at_the_end_of_two_lines_is_a_doubt(tmp_path: Path, data: bytes) -> None:
    readings = about(detected(tmp_path, data), "trailing_delimiter")
    assert len(readings) == 2
    assert readings[0]["false"].endswith("(an empty column)")


_text = st.text(st.sampled_from("ab \\\"',;\t=+-\n\r\u202eé0"), max_size=7)


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    rows=st.lists(st.tuples(_text, _text, _text), min_size=1, max_size=6),
    quoting=st.sampled_from([csv.QUOTE_ALL, csv.QUOTE_MINIMAL]),
)
def test_delimited_text_that_is_well_formed_arrives_as_it_was(
    rows: list[tuple[str, str, str]], quoting: Any, read: Read
) -> None:
    out = io.StringIO()
    writer = csv.writer(out, quoting=quoting, lineterminator="\r\n")
    writer.writerow(["first", "second", "third"])
    writer.writerows(rows)
    evidence = {"delimiter": ",", "quote": '"', "escape": "", "header_rows": 1, "skip_lines": 0, "comment": "", "totals_line": False,
            "repeated_header": False, "spaced_quotes": False, "trailing_delimiter": False}  # fmt: skip
    assert [tuple(cell or "" for cell in row) for row in cells_of(read(out.getvalue().encode(), **evidence))] == rows


@settings(max_examples=100, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(rows=st.lists(st.tuples(_text, _text), min_size=1, max_size=5))
def test_what_an_escape_mark_writes_arrives_as_it_was(rows: list[tuple[str, str]], read: Read) -> None:
    def escaped(cell: str) -> str:
        return '"' + cell.replace("\\", "\\\\").replace('"', '\\"') + '"'

    data = "first;second\n" + "".join(";".join(map(escaped, row)) + "\n" for row in rows)
    evidence = {"delimiter": ";", "quote": '"', "escape": "\\", "header_rows": 1, "skip_lines": 0, "comment": "", "totals_line": False,
            "repeated_header": False, "spaced_quotes": False, "trailing_delimiter": False}  # fmt: skip
    assert [tuple(cell or "" for cell in row) for row in cells_of(read(data.encode(), **evidence))] == rows
