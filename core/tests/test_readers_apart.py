"""Readers of foreign formats: bounded in memory, time and text, ended when the work is, and kept when all is well."""

from __future__ import annotations

import io
import random
import resource
import time
import zipfile
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from threading import Timer
from typing import Any

import pytest
import xlsxwriter
import xlwt
from traps import ods

from pravin_core.errors import Cancelled, IntakeError
from pravin_core.intake.formats import apart
from pravin_core.intake.formats.base import Detected, LineOutcome, Place, Reader
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.intake.snapshot import SourceFile, make_snapshot, settle
from pravin_core.intake.sources import find_sources
from pravin_core.stopping import Stop, stoppable


def workbook(sheets: int = 1, rows: Sequence[Sequence[Any]] = (("a", "b"), (1, 2))) -> bytes:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out) as book:
        for number in range(sheets):
            sheet = book.add_worksheet(f"s{number}")
            for at, row in enumerate(rows):
                sheet.write_row(at, 0, row)
    return out.getvalue()


def changed(data: bytes, part: str, old: bytes, new: bytes) -> bytes:
    before, out = zipfile.ZipFile(io.BytesIO(data)), io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name in before.namelist():
            inside = before.read(name)
            archive.writestr(name, inside.replace(old, new) if name == part else inside)
    return out.getvalue()


def cell(text: str, more: str = "") -> str:
    return f'<table:table-cell {more} office:value-type="string"><text:p>{text}</text:p></table:table-cell>'


def row(cells: str, times: int = 1) -> str:
    return f'<table:table-row table:number-rows-repeated="{times}">{cells}</table:table-row>'


HEAD = row(cell("a") + cell("b"))
SHEET = "xl/worksheets/sheet1.xml"
_LONG = "x" * 30_000
_ENDLESS = b'<row r="3">' + b'<c r="A3" t="e">' * 100_000 + b"</c>" * 100_000 + b"</row></sheetData>"
REFUSED: dict[str, tuple[Callable[[], bytes], str]] = {
    "many cells that share one long text": (
        lambda: changed(workbook(rows=[["a"] * 4] + [[_LONG] * 4] * 4000), "xl/sharedStrings.xml", _LONG.encode(), b"y" * 100_000), "repeats texts"),
    "a row of long texts, repeated": (
        lambda: ods(HEAD + row(cell("z" * 100_000, 'table:number-columns-repeated="30"'), 900_000)), "repeats texts"),
    "a cell of spaces without end": (lambda: ods(HEAD + row(cell('<text:s text:c="999999999"/>' * 5000) + cell("1"))), "Row 2 holds more than"),
    "parts within each other": (lambda: ods(HEAD + row(cell("<text:span>" * 3000 + "x" + "</text:span>" * 3000))), "too deeply"),
    "spans of a page": (
        lambda: b"<!doctype html><table><tr><th>a<th>b<tr>" + (b"<td colspan=1000 rowspan=65534>" + b"t" * 100_000) * 5 + b"<tr>" * 2000 + b"</table>",
        "its spans filled"),
    "cells with errors within each other": (lambda: changed(workbook(), SHEET, b"</sheetData>", _ENDLESS), "damaged"),
    "cells that are never finished": (lambda: changed(workbook(), SHEET, b"</sheetData>", b"<c " * 300_000 + b"</sheetData>"), "damaged"),
    "half of an older workbook": (lambda: older()[:9000], "damaged"),
}  # fmt: skip


def older() -> bytes:
    book, out = xlwt.Workbook(), io.BytesIO()
    sheet = book.add_sheet("s")
    for at in range(100):
        sheet.write(at, 0, f"text {at}")
        sheet.write(at, 1, at * 1.5)
    book.save(out)
    return out.getvalue()


def take_in(path: Path, folder: Path) -> list[int]:
    """All steps of the intake; the number of records of the first ten sources."""
    results = []
    for at, source in enumerate(find_sources(path, path.name, folder)[:10]):
        place = Place(source.name, source.path, source.table)
        result = settle(source.path, source.name, SettingsRequest(), place=place)
        source_file = SourceFile(source.name, source.path, result.settings, source.table)
        results.append(make_snapshot([source_file], folder / f"snapshot-{at}").records)
    return results


