"""Findings: what is noticed on small tables written by hand, and that nothing is on clean ones."""

from __future__ import annotations

import random
import sys
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import pytest

from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.profiling.findings.columns.variants import propose
from pravin_core.profiling.findings.registry import kinds
from pravin_core.profiling.model import Finding
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.profiling.variants.groups import METHODS, group
from pravin_core.records.pages import Stage, read_page

sys.path.insert(0, str(Path(__file__).resolve().parents[2]))
from bench.findings import MEASURED, measure
from demo.catchment import write_catchment
from demo.field_samples import write_month
from demo.lab_results import write_harbour, write_north


def demo_files(folder: Path) -> list[Path]:
    """Four of the demo's files, with a seed of their own."""
    folder.mkdir()
    write_catchment(folder, 4711)
    write_month(folder, 4711, 2024, 1)
    write_north(folder, 4711, 2024, 2, renamed=False)
    write_harbour(folder, 4711, 2024, 2)
    expected = ("east-2024-01.txt", "lab-north-2024-02.csv", "lab-harbour-2024-02.xlsx", "catchment-2023.csv")
    return [folder / name for name in expected]


Table = Callable[[dict[str, list[str | None]]], Snapshot]
NOW = datetime(2024, 6, 1)


def findings(table: Table, work: Path, columns: dict[str, list[str | None]]) -> tuple[Snapshot, list[Finding]]:
    """All findings of a small table; nothing may be left unjudged."""
    snapshot = table(columns)
    profile = profile_snapshot(snapshot, work / "scratch", NOW)
    assert profile.unjudged == ()
    return snapshot, list(profile.findings)


def cycle(values: list[str], n: int) -> list[str | None]:
    return [values[i % len(values)] for i in range(n)]


