"""Findings that look at several columns of a record, or at several records: what they find, open and propose."""

from __future__ import annotations

import random
import tempfile
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st
from test_findings import cycle, findings
from test_rules import book

from bench.worlds.scenes.persons import iban
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.model import Finding
from pravin_core.records.pages import Stage, find_records
from pravin_core.runs.runner import result_parts, run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
TOWNS = ["Merrow", "Kelby", "Tarn", "Upham", "Fen", "Stonebeck"]
LANDS = ["Northland", "Southland", "Eastmark"]


def people(n: int) -> dict[str, list[str | None]]:
    """Persons that differ in all that tells something."""
    return {
        "no": [f"P{i:05d}" for i in range(n)],
        "name": [f"{'AEIOU'[i % 5]}{'bcdfghklmnp'[i % 11]}{'aeiou'[i % 5]}rrow {'KLMNPRST'[i % 8]}el{'bcdfg'[i % 5]}y" for i in range(n)],
        "born": [f"{1940 + i * 7 % 60}-{1 + i % 12:02d}-{1 + i * 5 % 28:02d}" for i in range(n)],
        "town": cycle(TOWNS, n),
        "land": [LANDS[i * 3 % 7 % 3] for i in range(n)],
        "paid": [f"{40 + i * 13 % 700}.{i % 90 + 10}" for i in range(n)],
        "points": [str(i * 31 % 900) for i in range(n)],
    }  # fmt: skip


def of(found: list[Finding], kind: str) -> list[Finding]:
    return [item for item in found if item.kind == kind]


def opened(snapshot: Snapshot, finding: Finding, work: Path) -> set[int]:
    return set(find_records(Stage(snapshot), finding.filters, None, False, work / "s").tolist())


def held(snapshot: Snapshot, finding: Finding, work: Path) -> set[int]:
    """The records that the proposed rule holds back or removes."""
    assert finding.rule
    run_rulebook(snapshot, book(finding.rule), work / "run")
    rows = [row for part in result_parts(work / "run") for row in pq.read_table(part).to_pylist()]
    assert len(rows) == snapshot.records
    return {row["__record"] for row in rows if row["__state"] in ("quarantined", "removed")}


def with_changes(columns: dict[str, list[str | None]], record: int, changes: dict[str, str]) -> None:
    """One more record: a copy of the record (from 1), with some cells changed and a number of its own."""
    for name, cells in columns.items():
        cells.append(changes.get(name, cells[record - 1]))
    columns["no"][-1] = f"P9{len(columns['no']):04d}"


@pytest.mark.parametrize(
    "changes",
    [
        {"name": "Abarow Kelby"}, {"town": ""}, {"paid": "40.11"}, {"town": "Kellby", "points": ""}, {"name": ""},
    ],
)  # fmt: skip
def test_a_record_that_is_nearly_another_is_found_with_it(
    changes: dict[str, str], table: Table, tmp_path: Path
) -> None:
    columns = people(400)
    columns["name"][0], columns["town"][0], columns["paid"][0] = "Abarrow Kelby", "Kelby", "40.10"
    with_changes(columns, 1, changes)
    snapshot, noticed = findings(table, tmp_path, columns)
    (one,) = of(noticed, "nearly alike records")
    assert opened(snapshot, one, tmp_path) == {1, 401}
    assert one.count == 2
    assert set((one.evidence[0].becomes or "").split(", ")) == set(changes)


@pytest.mark.parametrize(
    "changes",
    [
        {"name": "Somebody Else"}, {"born": "1988-08-08"}, {"points": "901"}, {"name": "Abarrow Kelby", "town": "Fen", "land": "", "paid": ""},
        {"name": "Abarrow Kelby 2"},
    ],
)  # fmt: skip
def test_another_person_day_or_number_is_another_record(changes: dict[str, str], table: Table, tmp_path: Path) -> None:
    columns = people(400)
    columns["name"][0], columns["points"][0], columns["land"][0] = "Abarrow Kelby", "2", "Northland"
    with_changes(columns, 1, changes)
    _, noticed = findings(table, tmp_path, columns)
    assert of(noticed, "nearly alike records") == []


def test_letter_case_and_spaces_are_the_other_finding(table: Table, tmp_path: Path) -> None:
    columns = people(400)
    with_changes(columns, 5, {"town": f" {str(columns['town'][4]).upper()}"})
    _, noticed = findings(table, tmp_path, columns)
    assert [item.count for item in of(noticed, "near duplicates")] == [1]
    assert of(noticed, "nearly alike records") == []


