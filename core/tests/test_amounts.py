"""What is about to be read is told beforehand."""

from __future__ import annotations

import gzip
from pathlib import Path

import pytest

from pravin_core.intake.amounts import estimated_records, in_words, size
from pravin_core.intake.formats.base import Place
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import settle
from pravin_core.intake.sources import find_sources


@pytest.mark.parametrize(
    ("count", "words"),
    [(0, "0 bytes"), (999, "999 bytes"), (1000, "1.0 kB"), (12_400_000, "12.4 MB"), (2_100_000_000, "2.1 GB")],
)
def test_bytes_for_people(count: int, words: str) -> None:
    assert size(count) == words


@pytest.mark.parametrize("records", [1, 40, 300_000])
@pytest.mark.parametrize("ends", ["\n", "\r\n"])
def test_records_are_estimated_from_the_beginning(records: int, ends: str, tmp_path: Path) -> None:
    path = tmp_path / "f.csv"
    path.write_bytes(ends.join(["id,text", *(f"{n:07},same" for n in range(records))]).encode())
    settings = settle(path, path.name, SettingsRequest()).settings
    assert estimated_records(path, settings, path.stat().st_size) == pytest.approx(records, rel=0.01, abs=1)


def test_a_small_archive_says_what_it_holds(tmp_path: Path) -> None:
    path = tmp_path / "f.csv.gz"
    path.write_bytes(gzip.compress(b"id,text\n" + b"1234567,same text again\n" * 1_600_000))
    result = find_sources(path, path.name, tmp_path / "unpacked")[0]
    settings = settle(result.path, result.name, SettingsRequest()).settings
    words = in_words([(Place(result.name, result.path), settings)], path.stat().st_size)
    assert words.startswith("reading about 1,600,000 records (38.4 MB, out of ")


def test_what_is_no_text_of_lines_is_told_by_its_size(tmp_path: Path) -> None:
    path = tmp_path / "f.json"
    path.write_text('[{"a": 1},\n {"a": 2}]')
    settings = settle(path, path.name, SettingsRequest()).settings
    assert in_words([(Place("f", path), settings)], 21) == "reading records (21 bytes)"
