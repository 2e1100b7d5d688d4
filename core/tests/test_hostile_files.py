"""Files made to harm are refused with a clear message, at a bounded cost."""

from __future__ import annotations

import gzip
import io
import resource
import stat
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from traps import TRAPS, ods, zipped

from pravin_core.errors import IntakeError
from pravin_core.intake.formats.base import Place
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import SourceFile, make_snapshot, settle
from pravin_core.intake.sources import find_sources

BOUND = 300  # MB of memory more than before


def _zip_of(name: str, data: bytes, mode: int = 0, encrypted: bool = False) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        info = zipfile.ZipInfo(name)
        info.compress_type = zipfile.ZIP_DEFLATED
        info.external_attr = mode << 16
        archive.writestr(info, data)
    result = bytearray(out.getvalue())
    if encrypted:
        for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
            result[result.index(mark) + at] |= 1
    return bytes(result)


def _bomb(zipped_bomb: bool) -> bytes:
    """400 MB of noughts, written a piece at a time so that making it does not hide what opening it costs."""
    out = io.BytesIO()
    archive = zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED)
    with archive.open("a.csv", "w") if zipped_bomb else gzip.GzipFile(fileobj=out, mode="wb") as member:
        for _ in range(400):
            member.write(b"0" * 2**20)
    if zipped_bomb:
        archive.close()
    return out.getvalue()


def _changed_workbook(part: str, change: Callable[[bytes], bytes]) -> bytes:
    old, out = zipfile.ZipFile(io.BytesIO(TRAPS["workbook"].data)), io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name in old.namelist():
            data = old.read(name)
            archive.writestr(name, change(data) if name == part else data)
    return out.getvalue()


_ENTITIES = b'<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]>'
_SHEET = "xl/worksheets/sheet1.xml"
FILES: dict[str, tuple[Callable[[], bytes], str]] = {
    "zip bomb": (lambda: _bomb(zipped_bomb=True), "times its size"),
    "gzip bomb": (lambda: _bomb(zipped_bomb=False), "unpacks to more than"),
    "link": (lambda: _zip_of("a.csv", b"/etc/passwd", stat.S_IFLNK | 0o777), "a link"),
    "path out": (lambda: _zip_of("../../a.csv", b"a,b\n1,2\n"), "out of its folder"),
    "absolute path": (lambda: _zip_of("/etc/cron.d/x", b"a,b\n1,2\n"), "out of its folder"),
    "windows path": (lambda: _zip_of("..\\a.csv", b"a,b\n1,2\n"), "out of its folder"),
    "encrypted": (lambda: _zip_of("a.csv", b"a,b\n1,2\n", encrypted=True), "encrypted"),
    "archive in an archive": (lambda: zipped({"b.zip": zipped({"a.csv": b"a\n1\n"})}), "another archive"),
    "many members": (lambda: zipped({f"{n}.csv": b"a\n" for n in range(300)}), "at most 200"),
    "a million columns": (
        lambda: _changed_workbook(_SHEET, lambda data: data.replace(b'r="A3"', b'r="BDWGN3"')), "1,000,000 columns"),
    "far corner": (lambda: _changed_workbook(_SHEET, lambda data: data.replace(b'r="C3"', b'r="XFD1048576"')), "at most"),
    "entities in a workbook": (
        lambda: _changed_workbook(_SHEET, lambda data: data.replace(b"?>", b"?>" + _ENTITIES, 1)), "entities"),
    "repeated cells": (
        lambda: ods('<table:table-row><table:table-cell table:number-columns-repeated="900000000" '
                    'office:value-type="float" office:value="1"/></table:table-row>'), "900,000,000 columns"),
    "entities in a page": (lambda: b"<!doctype html>" + _ENTITIES + b"<table><tr><td>&b;</table>", "entities"),
    "entities in XML": (lambda: b'<?xml version="1.0"?>' + _ENTITIES + b"<x>&b;</x>", "XML"),
}  # fmt: skip


def _take_in(path: Path, folder: Path) -> None:
    for source in find_sources(path, "file.bin", folder):
        settle(source.path, source.name, SettingsRequest(), place=Place(source.name, source.path, source.table))


@pytest.mark.parametrize("name", FILES)
def test_it_is_refused(name: str, tmp_path: Path) -> None:
    make, words = FILES[name]
    path = tmp_path / "file.bin"
    path.write_bytes(make())
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(IntakeError, match=words) as caught:
        _take_in(path, tmp_path / "unpacked")
    assert caught.value.advice
    assert (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024 < BOUND
    left = sum(file.stat().st_size for file in (tmp_path / "unpacked").glob("*"))
    assert left < 100_000_000


def test_a_line_without_end_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "long.csv"
    with path.open("wb") as file:
        file.write(b"a,b\n")
        for _ in range(300):
            file.write(b"x" * 2**20)
    result = settle(path, "long.csv", SettingsRequest())
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(IntakeError, match="Line 2 is longer than 16,777,216"):
        make_snapshot([SourceFile("long.csv", path, result.settings)], tmp_path / "snapshot")
    assert (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024 < BOUND
    assert not (tmp_path / "snapshot").exists()


def test_deep_json_is_refused_or_rejected(tmp_path: Path) -> None:
    path = tmp_path / "deep.json"
    path.write_bytes(b'[{"a": 1}, ' + b'{"a": ' * 100_000 + b"1" + b"}" * 100_000 + b"]")
    result = settle(path, "deep.json", SettingsRequest())
    snapshot = make_snapshot([SourceFile("deep.json", path, result.settings)], tmp_path / "snapshot")
    assert (snapshot.records, snapshot.rejected) == (1, 1)