def test_cells_in_each_others_place_are_found_by_their_values(table: Table, tmp_path: Path) -> None:
    columns = people(400)
    for record in (17, 251):
        columns["town"][record - 1], columns["land"][record - 1] = (
            columns["land"][record - 1],
            columns["town"][record - 1],
        )
    snapshot, noticed = findings(table, tmp_path, columns)
    (one,) = of(noticed, "swapped columns")
    assert (one.columns, one.count, one.severity) == (("town", "land"), 2, "high")
    assert opened(snapshot, one, tmp_path) == {17, 251}
    assert held(snapshot, one, tmp_path) == {17, 251}


@pytest.mark.parametrize("word", ["Total", "SUBTOTAL:", "Summe 2024", "Total of Merrow", "Zwischensumme"])
def test_a_line_of_sums_is_found_and_removed(word: str, table: Table, tmp_path: Path) -> None:
    columns = people(100)
    for name, cells in columns.items():
        cells.insert(50, {"no": word, "paid": "18210.55"}.get(name, ""))
    snapshot, noticed = findings(table, tmp_path, columns)
    (one,) = of(noticed, "subtotal among the records")
    assert (one.count, opened(snapshot, one, tmp_path)) == (1, {51})
    assert held(snapshot, one, tmp_path) == {51}


@pytest.mark.parametrize("word", ["Total", "Totaler Ausfall", "Summer", "allied works", "Overall Ltd"])
def test_a_full_record_or_another_word_is_no_line_of_sums(word: str, table: Table, tmp_path: Path) -> None:
    columns = people(100)
    columns["town"] = [*columns["town"][:99], word]
    _, noticed = findings(table, tmp_path, columns)
    assert of(noticed, "subtotal among the records") == []


@pytest.mark.parametrize(
    ("mark", "wrong", "count"), [(".", ["9.99"], 1), (",", ["9,99", "x", ""], 1), (".", ["3.01"] * 700, 700)]
)
def test_a_sum_opens_all_records_in_which_it_does_not_hold(
    mark: str, wrong: list[str], count: int, table: Table, tmp_path: Path
) -> None:
    """However many there are: the door is a formula and no list."""
    n = 9000
    a, b = [i % 97 + 0.25 for i in range(n)], [i % 89 + 0.5 for i in range(n)]

    def written(numbers: list[float]) -> list[str | None]:
        return [f"{number:.2f}".replace(".", mark) for number in numbers]

    total = written([x + y for x, y in zip(a, b, strict=True)])
    for at, text in enumerate(wrong):
        total[at * 11 + 5] = text
    snapshot, noticed = findings(table, tmp_path, {"net": written(a), "tax": written(b), "total": total})
    (one,) = of(noticed, "sum that does not add up")
    assert one.count == count
    expected = {at * 11 + 6 for at in range(len(wrong)) if wrong[at] not in ("x", "")}
    assert opened(snapshot, one, tmp_path) == held(snapshot, one, tmp_path) == expected


@given(st.data())
def test_check_numbers_are_those_of_the_standard(data: st.DataObject) -> None:
    """An account number made as ISO 13616 says holds; with one digit changed it does not. Likewise a card's last digit."""
    rng = data.draw(st.randoms(use_true_random=False))
    account = iban(rng, rng.choice(("DE", "FR", "NL")))
    at = rng.randrange(4, len(account))
    wrong = account[:at] + str((int(account[at]) + rng.randint(1, 9)) % 10) + account[at + 1 :]
    digits = [rng.randrange(10) for _ in range(rng.randint(12, 18))]
    doubled = [d if place % 2 else (2 * d if d < 5 else 2 * d - 9) for place, d in enumerate(reversed(digits))]
    card = "".join(map(str, [*digits, -sum(doubled) % 10]))
    off = "".join(map(str, [*digits, (-sum(doubled) + rng.randint(1, 9)) % 10]))
    spaced = " ".join(account[i : i + 4] for i in range(0, len(account), 4))
    with tempfile.TemporaryDirectory() as scratch, connect([], Path(scratch)) as con:
        know_operations(con)
        asked = "SELECT iban_holds($1), iban_holds($2), iban_holds($3), card_holds($4), card_holds($5)"
        assert con.execute(asked, [account, spaced, wrong, card, off]).fetchone() == (True, True, False, True, False)