@pytest.mark.parametrize("name", REFUSED)
def test_it_is_refused_in_words_within_seconds(name: str, tmp_path: Path) -> None:
    make, words = REFUSED[name]
    path = tmp_path / "file.bin"
    path.write_bytes(make())
    before, began = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.monotonic()
    with pytest.raises(IntakeError, match=words) as caught:
        take_in(path, tmp_path / "work")
    assert caught.value.advice
    assert time.monotonic() - began < 60
    assert (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024 < 300


def test_older_workbooks_with_changed_bytes_are_read_or_refused_in_our_words(tmp_path: Path) -> None:
    chance, good = random.Random(11), older()
    results = []
    for number in range(40):
        data = bytearray(good)
        for _ in range(chance.choice([1, 5, 40])):
            data[chance.randrange(len(data))] = chance.randrange(256)
        path = tmp_path / f"{number}.xls"
        path.write_bytes(bytes(data))
        try:
            take_in(path, tmp_path / f"work-{number}")
        except IntakeError as error:
            results.append(str(error))
    assert 0 < len(results) < 40
    assert not [item for item in results for word in ("Error:", "struct", "codec", "index", "xlrd") if word in item]


@pytest.mark.parametrize(("spaces", "value"), [("xx", "1"), ("-5", "x"), ("1e9", ""), ("²", "1,5")])
def test_marks_of_a_sheet_that_are_no_numbers_are_taken_as_they_stand(spaces: str, value: str, tmp_path: Path) -> None:
    number = (
        f'<table:table-cell office:value-type="float" office:value="{value}"><text:p>shown</text:p></table:table-cell>'
    )
    path = tmp_path / "file.ods"
    path.write_bytes(ods(HEAD + row(cell(f'p<text:s text:c="{spaces}"/>q') + number)))
    assert take_in(path, tmp_path / "work") == [1]


def test_a_workbook_of_many_sheets_and_a_page_of_many_tables_are_listed_in_one_walk(tmp_path: Path) -> None:
    book, page = tmp_path / "book.xlsx", tmp_path / "page.html"
    book.write_bytes(workbook(sheets=600))
    tables = "".join(f"<h2>part {n % 7}</h2><table><tr><th>a<th>b<tr><td>1<td>{n}</table>" for n in range(3000))
    page.write_text(f"<!doctype html>{tables}")
    began = time.monotonic()
    assert len(find_sources(book, "book.xlsx", tmp_path)) == 600
    titles = [source.table for source in find_sources(page, "page.html", tmp_path)]
    assert len(set(titles)) == 3000
    assert titles[:8] == [f"part {n}" for n in range(7)] + ["part 0 (8)"]
    assert time.monotonic() - began < 60


class Odd(Reader):
    """A reader that does what the name of the file says."""

    format, label, unit = "workbook", "workbook", "row"

    def settle(self, place: Place, request: SettingsRequest, known: Sequence[str]) -> Detected:
        if place.name == "memory":
            kept = []
            while True:
                kept.append(bytearray(2**28))
        if place.name == "death":
            import os

            os.abort()
        time.sleep(600)
        raise AssertionError

    def outcomes(self, place: Place, settings: FileSettings, limit: int | None = None) -> Iterator[LineOutcome]:
        raise ValueError("a message of a library")


@pytest.fixture
def odd(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> apart.Apart:
    """The odd reader in a process of its own, which finds it where the reader of workbooks would be."""
    (tmp_path / "sitecustomize.py").write_text(
        "import sys\nif '-m' in sys.orig_argv and 'pravin_core.intake.formats.apart' in sys.orig_argv:\n"
        "    from pravin_core.intake.formats import registry, apart\n    from test_readers_apart import Odd\n"
        "    registry._BY_FORMAT['workbook'] = apart.Apart(Odd())\n"
    )
    monkeypatch.syspath_prepend(str(tmp_path))
    apart._end_all()
    monkeypatch.setattr(apart, "PATIENCE", 25)
    yield apart.Apart(Odd())  # type: ignore[misc]
    apart._end_all()


@pytest.mark.parametrize(("name", "words"), [
    ("memory", "more than the 2 GB"), ("death", "damaged, or reading it takes more"), ("sleep", "within 25 seconds"),
])  # fmt: skip
def test_a_reader_that_takes_too_much_or_dies_is_replaced(
    odd: apart.Apart, name: str, words: str, tmp_path: Path
) -> None:
    with pytest.raises(IntakeError, match=words):
        odd.settle(Place(name, tmp_path), SettingsRequest(), ())
    assert not apart._idle
    with pytest.raises(IntakeError, match=r"cannot be understood \(ValueError\)"):
        list(odd.outcomes(Place("x", tmp_path), FileSettings(format="workbook", names=("a",), columns=("a",))))
    assert len(apart._idle) == 1


def test_cancelling_ends_a_reader_in_the_middle_of_its_work(odd: apart.Apart, tmp_path: Path) -> None:
    stop = Stop()
    Timer(0.5, stop.now).start()
    with pytest.raises(Cancelled), stoppable(stop):  # not the end of its patience, which is refused in other words
        odd.settle(Place("sleep", tmp_path), SettingsRequest(), ())
    assert not apart._idle
