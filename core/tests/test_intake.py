"""Intake: what each file becomes is written down by hand in traps.py; every physical line is accounted for."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from pathlib import Path

import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from traps import TEXT, TRAPS, Trap, jsonl, parquet_bytes, zipped

from conftest import cells_of, rejected_of
from pravin_core.engines.duckdb import connect
from pravin_core.errors import IntakeError, SettingsError
from pravin_core.intake.encoding import split_lines
from pravin_core.intake.formats.base import RECORD, Place
from pravin_core.intake.formats.registry import reader_of
from pravin_core.intake.preview import preview
from pravin_core.intake.repairs import Repair
from pravin_core.intake.settings import IntakeSettings, SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.intake.sources import find_sources


def taken_in(trap: Trap, folder: Path) -> Snapshot:
    """A trap's file read as it asks, other settings detected."""
    path = folder / "file.txt"
    path.write_bytes(trap.data)
    place = Place("file.txt", path, trap.table)
    settings_ = settle(path, "file.txt", SettingsRequest(**trap.asked), place=place).settings
    for name, value in trap.settings.items():
        assert getattr(settings_, name) == value, name
    return make_snapshot([SourceFile("file.txt", path, settings_, trap.table)], folder / "snapshot")


@pytest.mark.parametrize("name", TRAPS)
def test_each_file_becomes_what_is_written_down(name: str, tmp_path: Path) -> None:
    trap = TRAPS[name]
    snapshot = taken_in(trap, tmp_path)
    assert snapshot.columns == trap.columns
    assert cells_of(snapshot) == trap.records
    result = rejected_of(snapshot)
    assert [line for line, _ in result] == [line for line, _ in trap.rejected]
    assert all(words in reason for (_, reason), (_, words) in zip(result, trap.rejected, strict=True))
    file = snapshot.files[0]
    apart = file.preamble + file.header + file.comments + file.repeated + file.totals
    assert file.lines == trap.lines == apart + file.record_lines + file.rejected
    for sort, count in trap.apart.items():
        assert getattr(file, sort) == count, sort


CUT_SHORT = ("huge field", "a cell beside the table")  # the preview cuts long cells, and shows the beginning


@pytest.mark.parametrize("name", [name for name in TRAPS if name not in CUT_SHORT])
def test_the_preview_shows_the_same_records(name: str, tmp_path: Path) -> None:
    trap = TRAPS[name]
    path = tmp_path / "file.txt"
    path.write_bytes(trap.data)
    place = Place("file.txt", path, trap.table)
    settings_ = settle(path, "file.txt", SettingsRequest(**trap.asked), place=place).settings
    shown = preview(place, settings_)
    kept = [at for at, column in enumerate(settings_.columns) if column is not None]
    cells = [tuple(row[at] for at in kept) for _, row in shown.records]
    assert cells == [record[: len(kept)] for record in trap.records]


def test_fast_and_tolerant_lane_agree(tmp_path: Path) -> None:
    # the fast lane is taken by what has no trap in it; a comment mark that never occurs sends it down the other
    for number, (data, asked) in enumerate([
        (b"a;b\r\n1;\xfc\r\n2;y\r\n", {"encoding": "cp1252"}), (b"\xef\xbb\xbfa,b\n1,2\na,b\n3,4\n", {}),
        (b"a;b;\n1;2;\n3;4;\n", {}), (b"a;b\nx;2\ny;4\nTotal;6\n", {}), ("a;b\n1;ü\n".encode("utf-16"), {}),
        (b"a,b,c\n1,2,3\n4,5,6\n", {"columns": {"b": None, "c": "z"}, "facts": {"lab": "N"}, "source_column": "s"}),
    ]):  # fmt: skip
        results = []
        for more in ({}, {"comment": "~no~"}):
            folder = tmp_path / f"{number}-{len(more)}"
            folder.mkdir()
            results.append(taken_in(Trap(data, (), [], 0, asked={**asked, **more}), folder))
        fast, tolerant = results
        assert (fast.files[0].lane, tolerant.files[0].lane) == ("fast", "tolerant")
        assert (fast.columns, cells_of(fast)) == (tolerant.columns, cells_of(tolerant))
        assert fast.files[0].model_dump(exclude={"lane"}) == tolerant.files[0].model_dump(exclude={"lane"})


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"\n \n", "empty"),
        (bytes(range(256)) * 40, "control characters"),
        (b"PK\x03\x04" + b"x" * 50, "archive"),
        (b"%PDF-1.7 ...", "PDF"),
        (b'<?xml version="1.0"?><a/>', "XML"),
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
    with pytest.raises(SettingsError, match="names of columns"):
        read(b"a,b\n1,2\n", columns={"a": "x", "b": "X"})