PH = [f"{7 + (i * 7 % 13) / 10:.1f}" for i in range(60)]
DAYS = [f"2024-03-{13 + i % 18:02d}" for i in range(60)]
# kind, name of the column, cells, how many are found, and one value with what it becomes
TRAPS = [
    ("turned into a date", "band", [*cycle(["0-1", "1-2", "5-10"], 40), "05-Oct", "02-Jan"], 2, ("05-Oct", "5-10")),
    ("turned into a date", "band", [*cycle(["0-1", "1-2", "5-10"], 40), "2024-10-05", "45570"], 2, ("45570", "5-10")),
    ("turned into a date", "code", [*cycle(["DEC-10", "KEL-2", "TOR-4"], 60), "10-Dec"], 1, ("10-Dec", "DEC-10")),
    ("turned into a date", "code", [*cycle(["MAR-1", "KEL-2", "TOR-4"], 40), "01-Mar"], 1, ("01-Mar", "MAR-1")),
    ("scientific notation", "lab_id", [*[str(24_000_000 + i) for i in range(40)], "2.4E+07"], 1, ("2.4E+07", None)),
    ("lost leading zeros", "site", [*[f"{i:04d}" for i in range(100, 160)], "42", "7"], 2, ("42", "0042")),
    ("day and month exchanged", "day", [*DAYS, "2024-07-03"], 1, ("2024-07-03", "2024-03-07")),
    ("impossible year", "day", [*DAYS, "2107-03-04"], 1, ("2107-03-04", None)),
    ("two-digit year", "day", [*[f"{13 + i % 18}/03/2024" for i in range(40)], "17/03/24"], 1, ("17/03/24", None)),
    ("decimal or thousands mark", "ph", [*PH, "7,4"], 1, ("7,4", "7.4")),
    ("decimal or thousands mark", "n", [*[str(1200 + i) for i in range(60)], "1,234"], 1, ("1,234", "1234")),
    ("unit", "oxygen", [*PH, "8.1 mg/L", "7.9mg/L"], 2, ("8.1 mg/L", "8.1")),
    ("detection limit", "oxygen", [*PH, "<0.05"], 1, ("<0.05", "0.05")),
    ("uncertainty", "oxygen", [*PH, "7.4 ± 0.2"], 1, ("7.4 ± 0.2", "7.4")),
    ("percent", "cover", [*PH, "8 %"], 1, ("8 %", "8")),
    ("currency", "cost", [*PH, "€8.50"], 1, ("€8.50", "8.50")),
    ("literal escape", "note", [*cycle(["low water", "ducks"], 40), r"reeds\t"], 1, (r"reeds\t", "reeds")),
    ("invisible characters", "name", [*cycle(["Merrow", "Fen"], 40), "Mer\u200brow"], 1, ("Mer\u200brow", "Merrow")),
    ("spaces at the ends", "name", [*cycle(["Merrow", "Fen"], 40), "Fen\u00a0"], 1, ("Fen\u00a0", "Fen")),
    ("wrong decoding", "name", [*cycle(["Größbach", "Fen"], 40), "GrÃ¶ÃŸbach"], 1, ("GrÃ¶ÃŸbach", "Größbach")),
    ("wrong decoding", "name", [*cycle(["Größbach", "Fen"], 40), "Gr\ufffd\ufffdbach"], 1, ("Gr\ufffd\ufffdbach", "Größbach")),
    ("scale slip", "ph", [*PH, "74"], 1, ("74", "7.4")),
    # as one alone could be chance (see what is kept quiet), six are not
    ("scale slip", "warmth", [*[f"{max(2.5, random.Random(n).gauss(8, 2)):.1f}" for n in range(600)], *["0.3", "0.4"] * 3], 6, ("0.3", "3")),
    ("disguised missing", "temp", [*PH, "-999", "-999"], 2, ("-999", "")),
    ("disguised missing", "temp", [*PH, "n/a"], 1, ("n/a", "")),
    ("disguised missing", "lat", [*[f"{53 + i % 90 / 90:.5f}" for i in range(270)], "153.2", "5343474", "5343475", *["0.00000"] * 3], 3, ("0.00000", "")),
    ("unit missing", "paid", [*[f"{i * 7 % 90}.50 EUR" for i in range(60)], "9.00"], 1, ("9.00", None)),
    ("breaks the form of its column", "opens", [*[f"{6 + i % 12:02d}:{i % 4 * 15:02d}" for i in range(90)], "25:10", "1745", "7 h"], 3, ("25:10", None)),
    ("breaks the form of its column", "worked", [*[f"{20 + i % 12}:{i % 4 * 15:02d}" for i in range(90)], "7:75", "8 h"], 2, ("7:75", None)),
    ("breaks the form of its column", "postcode", [*[f"0{i * 37 % 9000 + 1000}" for i in range(90)], "D-02311"], 1, ("D-02311", None)),
    ("other form of a date", "at", [*[f"{day} 0{i % 9}:10" for i, day in enumerate(DAYS)], "2024-03-17"], 1, ("2024-03-17", None)),
    ("spelling variants", "place", [*cycle(["Kelby am See", "Upper Tarn", "Fen"], 90), *["See, am, Kelby"] * 4, *["See am Kelby"] * 9],
     13, ("See, am, Kelby", "Kelby am See")),
    ("spelling variants", "paid", [*cycle(["Yes", "No"], 60), "Y", "N", "no"], 3, ("Y", "Yes")),
    ("disguised missing", "day", [*DAYS, "1900-01-01"], 1, ("1900-01-01", "")),
    ("disguised missing", "day", [*DAYS, "0000-00-00", "0000-00-00 00:00:00"], 2, ("0000-00-00", "")),
    ("disguised missing", "day", [*DAYS, *["99/99/9999"] * 30], 30, ("99/99/9999", "")),
    ("spelling variants", "town", [*cycle(["Harbour", "East Fen"], 80), "harbour", "Harbor"], 2, ("harbour", "Harbour")),
    ("broken key", "plot", [*[f"{'abcdefgh'[i // 12]}{i % 12}{'klmnopqr'[i % 8]}" for i in range(96)], "a0k", "b1p", "c2m"], 6, ("a0k", None)),
    ("broken key", "sample", [*[f"{i * 7919 % 100000}-K" for i in range(200)], "7919-K", "15838-K"], 4, ("7919-K", None)),
    ("broken key", "sample_id", [*[f"WQ-{i:03d}" for i in range(60)], "WQ-007"], 2, ("WQ-007", None)),
    ("weekend entries", "day", [*cycle([f"2024-04-{d:02d}" for d in (1, 2, 3, 4, 5, 8, 9)], 280), "2024-04-06"], 1, None),
    ("personal data", "mail", ["a@b.example", *[None] * 5, "x"] * 3, 3, None),
    ("literal escape", "note", [*cycle(["low water", "ducks"], 40), r"low\vwater"], 1, (r"low\vwater", "low water")),
    ("literal escape", "note", [*cycle(["low water", "ducks"], 40), "low%20water"], 1, ("low%20water", "low water")),
    ("literal escape", "note", [*cycle(["low water", "ducks"], 40), r"so called \"weir\""], 1, (r"so called \"weir\"", 'so called "weir"')),
    ("literal escape", "note", [*cycle(["low water", "ducks"], 40), "low%20water", "ducks%20"], 2, ("ducks%20", "ducks")),
    ("uncertainty", "oxygen", [*PH, "7.4(2)"], 1, ("7.4(2)", "7.4")),
    ("unit missing", "flow", [*[f"{item} L/s" for item in PH], "7.9"], 1, ("7.9", None)),
    ("percent", "share", [*[f"0.{10 + i}" for i in range(60)], "12.5%", "30 %"], 2, ("12.5%", "0.125")),
    ("unit", "volume", [*PH, "8.1 l", "7.9 L", "7.7 l"], 3, ("7.9 L", "7.9")),
    ("disguised missing", "pressure", [*[f"{1000 + i % 9}.5" for i in range(80)], "0", "0", "0"], 3, ("0", "")),
    ("disguised missing", "grey", [*[str(40 + i % 9) for i in range(80)], *["255"] * 3], 3, ("255", "")),
    ("sign that never else occurs", "cost", [*[f"{20 + i % 30}.50" for i in range(120)], "-31.50"], 1, ("-31.50", None)),
    ("sign that never else occurs", "kosten", [*[f"{20 + i % 30},50" for i in range(120)], "-31,50"], 1, ("-31,50", None)),
    ("year of five digits", "day", [*DAYS, "20224-03-17", "20024-03-05"], 2, ("20024-03-05", "2024-03-05")),
    ("other form of a date", "day", [*DAYS, "17 Mar 2024"], 1, ("17 Mar 2024", None)),
    ("serial number for a date", "day", [*DAYS, "45368"], 1, ("45368", None)),
    ("two-digit year", "at", [*[f"{d}.03.2024 09:40" for d in range(10, 30)], "17.03.24 09:40"], 1, ("17.03.24 09:40", None)),
    ("spelling variants", "place", [*cycle(["Upper Merrow", "East Fen"], 80), "Merrow, Upper"], 1, ("Merrow, Upper", "Upper Merrow")),
    ("spelling variants", "place", [*cycle(["Upper Merrow", "East Fen"], 80), "Upper Merr"], 1, ("Upper Merr", "Upper Merrow")),
    ("spelling variants", "place", [*cycle(["Harbour", "Stonefen"], 90), "Narbour"], 1, ("Narbour", "Harbour")),
    ("nearly constant", "unit", [*["mg/L"] * 399, "g/L"], 1, ("g/L", None)),
    ("unknown code", "land", [*cycle(["DE", "FR", "NL", "AT", "CH", "IT"], 60), "UK"], 1, ("UK", None)),
    ("unknown code", "paid in", [*cycle(["EUR", "CHF", "USD", "SEK", "PLN"], 60), "EUX"], 1, ("EUX", None)),
    ("coordinate off the globe", "lat", [*[f"5{i % 9}.123" for i in range(60)], "512.5"], 1, ("512.5", None)),
    ("personal data", "geburtsdatum", [*DAYS], 60, None),
    ("personal data", "surname", cycle(["Tarrow", "Kelby", "Upham"], 30), 30, None),
    ("personal data", "gender", cycle(["f", "m", "x"], 30), 30, None),
    ("breaks the form of its column", "card", [*["4539 1488 0343 6467"] * 30, "4539 1488 0343 6468"], 1, ("4539 1488 0343 6468", None)),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "name", "cells", "count", "becomes"), TRAPS)