FORMS_OF_MOMENTS = ["%Y-%m-%d %H:%M", "%d.%m.%Y %H:%M", "%Y-%m-%dT%H:%M:%S"]


def stays(form: str, unit: str, n: int = 200) -> tuple[dict[str, list[str | None]], list[timedelta]]:
    """Stays that begin and end at a time of day, and how long they were; in some the end or the length is wrong."""
    rng = random.Random(f"{form} {unit}")
    begins = [datetime(2024, 1, 1) + timedelta(minutes=15 * rng.randrange(9000)) for _ in range(n)]
    lasted = [timedelta(minutes=15 * rng.randrange(1, 2000)) for _ in range(n)]
    in_unit = {"days": timedelta(days=1), "hours": timedelta(hours=1), "minutes": timedelta(minutes=1)}[unit]
    lengths = [str(item // in_unit) if unit == "days" else f"{item / in_unit:.2f}" for item in lasted]
    for at in (20, 77, 140):
        lengths[at] = str(float(lengths[at]) + 3) if unit != "days" else str(int(lengths[at]) + 3)
    ends = [begin + length for begin, length in zip(begins, lasted, strict=True)]
    ends[50], ends[120] = begins[50] - timedelta(minutes=15), begins[120] - timedelta(days=40)
    columns: dict[str, list[str | None]] = {
        "came": [f"{each_begin:{form}}" for each_begin in begins], "left": [f"{end:{form}}" for end in ends], "stay": [*lengths],
    }  # fmt: skip
    return columns, lasted


@pytest.mark.parametrize("form", FORMS_OF_MOMENTS)
@pytest.mark.parametrize("unit", ["days", "hours", "minutes"])
def test_moments_of_a_record_are_in_order_and_as_far_apart_as_it_says(
    table: Table, tmp_path: Path, form: str, unit: str
) -> None:
    columns, lasted = stays(form, unit)
    snapshot, noticed = findings(table, tmp_path, columns)
    (order,) = of(noticed, "dates of a record out of order")
    assert (order.columns, opened(snapshot, order, tmp_path)) == (("came", "left"), {51, 121})
    assert held(snapshot, order, tmp_path) == {51, 121}
    (length,) = of(noticed, "duration that does not hold")
    wrong = {21, 78, 141, 121} | ({51} if unit != "days" or lasted[50] >= timedelta(days=1) else set())
    assert f"not the {unit} from" in length.says
    assert opened(snapshot, length, tmp_path) == held(snapshot, length, tmp_path / "length") == wrong
    assert length.count == len(wrong)


def test_a_day_and_a_moment_are_not_compared(table: Table, tmp_path: Path) -> None:
    """The end of a day is given by the day alone: that is before each of its times, and right."""
    days = [datetime(2024, 2, 1) + timedelta(days=n % 90, hours=n % 24) for n in range(240)]
    columns: dict[str, list[str | None]] = {
        "taken at": [f"{day:%Y-%m-%d %H:%M}" for day in days],
        "reported": [f"{day + timedelta(days=n % 20 > 0):%Y-%m-%d}" for n, day in enumerate(days)],
    }
    _, noticed = findings(table, tmp_path, columns)
    assert of(noticed, "dates of a record out of order") == []


def test_stays_of_whole_days_at_any_time_of_day_are_whole(table: Table, tmp_path: Path) -> None:
    """Days since 1970 with their parts have a bit less from the 16,384th on (10 November 2014): their distance is nearly whole."""
    rng = random.Random(20)
    begins = [datetime(2014, 11, 1) + timedelta(minutes=rng.randrange(9 * 1440)) for _ in range(300)]
    days = [rng.randrange(12, 25) for _ in begins]
    ends = [begin + timedelta(days=n) for begin, n in zip(begins, days, strict=True)]
    columns: dict[str, list[str | None]] = {
        "came": [f"{each_begin:%Y-%m-%d %H:%M}" for each_begin in begins],
        "left": [f"{end:%Y-%m-%d %H:%M}" for end in ends],
        "days": [str(n + 2 * (at == 40)) for at, n in enumerate(days)],
    }
    snapshot, noticed = findings(table, tmp_path, columns)
    (length,) = of(noticed, "duration that does not hold")
    assert opened(snapshot, length, tmp_path) == {41}