def test_evidence_and_doubts_of_an_encoding(tmp_path: Path) -> None:
    path = tmp_path / "f.txt"
    path.write_bytes("site;note\n1;plain\n2;5 € für Öl\n".encode("cp1252"))
    result = settle(path, "f.txt", SettingsRequest())
    assert "byte 23 is not valid UTF-8" in result.evidence["encoding"]
    assert result.evidence["delimiter"] == "semicolon: 3 of 3 records looked at have 2 fields"
    assert [doubt.line for doubt in result.doubts] == [3]
    readings = dict(result.doubts[0].readings)
    assert readings["cp1252"] == "2;5 € für Öl"
    assert readings["iso8859-1"] != readings["cp1252"]


def test_a_wide_file_keeps_all_columns(read: Callable[..., Snapshot]) -> None:
    heads = [f"c{n}" for n in range(2000)]
    snapshot = read("|".join(heads).encode() + b"\n" + b"|".join([b"1"] * 2000) + b"\n")
    assert snapshot.columns == tuple(heads)
    assert cells_of(snapshot) == [("1",) * 2000]


def test_preview_says_the_fate_of_each_line(tmp_path: Path) -> None:
    path = tmp_path / "f.txt"
    path.write_bytes(b"Report\na|b\n1|2\n3\na|b\n" + b"4|5\n" * 3)
    shown = preview(Place("f.txt", path), settle(path, "f.txt", SettingsRequest()).settings)
    assert [(line.line, line.status) for line in shown.lines] == [
        (1, "preamble"), (2, "header"), (3, "record"), (4, "rejected"), (5, "repeated header"), (6, "record"),
        (7, "record"), (8, "record"),
    ]  # fmt: skip
    assert shown.records[0] == (3, ("1", "2"))


def test_files_of_one_delivery_become_one_table(tmp_path: Path) -> None:
    one, two = tmp_path / "one.txt", tmp_path / "two.txt"
    one.write_text("a|b\n1|2\n")
    two.write_text("5|6\n7|8\n")
    first = settle(one, "one.txt", SettingsRequest())
    second = settle(two, "two.txt", SettingsRequest(), known=first.settings.names)
    assert not second.settings.header_rows
    sources = [SourceFile("one.txt", one, first.settings), SourceFile("two.txt", two, second.settings)]
    snapshot = make_snapshot(sources, tmp_path / "snapshot", order=("b", "a"))
    assert (snapshot.columns, snapshot.records) == (("b", "a"), 3)
    assert [file.records for file in snapshot.files] == [1, 2]


def test_parquet_comes_in_as_text(tmp_path: Path) -> None:
    trap = Trap(
        parquet_bytes(tmp_path), ("a", "b", "c"), [("1", "[1,2]", "2024-03-01 09:30:00"), (None, "[]", None)], 2
    )
    snapshot = taken_in(trap, tmp_path)
    assert (snapshot.columns, cells_of(snapshot)) == (trap.columns, trap.records)
    assert snapshot.files[0].lines == 2


def test_archives_and_workbooks_hold_several_sources(tmp_path: Path) -> None:
    packed = tmp_path / "march.zip"
    files = {"a/one.csv": b"a,b\n1,2\n", "two.jsonl": jsonl([{"a": 1}]), "two.xlsx": TRAPS["second sheet"].data}
    packed.write_bytes(zipped({**files, "__MACOSX/x": b"?"}))
    sources = find_sources(packed, "march.zip", tmp_path / "unpacked")
    assert [item.name for item in sources] == [
        "march.zip › a/one.csv", "march.zip › two.jsonl", "march.zip › two.xlsx › One", "march.zip › two.xlsx › Two",
    ]  # fmt: skip
    assert sources[0].path.read_bytes() == files["a/one.csv"]


def test_a_mended_line_joins_the_records_and_numbers_stay(tmp_path: Path) -> None:
    path = tmp_path / "f.txt"
    path.write_bytes(b'a,b\n1,x\n2\n3,"y\n4,z\n')
    settings_ = settle(path, "f.txt", SettingsRequest()).settings
    source = SourceFile("f.txt", path, settings_)
    before = make_snapshot([source], tmp_path / "before")
    assert rejected_of(before) == [
        (3, "the line has 1 field, the table has 2"), (4, "a quotation mark opened here is not closed"),
    ]  # fmt: skip
    repairs = [Repair(0, 4, '3,"y"'), Repair(0, 3, "2,,"), Repair(0, 2, "not rejected,x")]
    after = make_snapshot([source], tmp_path / "after", repairs=repairs)
    assert cells_of(after) == [*cells_of(before), ("3", "y")]
    assert [line for line, _ in rejected_of(after)] == [3]
    file = after.files[0]
    assert (file.lines, file.record_lines, file.records, file.repaired, file.rejected) == (5, 3, 3, 1, 1)