def test_a_trap_is_found_counted_and_opened(
    kind: str,
    name: str,
    cells: list[str | None],
    count: int,
    becomes: tuple[str, str | None] | None,
    table: Table,
    tmp_path: Path,
) -> None:
    snapshot, all_ = findings(table, tmp_path, {name: cells, "other": [str(i * i) for i in range(len(cells))]})
    met = [item for item in all_ if item.kind == kind and item.columns[0] == name]
    assert [item.count for item in met] == [count]
    page = read_page(Stage(snapshot), met[0].filters, None, False, 0, 50, tmp_path / "s")
    assert page.total == count
    if becomes:
        assert becomes in [(item.value, item.becomes) for item in met[0].evidence]
    if met[0].rule and met[0].effect is not None and becomes and becomes[1] is not None:
        assert met[0].effect == count


def test_a_code_turned_into_a_date_is_told_once(table: Table, tmp_path: Path) -> None:
    cells = [*cycle(["DEC-10", "KEL-2", "TOR-4"], 60), "10-Dec"]
    _, noticed = findings(table, tmp_path, {"code": cells})
    assert [item.kind for item in noticed if any(v.value == "10-Dec" for v in item.evidence)] == ["turned into a date"]


def test_findings_about_records(table: Table, tmp_path: Path) -> None:
    n = 60
    columns: dict[str, list[str | None]] = {
        "id": [f"WQ-{i:03d}" for i in range(n)],
        "site": [f"S{i % 5}" for i in range(n)],
        "name": [f"Weir {'abcde'[i % 5]}" for i in range(n)],
        "a": [str(i % 7) for i in range(n)],
        "b": [str(i % 11 + 1) for i in range(n)],
        "total": [str(i % 7 + i % 11 + 1) for i in range(n)],
    }
    columns["name"][9] = "Weir a"  # site S4 is Weir e
    columns["total"][20] = "99"
    for cells in columns.values():
        cells.append(cells[30])  # a record that repeats another one
    for name, cells in columns.items():
        cells.append(name)
    snapshot, all_ = findings(table, tmp_path, columns)
    results = {item.kind: item for item in all_ if not item.columns or len(item.columns) > 1}
    assert results["duplicate records"].count == results["header among the records"].count == 1
    assert results["sum that does not add up"].columns == ("total", "a", "b")
    disagreeing = results["dependent columns disagree"]
    assert (set(disagreeing.columns), disagreeing.count) == ({"site", "name"}, 1)
    for item in results.values():
        page = read_page(Stage(snapshot), item.filters, None, False, 0, 50, tmp_path / "s")
        assert page.total == item.count + (item.kind == "duplicate records")


