"""The files of the demo read back: what the generator spoiled is there, and nothing else is lost."""

from __future__ import annotations

import csv
import json
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import pytest

from conftest import cells_of, rejected_of
from demo import permit_months, rain_months
from demo.lab_results import HARBOUR_HEADS, NORTH_HEADS, write_harbour, write_north
from demo.sites import write_sites
from pravin_core.intake.formats.base import Place
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.intake.sources import find_sources
from pravin_core.intake.totals import compare_totals, read_companion


def read(path: Path, place: int = 0) -> tuple[Snapshot, list[dict[str, Any]]]:
    """One source of a file, and the truth about it."""
    source = find_sources(path, path.name, path.parent)[place]
    result = settle(source.path, source.name, SettingsRequest(), place=Place(source.name, source.path, source.table))
    folder = path.parent / f"snapshot-{path.name}"
    snapshot = make_snapshot([SourceFile(source.name, source.path, result.settings, source.table)], folder)
    return snapshot, json.loads((path.parent / f"{path.stem}.truth.json").read_text())


def spoiled(truth: list[dict[str, Any]], kind: str) -> list[dict[str, Any]]:
    return [item for item in truth if item["kind"] == kind]


@pytest.mark.parametrize("seed", [7, 101])
def test_the_text_of_lab_north(seed: int, tmp_path: Path) -> None:
    path, totals = write_north(tmp_path, seed, 2024, 2)
    snapshot, truth = read(path)
    assert snapshot.columns == NORTH_HEADS
    broken = spoiled(truth, "broken line")
    assert [line for line, _ in rejected_of(snapshot)] == [item["row"] + 2 for item in broken]
    rows = cells_of(snapshot)
    lost = {item["row"] for item in broken}
    dirty = [item["dirty"] for item in spoiled(truth, "missing") if item["row"] not in lost]
    assert [row[5] for row in rows if row[5] in ("-", "n/a")] == dirty
    assert {row[8] for row in rows} == {"J. Grün", "M. Voß", "A. Lindqvist", "É. Moreau"}
    stated = read_companion(totals, totals.name)
    compared = {total.what: total for total in compare_totals(snapshot, stated, tmp_path / "scratch")}
    assert compared["records"].difference == "-1"
    assert compared["sum of Messwert"].unread == len(dirty)


@pytest.mark.parametrize("seed", [7, 101])
def test_the_workbook_of_lab_harbour(seed: int, tmp_path: Path) -> None:
    path = write_harbour(tmp_path, seed, 2024, 2)
    snapshot, truth = read(path)
    assert snapshot.columns == HARBOUR_HEADS
    rows = cells_of(snapshot)
    assert len(rows) == 400 + len(spoiled(truth, "duplicate record"))
    assert [at for at, row in enumerate(rows) if row[6] == "#N/A"] == [
        item["row"] for item in spoiled(truth, "error cell")
    ]
    assert all(row[0] and row[0].isdigit() and len(row[0]) == 8 for row in rows)
    assert {row[1][:8] for row in rows if row[1]} == {"2024-02-"}


@pytest.mark.parametrize("seed", [7, 101])
def test_the_page_of_the_sites(seed: int, tmp_path: Path) -> None:
    snapshot, truth = read(write_sites(tmp_path, seed), place=1)
    assert (snapshot.records, snapshot.files[0].repeated) == (60, 2)
    rows = cells_of(snapshot)
    for kind, column in (("outer spaces", 2), ("degree sign", 3), ("uncertainty", 5)):
        assert [rows[item["row"]][column] for item in spoiled(truth, kind)] == [
            item["dirty"] for item in spoiled(truth, kind)
        ]
    assert all(row[0] and len(row[0]) == 4 for row in rows)


@pytest.mark.parametrize("today", [date(2026, 12, 2), date(2028, 2, 29), date(2025, 1, 31)])
def test_two_years_of_rain_end_with_the_month_before(today: date, tmp_path: Path) -> None:
    files = [rain_months.write_rain_month(tmp_path, 7, today, place) for place in range(rain_months.MONTHS)]
    assert [place for place, file in enumerate(files) if file is None] == [rain_months.NEVER]
    days = [line["day"] for file in files if file for line in csv.DictReader(file.open())]
    assert days == sorted(days)
    assert days[-1] == (today.replace(day=1) - timedelta(days=1)).isoformat()
    came = [rain_months.arrived(today, place) for place in range(rain_months.MONTHS)]
    assert came == sorted(came)
    assert came[-1].date() == today.replace(day=1)


def test_the_events_in_what_permit_holders_took(tmp_path: Path) -> None:
    today = date(2026, 12, 2)
    places = range(permit_months.MONTHS)
    months = [permit_months.write_permit_month(tmp_path, 7, today, place) for place in places]
    assert [place for place in places if len(months[place]) == 1] == [permit_months.LACKING]
    bytes_of = [[file.read_bytes() for file in files] for files in months]
    assert bytes_of[permit_months.AGAIN][1] == bytes_of[permit_months.AGAIN - 1][1]
    different = {content for contents in bytes_of for content in contents}
    assert len(different) == 2 * permit_months.MONTHS - 2
    assert permit_months.arrived(today, permit_months.MONTHS - 1).date() == date(2026, 10, 4)