_text = st.text(st.characters(exclude_categories=("Cs",), exclude_characters="\x00"), max_size=8)
_mark = st.characters(exclude_categories=("Cs", "Cc", "Cn"), exclude_characters='\r\n"\\\ufeff')


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    rows=st.integers(1, 4).flatmap(lambda n: st.lists(st.tuples(*[_text] * n), min_size=1, max_size=6)),
    delimiter=st.one_of(st.sampled_from(",;|\t ^:"), _mark),
    end=st.sampled_from(["\n", "\r\n", "\r"]),
    quoting=st.sampled_from([csv.QUOTE_MINIMAL, csv.QUOTE_ALL, csv.QUOTE_NONNUMERIC, csv.QUOTE_NONE]),
    encoding=st.sampled_from(["utf-8", "utf-16", "utf-32"]),
)
def test_what_the_csv_module_writes_comes_back_cell_for_cell(
    rows: list[tuple[str, ...]], delimiter: str, end: str, quoting: int, encoding: str, tmp_path: Path
) -> None:
    bare = quoting == csv.QUOTE_NONE
    assume(not bare or all(row != ("",) for row in rows))  # which the csv module refuses to write
    out = io.StringIO()
    writer = csv.writer(
        out, delimiter=delimiter, lineterminator=end, quoting=quoting, escapechar="\\" if bare else None
    )
    names = tuple(f"column {n}" for n in range(len(rows[0])))
    writer.writerows([names, *rows])
    path = tmp_path / "f.txt"
    path.write_bytes(out.getvalue().encode(encoding))
    request = SettingsRequest(
        format="delimited", delimiter=delimiter, quote="" if bare else '"', escape="\\" if bare else "", header_rows=1,
        skip_lines=0, encoding=encoding, names=names, line_end=end, repeated_header=False, totals_line=False, comment="",
        trailing_delimiter=False,
    )  # fmt: skip
    folder = tmp_path / f"s{len(list(tmp_path.iterdir()))}"
    snapshot = make_snapshot([SourceFile("f.txt", path, settle(path, "f.txt", request).settings)], folder)
    assert cells_of(snapshot) == rows
    assert snapshot.files[0].lines == len(split_lines(out.getvalue(), end))


_fields = st.sampled_from(["", "a", "é b", '"c"', '""', '"d""e"', '"f,g"', '""""', "h"])
_odd = st.sampled_from(['x"y', '"k" ', ' "k"', '"l\nm"', "n\r", '"', 'o,"p', '"q"r', "\n", "s,t", '""u'])
_ends = st.sampled_from(["\n"] * 9 + ["\r\n", ""])


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    columns=st.integers(2, 3), fields=st.lists(_fields, min_size=1, max_size=24), odd=st.none() | _odd, end=_ends,
    repeated=st.booleans(),
)  # fmt: skip
def test_the_fast_lanes_give_what_reading_piece_by_piece_gives(
    columns: int, fields: list[str], odd: str | None, end: str, repeated: bool, tmp_path: Path
) -> None:
    names = ("h", "i", "j")[:columns]
    fields = [*fields, *([odd] if odd else []), *["z"] * (-(len(fields) + bool(odd)) % columns)]
    text = end.join(",".join(fields[at : at + columns]) for at in range(0, len(fields), columns))
    path = tmp_path / "f.txt"
    path.write_bytes((",".join(names) + (end or "\n") + text + end).encode())
    request = SettingsRequest(
        format="delimited", delimiter=",", quote='"', escape="", header_rows=1, skip_lines=0, encoding="utf-8",
        names=names, repeated_header=repeated, totals_line=False, comment="", trailing_delimiter=False,
    )  # fmt: skip
    settled = settle(path, "f.txt", request).settings
    reader, place, out = reader_of("delimited"), Place("f.txt", path), tmp_path / "fast.parquet"
    with connect([tmp_path], tmp_path / "scratch") as con:
        fast = reader.read_fast(con, place, settled, (1, 0), tmp_path / "scratch", out)
    if fast is None:
        assert odd or not end
        return
    outcomes = [outcome for outcome in reader.outcomes(place, settled) if outcome.status == RECORD]
    assert sum(outcome.lines for outcome in reader.outcomes(place, settled)) == fast.lines
    rows = [tuple(row.values()) for row in pq.read_table(out).to_pylist()]
    assert rows == [(number, 0, outcome.line, *outcome.cells) for number, outcome in enumerate(outcomes, start=1)]


def test_the_traps_are_many() -> None:
    assert len(TRAPS) >= 80
    assert len(TEXT) >= 60