def test_series_show_gaps_and_stuck_values(table: Table, tmp_path: Path) -> None:
    minutes = [i * 5 for i in range(400) if not 100 <= i < 110]
    level: list[str | None] = [f"{2 + (i * 37 % 101) / 100:.2f}" for i in range(len(minutes))]
    level[200:240] = ["2.50"] * 40
    moments: list[str | None] = [f"2024-05-{1 + m // 1440:02d} {m // 60 % 24:02d}:{m % 60:02d}" for m in minutes]
    _, all_ = findings(table, tmp_path, {"at": moments, "level": level})
    results = {item.kind: item for item in all_}
    assert results["gap in a series"].count == 1
    assert "10 moments missing" in results["gap in a series"].says
    assert results["stuck value"].count in (40, 41)


def test_known_faults_are_found_and_clean_tables_left_alone(capsys: pytest.CaptureFixture[str]) -> None:
    assert measure(seed=20_240, tables=3, records=1500, show=True) == 0, capsys.readouterr().out


def test_every_kind_of_finding_says_how_it_is_judged() -> None:
    names = [kind.name for kind in kinds()]
    assert len(names) == len(set(names))
    assert set(MEASURED) <= set(names)
    assert all(len(kind.method) > 20 for kind in kinds())


@pytest.mark.parametrize("method", METHODS)
def test_variants_meet_and_others_do_not(method: str) -> None:
    values = {
        "Lab North": 40,
        "lab north": 2,
        "North, Lab": 1,
        "Lab Nroth": 1,
        "Lab South": 30,
        "R. Aldous": 9,
        "P. Aldous": 9,
    }
    met = [{member for member, _ in item.members} for item in group(values, method)]
    joined = set().union(*met) if met else set()
    assert "lab north" in joined
    assert not {"Lab South", "R. Aldous", "P. Aldous"} & joined
    assert ("North, Lab" in joined) == (method in ("normalised key",))
    assert ("Lab Nroth" in joined) == (method in ("edit distance", "one letter", "sound"))


def test_slips_are_proposed_and_other_names_are_not() -> None:
    slips = {"East en": 1, "Eas Fen": 2, "Noor Frots": 1, "nitrite": 1}
    names = {"East Fen": 300, "Noor Frost": 200, "nitrate": 400, "chlorate": 300, "chlorite": 20, "West Fen": 2}
    assert propose(slips | names) == {
        "East en": "East Fen", "Eas Fen": "East Fen", "Noor Frots": "Noor Frost", "nitrite": "nitrate",
    }  # fmt: skip


MANY = [f"S{i % 900:04d}x" for i in range(2700)]
OPENING = {
    "duplicates": {"a": ["1", "1", "2", *[str(i) for i in range(3, 60)]], "b": ["x", "x", *["y"] * 58]},
    "many variants": {"site": [*[f"Weir {i % 700}" for i in range(2800)], *[f"weir {i}" for i in range(700)]], "n": [str(i % 9) for i in range(3500)]},
    "impossible years": {"day": [*DAYS * 20, *[f"21{i // 28 % 90 + 10}-03-{i % 28 + 1:02d}" for i in range(700)]], "n": [str(i % 7) for i in range(1900)]},
    "near duplicates": {"k": [str(i) for i in range(80)], "a": ["Ab", *[f"v{i}" for i in range(78)], "aB"], "b": ["1"] * 80, "c": [f"{i % 79}" for i in range(80)]},
}  # fmt: skip


@pytest.mark.parametrize("name", OPENING)
def test_a_finding_opens_as_many_records_as_its_door_says(name: str, table: Table, tmp_path: Path) -> None:
    snapshot, noticed = findings(table, tmp_path, OPENING[name])  # type: ignore[arg-type]
    doors = [item for item in noticed if item.filters]
    assert doors
    for door in doors:
        page = read_page(Stage(snapshot), door.filters, None, False, 0, 1, tmp_path / "s")
        assert page.total == (door.count if door.opens is None else door.opens), door


def test_the_door_of_every_finding_on_the_demo_files_says_what_it_opens(tmp_path: Path) -> None:
    checked = 0
    for path in sorted(demo_files(tmp_path / "demo")):
        settings_ = settle(path, path.name, SettingsRequest()).settings
        snapshot = make_snapshot([SourceFile(path.name, path, settings_)], tmp_path / path.stem)
        for finding in profile_snapshot(snapshot, tmp_path / "scratch", NOW).findings:
            if finding.filters:
                total = read_page(Stage(snapshot), finding.filters, None, False, 0, 1, tmp_path / "s").total
                assert total == (finding.count if finding.opens is None else finding.opens), (path.name, finding)
                checked += 1
    assert checked > 100
