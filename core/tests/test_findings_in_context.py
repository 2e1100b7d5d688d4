"""Findings that only the cells around tell: of a group, of a series, of the column beside. Each opens exactly the records that
were spoiled here.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from test_findings import findings
from test_findings_between_columns import held, of
from test_findings_between_columns import opened as records_of

from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.findings.base import these_records
from pravin_core.profiling.findings.tables.groups import explained
from pravin_core.profiling.findings.tables.near_duplicates import alike
from pravin_core.profiling.model import Finding
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.profiling.relations.table import measured

Table = Callable[[dict[str, list[str | None]]], Snapshot]
Cells = list[str | None]
TANKS = ("Cedar", "Elm", "Larch")


def opened(table: Table, work: Path, columns: dict[str, Cells], kind: str) -> tuple[list[Finding], list[set[int]]]:
    """The findings of a kind, and the numbers of the records that the door of each opens."""
    snapshot, every = findings(table, work, columns)
    result = of(every, kind)
    doors = [records_of(snapshot, finding, work) for finding in result]
    assert [len(records) for records in doors] == [item.count if item.opens is None else item.opens for item in result]
    return result, doors


def tanks(seed: int, turns: int = 300, minutes: int = 15) -> dict[str, Cells]:
    """Three tanks read in turn, each with a smooth level at a height of its own."""
    rng = random.Random(seed)
    begin = datetime(2024, 2, 27, 6)
    columns: dict[str, Cells] = {"tank": [], "read at": [], "level": []}
    for turn in range(turns):
        for at, tank in enumerate(TANKS):
            columns["tank"].append(tank)
            columns["read at"].append(f"{begin + timedelta(minutes=minutes * turn):%Y-%m-%d %H:%M}")
            columns["level"].append(f"{30 * at + 3 * math.sin(turn / 40) + rng.gauss(0, 0.05) + 40:.2f}")
    return columns


@pytest.mark.parametrize("seed", range(3))
def test_a_level_of_another_tank_is_far_from_its_group(table: Table, tmp_path: Path, seed: int) -> None:
    columns = tanks(seed)
    spoiled = {30, 391, 842}
    for record in spoiled:
        columns["level"][record - 1] = columns["level"][(record + 3) % 900]  # of the next tank, at about that time
    result, doors = opened(table, tmp_path, columns, "outlier in its group")
    assert [set(finding.columns) for finding in result] == [{"level", "tank"}]
    assert doors == [spoiled]
    assert result[0].severity == "low"


def test_groups_that_tell_little_of_a_quantity_are_no_groups(table: Table, tmp_path: Path) -> None:
    rng = random.Random(5)
    columns: dict[str, Cells] = {
        "colour": [rng.choice(("red", "green", "blue")) for _ in range(600)],
        "size": [f"{rng.gauss(50, 9):.1f}" for _ in range(600)],
    }
    columns["size"][77] = "92.0"
    assert opened(table, tmp_path, columns, "outlier in its group") == ([], [])


@pytest.mark.parametrize(("numbers", "codes", "share"), [
    ([1, 2, 3, 4] * 20, [0, 0, 1, 1] * 20, 0.8),  # ranks in quarters: 4/5 of their variance lies between the halves
    ([1, 2, 3, 4] * 20, [0, 1, 0, 1] * 20, 0.2),
    ([5, 5, 9, 9] * 20, [0, 0, 1, 1] * 20, 1.0),
    ([7] * 80, [0, 1] * 40, 0.0),
    ([1, 2] * 5, [0, 1] * 5, 0.0),  # too few
    ([1, 2, float("nan"), 1000] * 30, [0, 1, 1, 1] * 30, 0.75),
])  # fmt: skip
def test_how_much_of_a_quantity_groups_explain(numbers: list[float], codes: list[int], share: float) -> None:
    assert explained(np.array(numbers, dtype=float), np.array(codes)) == pytest.approx(share)


@pytest.mark.parametrize("units", [("mg", "g"), ("µg/l", "mg/l"), ("m", "km")])
def test_an_amount_of_the_magnitude_of_another_unit(table: Table, tmp_path: Path, units: tuple[str, str]) -> None:
    rng = random.Random(17)
    written = [rng.choice(units) for _ in range(500)]
    amounts = [(450.0 if unit == units[0] else 0.6) * rng.lognormvariate(0, 0.25) for unit in written]
    spoiled = {3, 250, 499}
    columns: dict[str, Cells] = {
        "amount": [f"{a * (1000 if unit == units[1] else 0.001) if at + 1 in spoiled else a:.4g}"
                   for at, (a, unit) in enumerate(zip(amounts, written, strict=True))],
        "unit": [*written],
    }  # fmt: skip
    result, doors = opened(table, tmp_path, columns, "unit does not fit the magnitude")
    assert doors == [spoiled]
    assert "magnitude of another unit" in result[0].says
    assert held(table(columns), result[0], tmp_path) == spoiled


def test_what_another_column_tells_apart_is_no_other_unit(table: Table, tmp_path: Path) -> None:
    """A substance that is rare and of its own magnitude is measured in the unit of the others, and right."""
    rng = random.Random(23)
    kinds = [rng.choice(("nitrate", "sulphate")) if at % 70 else "iron" for at in range(700)]
    sizes = {"nitrate": 900.0, "sulphate": 0.5, "iron": 0.0004}
    columns: dict[str, Cells] = {
        "substance": [*kinds],
        "amount": [f"{sizes[kind] * rng.lognormvariate(0, 0.2):.4g}" for kind in kinds],
        "unit": ["µg/l" if kind == "nitrate" else "mg/l" for kind in kinds],
    }
    assert opened(table, tmp_path, columns, "unit does not fit the magnitude") == ([], [])
    columns["amount"][4] = "0.61" if kinds[4] == "nitrate" else "730"  # this one is wrong whatever it is
    _, doors = opened(table, tmp_path, {name: cells for name, cells in columns.items() if name != "substance"},
                      "unit does not fit the magnitude")  # fmt: skip
    assert {5} <= set().union(*doors)


@pytest.mark.parametrize("seed", range(3))
def test_spikes_leave_their_neighbours_and_come_back(table: Table, tmp_path: Path, seed: int) -> None:
    columns = tanks(seed)
    spoiled = {100, 400, 401, 722}  # 400 and 401 are of different tanks
    for record in spoiled:
        columns["level"][record - 1] = f"{float(columns['level'][record - 1] or 0) + (2.2 if record % 2 else -2.2):.2f}"
    result, doors = opened(table, tmp_path, columns, "spike in a series")
    assert doors == [spoiled]
    assert result[0].columns == ("level",)


def test_a_step_to_another_level_is_no_spike(table: Table, tmp_path: Path) -> None:
    columns = tanks(8)
    for at in range(450, 900):
        columns["level"][at] = f"{float(columns['level'][at] or 0) + 2.5:.2f}"
    assert opened(table, tmp_path, columns, "spike in a series") == ([], [])


def test_noise_has_no_spikes(table: Table, tmp_path: Path) -> None:
    rng = random.Random(31)
    columns = tanks(9)
    columns["level"] = [f"{rng.expovariate(0.2):.2f}" for _ in range(900)]
    assert opened(table, tmp_path, columns, "spike in a series") == ([], [])


def moved(columns: dict[str, Cells], record: int, minutes: int) -> None:
    moment = datetime.fromisoformat(columns["read at"][record - 1] or "")
    columns["read at"][record - 1] = f"{moment + timedelta(minutes=minutes):%Y-%m-%d %H:%M}"


@pytest.mark.parametrize("minutes", [10, 15, 60])
def test_moments_off_the_step(table: Table, tmp_path: Path, minutes: int) -> None:
    columns = tanks(4, minutes=minutes)
    spoiled = {50: 3, 51: -2, 600: 1}
    for record, off in spoiled.items():
        moved(columns, record, off)
    result, doors = opened(table, tmp_path, columns, "moment off the step")
    assert doors == [set(spoiled)]
    assert f"steps of {'1 hour' if minutes == 60 else f'{minutes} minutes'}" in result[0].says


def test_moments_that_come_again_open_both_records(table: Table, tmp_path: Path) -> None:
    columns = tanks(6)
    for record in (304, 601):
        columns["read at"][record - 1] = columns["read at"][record - 4]
    result, doors = opened(table, tmp_path, columns, "moment repeated in a series")
    assert doors == [{301, 304, 598, 601}]
    assert set(result[0].columns) == {"tank", "read at"}


def test_moments_at_random_make_no_series(table: Table, tmp_path: Path) -> None:
    rng = random.Random(2)
    begin = datetime(2024, 1, 1)
    moments = sorted(rng.randrange(60 * 24 * 30) for _ in range(400))
    columns: dict[str, Cells] = {
        "seen": [f"{begin + timedelta(minutes=m):%Y-%m-%d %H:%M}" for m in [*moments, moments[9]]],
        "who": [rng.choice("abcdefgh") * 3 for _ in range(401)],
    }
    for kind in ("moment repeated in a series", "moment off the step", "gap in a series"):
        assert opened(table, tmp_path, columns, kind) == ([], [])


def test_gaps_are_counted_with_the_moments_they_lack(table: Table, tmp_path: Path) -> None:
    columns = tanks(3)
    left = [at for at in range(900) if at not in (30, 300, 303, 306)]  # one moment of Cedar, and three in a row
    columns = {name: [cells[at] for at in left] for name, cells in columns.items()}
    result, doors = opened(table, tmp_path, columns, "gap in a series")
    assert result[0].says == "2 gaps in the series of tank, 4 moments missing at steps of 15 minutes"
    assert doors == [{left.index(33) + 1, left.index(309) + 1}]


def people(seed: int) -> dict[str, Cells]:
    """Owners, and keepers in nine of ten records."""
    rng = random.Random(seed)
    owners, keepers = (
        [f"{n} Ltd" for n in ("Ash", "Oak", "Yew")],
        [f"Keeper {n}" for n in ("Moss", "Fern", "Reed", "Ivy")],
    )
    return {
        "owner": [rng.choice(owners) for _ in range(300)],
        "keeper": ["" if at % 10 == 0 else rng.choice(keepers) for at in range(300)],
    }


def test_a_value_of_the_column_beside(table: Table, tmp_path: Path) -> None:
    columns = people(1)
    columns["owner"][40] = columns["owner"][220] = "Keeper Fern"
    result, doors = opened(table, tmp_path, columns, "value of another column")
    assert doors == [{41, 221}]
    assert result[0].columns == ("owner", "keeper")
    assert held(table(columns), result[0], tmp_path) == {41, 221}


def test_a_value_of_another_column_is_left_where_that_is_filled(table: Table, tmp_path: Path) -> None:
    columns = people(2)
    columns["owner"][41] = "Keeper Fern"
    assert opened(table, tmp_path, columns, "value of another column") == ([], [])


def test_two_columns_of_one_vocabulary_share_values_rightly(table: Table, tmp_path: Path) -> None:
    columns = people(3)
    columns["keeper"] = [owner if at % 10 else "" for at, owner in enumerate(columns["owner"])]
    assert opened(table, tmp_path, columns, "value of another column") == ([], [])


def test_so_many_records_as_a_filter_lists_are_said_to_open() -> None:
    assert these_records([3, 1, 2])["opens"] == 3
    many = these_records(range(5000, 0, -1))
    assert many["opens"] == len(many["filters"][0].values) == 2000
    assert many["filters"][0].values[:2] == ("1", "2")


@pytest.mark.parametrize(("first", "days"), [
    (datetime(2024, 4, 15), 19),  # runs on to the 3rd of May, whose days could be months
    (datetime(2024, 3, 20), 45),
    (datetime(2023, 12, 18), 20),  # over the end of a year
    (datetime(2024, 6, 9), 20),  # begins within the first twelve days of a month
])  # fmt: skip
def test_days_at_the_end_of_a_period_are_not_taken_for_exchanged(
    table: Table, tmp_path: Path, first: datetime, days: int
) -> None:
    columns: dict[str, Cells] = {
        "day": [f"{first + timedelta(days=at // 12):%Y-%m-%d}" for at in range(12 * days)],
        "n": [str(at * 7 % 90) for at in range(12 * days)],
    }
    assert opened(table, tmp_path, columns, "day and month exchanged") == ([], [])


def test_exchanged_days_are_still_told(table: Table, tmp_path: Path) -> None:
    days = [datetime(2024, 4, 1) + timedelta(days=at // 10) for at in range(10 * 33)]
    columns: dict[str, Cells] = {"day": [f"{day:%d/%m/%Y}" for day in days]}
    for record in (66, 75):  # the 7th and the 8th of April
        columns["day"][record - 1] = f"{days[record - 1]:%m/%d/%Y}"
    result, doors = opened(table, tmp_path, columns, "day and month exchanged")
    assert doors == [{66, 75}]
    assert result[0].rule is not None


@pytest.mark.parametrize("share", [0.02, 0.12, 0.18])
def test_a_column_of_dates_stays_one_with_many_faults(table: Table, tmp_path: Path, share: float) -> None:
    rng = random.Random(3)
    moments = [datetime(2023, 1, 1) + timedelta(hours=5 * at) for at in range(500)]
    wrong = set(rng.sample(range(500), int(share * 500)))
    columns: dict[str, Cells] = {
        "at": [rng.choice(("soon", "see note", "2023-13-45 10:00")) if at in wrong else f"{moment:%Y-%m-%d %H:%M}"
               for at, moment in enumerate(moments)],
    }  # fmt: skip
    result, doors = opened(table, tmp_path, columns, "does not fit its type")
    assert doors == [{at + 1 for at in wrong}]
    assert result[0].count == len(wrong)


def test_serial_numbers_of_old_birth_dates(table: Table, tmp_path: Path) -> None:
    rng = random.Random(4)
    born = [datetime(1930, 1, 1) + timedelta(days=rng.randrange(20_000)) for _ in range(300)]
    columns: dict[str, Cells] = {"born": [f"{day:%d.%m.%Y}" for day in born]}
    spoiled = {5, 80, 200, 290}
    for record in spoiled:
        columns["born"][record - 1] = str((born[record - 1] - datetime(1899, 12, 30)).days)
    result, doors = opened(table, tmp_path, columns, "serial number for a date")
    assert doors == [spoiled]
    assert (result[0].rule or {})["serial_numbers"] is True


@pytest.mark.parametrize(("dirty", "becomes"), [("0.0053", "5.3"), ("-0.0021", "-2.1"), ("0.009", "9")])
def test_numbers_nearer_to_zero_than_the_last_decimal(table: Table, tmp_path: Path, dirty: str, becomes: str) -> None:
    rng = random.Random(6)
    columns: dict[str, Cells] = {"temperature": [f"{rng.gauss(4, 4):.1f}" for _ in range(300)]}
    columns["temperature"][10] = dirty
    columns["temperature"][11], columns["temperature"][12] = "0.0", "0"
    columns["temperature"][99] = "0.0044"
    result, doors = opened(table, tmp_path, columns, "scale slip")
    assert doors == [{11, 100}]  # zero is right at any scale
    assert {item.value: item.becomes for item in result[0].evidence} == {dirty: becomes, "0.0044": "4.4"}


@pytest.mark.parametrize("seed", range(4))
def test_small_numbers_of_a_column_that_goes_through_zero_are_right(table: Table, tmp_path: Path, seed: int) -> None:
    rng = random.Random(seed)
    drift = [f"{rng.choice((-1, 1)) * rng.uniform(0.2, 0.5):.3f}" for _ in range(400)]
    columns: dict[str, Cells] = {"drift": [*drift, "0.001", "0.001", "-0.001"]}
    assert opened(table, tmp_path, columns, "scale slip") == ([], [])


def test_zeros_do_not_hide_numbers_that_are_too_small(table: Table, tmp_path: Path) -> None:
    rng = random.Random(41)
    rain: Cells = ["0.0" if at % 3 == 0 else f"{rng.uniform(20, 60):.1f}" for at in range(600)]
    rain[4], rain[100], rain[401] = "0.0312", "0.0274", "0.0445"
    result, doors = opened(table, tmp_path, {"rain": rain}, "scale slip")
    assert doors == [{5, 101, 402}]
    assert {item.value: item.becomes for item in result[0].evidence}["0.0312"] == "31.2"


def test_too_large_numbers_on_both_sides_of_zero(table: Table, tmp_path: Path) -> None:
    rng = random.Random(7)
    columns: dict[str, Cells] = {"temperature": [f"{rng.gauss(4, 4):.1f}" for _ in range(400)]}
    for record, dirty in {3: "4200", 4: "6100", 5: "9800", 300: "-1100", 301: "-300"}.items():
        columns["temperature"][record - 1] = dirty
    result, doors = opened(table, tmp_path, columns, "scale slip")
    assert sorted(map(sorted, doors)) == [[3, 4, 5], [300, 301]]
    assert len({finding.id for finding in result}) == 2


def test_numbers_with_several_precisions_are_left_alone(table: Table, tmp_path: Path) -> None:
    """Values given to two significant digits are small with many decimals, and right."""
    rng = random.Random(8)
    columns: dict[str, Cells] = {"trace": [f"{rng.lognormvariate(0, 2):.2g}" for _ in range(400)]}
    assert [
        finding for finding in opened(table, tmp_path, columns, "scale slip")[0] if finding.severity == "high"
    ] == []


def test_words_with_a_month_at_their_beginning_are_no_dates(table: Table, tmp_path: Path) -> None:
    names = ["Marquis 6", "Sepal 2", "Decker 11", "Mayfair 3", "Junction 4", "Augite 7"]
    columns: dict[str, Cells] = {"tank": [names[at % 6] for at in range(300)]}
    assert opened(table, tmp_path, columns, "turned into a date") == ([], [])


RANGES = ("1-2", "3-5", "6-10", "8-12", "15-20", "21-30")


@pytest.mark.parametrize("written", ["{0:%d-%b}", "2024-{0:%m-%d}", "2024-{0:%m-%d} 00:00:00", "{serial}"])
@pytest.mark.parametrize("share", [0.1, 0.5, 0.7])
def test_ranges_are_told_though_half_of_them_were_turned_into_dates(
    table: Table, tmp_path: Path, written: str, share: float
) -> None:
    """What a spreadsheet does with 3-5: the 3rd of May of the present year, shown in one form or another."""
    rng = random.Random(int(share * 100))
    was = [rng.choice(RANGES) for _ in range(600)]
    damaged: dict[int, str] = {}
    for at, text in enumerate(was):
        month, day = (int(part) for part in text.split("-"))
        if day <= 12 and rng.random() < share:  # read as day and month
            new_result = datetime(2024, day, month)
            damaged[at + 1] = written.format(new_result, serial=(new_result - datetime(1899, 12, 30)).days)
    columns: dict[str, Cells] = {"band": [damaged.get(at + 1, text) for at, text in enumerate(was)]}
    result, doors = opened(table, tmp_path, columns, "turned into a date")
    assert doors == [set(damaged)]
    assert {item.value: item.becomes for item in result[0].evidence} == {
        dirty: was[record - 1] for record, dirty in damaged.items()
    }


@pytest.mark.parametrize("share", [0.5, 0.7])
def test_dates_beside_ranges_that_they_never_were_are_left_alone(table: Table, tmp_path: Path, share: float) -> None:
    rng = random.Random(21)
    days = [f"2024-{rng.randint(1, 12):02d}-{rng.randint(13, 28)}" for _ in range(600)]
    columns: dict[str, Cells] = {
        "when": [day if rng.random() < share else rng.choice(("1-2", "6-10", "15-20")) for day in days]
    }
    assert opened(table, tmp_path, columns, "turned into a date") == ([], [])


@given(keys=st.lists(st.integers(0, 30), max_size=60), spread=st.sampled_from([1, 2**40, 2**59 + 12345]))
def test_equal_keys_are_paired(keys: list[int], spread: int) -> None:
    """Against counting by hand; keys that more than four places have are left aside."""
    result = np.array([key * spread % 2**64 for key in keys], dtype=np.uint64)
    expected = {(a, b) for a in range(len(keys)) for b in range(a + 1, len(keys))
              if keys[a] == keys[b] and keys.count(keys[a]) <= 4}  # fmt: skip
    assert sorted(tuple(sorted(pair)) for pair in alike(result).tolist()) == sorted(expected)


def answers(none: int, empty: int, kinds: tuple[str, ...] = ("mild", "severe")) -> dict[str, Cells]:
    """Of 400 records `none` without symptoms, some without an answer."""
    rng = random.Random(none)
    cells: Cells = ["none"] * none + [""] * empty
    cells += [rng.choice(kinds) for _ in range(400 - len(cells))]
    rng.shuffle(cells)
    return {"symptoms": cells, "age": [str(rng.randint(18, 90)) for _ in range(400)]}


@pytest.mark.parametrize(
    ("none", "empty", "severity"), [(200, 10, "low"), (60, 0, "low"), (12, 40, "middle"), (30, 0, "middle")]
)
def test_none_among_few_answers_may_be_one(table: Table, tmp_path: Path, none: int, empty: int, severity: str) -> None:
    columns = answers(none, empty)
    result, doors = opened(table, tmp_path, columns, "disguised missing")
    assert [(finding.severity, finding.count) for finding in result] == [(severity, none)]
    assert doors == [{at + 1 for at, cell in enumerate(columns["symptoms"]) if cell == "none"}]


def test_tokens_beside_an_answer_of_none_still_stand_for_missing(table: Table, tmp_path: Path) -> None:
    columns = answers(150, 0)
    columns["symptoms"][3] = columns["symptoms"][5] = "n/a"
    result, doors = opened(table, tmp_path, columns, "disguised missing")
    assert {finding.severity: finding.count for finding in result}["middle"] == 2
    assert {4, 6} in doors


def test_none_in_a_column_of_many_names_stands_for_missing(table: Table, tmp_path: Path) -> None:
    columns = answers(150, 0, tuple(f"Village {letter}{other}" for letter in "ABCDEFG" for other in "abcdefg"))
    result, _ = opened(table, tmp_path, columns, "disguised missing")
    assert [finding.severity for finding in result] == ["middle"]


def test_an_answer_of_none_is_a_category_of_relations(table: Table, tmp_path: Path) -> None:
    columns = answers(150, 20)
    snapshot = table(columns)
    profile = profile_snapshot(snapshot, tmp_path / "scratch", datetime(2025, 1, 1))
    assert [(value.value, value.count) for value in profile.columns[0].meant] == [("none", 150)]
    symptoms = measured(snapshot, profile.columns, tmp_path / "m", sample=None)[0]
    assert (symptoms.levels, int(symptoms.missing.sum())) == (3, 20)


@pytest.mark.parametrize("swapped", [{7}, {7, 70}, {7, 70, 133, 196}])
def test_names_in_each_others_place_are_told_also_when_one_comes_twice(
    table: Table, tmp_path: Path, swapped: set[int]
) -> None:
    """Each forename has 21 cells, each surname 7: two strays of one surname are still fewer than a third of those."""
    columns: dict[str, Cells] = {
        "forename": [f"{'ABCDEFGHIJ'[at % 10]}nna" for at in range(210)],
        "surname": [f"{'KLMNPRSTVW'[at // 3 % 10]}{'aeo'[at // 30 % 3]}ller" for at in range(210)],
    }
    for record in swapped:
        first, second = columns["forename"][record - 1], columns["surname"][record - 1]
        columns["forename"][record - 1], columns["surname"][record - 1] = second, first
    result, doors = opened(table, tmp_path, columns, "swapped columns")
    assert doors == [swapped]
    assert held(table(columns), result[0], tmp_path) == swapped


@pytest.mark.parametrize("first", [0, 100, 1900])
def test_sums_are_told_though_faults_come_in_a_run(table: Table, tmp_path: Path, first: int) -> None:
    rng = random.Random(first)
    net, tax = ([round(rng.uniform(5, 90), 2) for _ in range(2000)] for _ in range(2))
    columns: dict[str, Cells] = {
        "net": [f"{item:.2f}" for item in net],
        "tax": [f"{item:.2f}" for item in tax],
        "total": [f"{a + b:.2f}" for a, b in zip(net, tax, strict=True)],
    }
    wrong = range(first, first + 100)
    for at in wrong:
        columns["total"][at] = f"{net[at] + tax[at] + 7:.2f}"
    result, doors = opened(table, tmp_path, columns, "sum that does not add up")
    assert doors == [{at + 1 for at in wrong}]
    assert result[0].columns == ("total", "net", "tax")


def test_doses_of_few_sizes_are_told_by_their_drug(table: Table, tmp_path: Path) -> None:
    rng = random.Random(3)
    usual = {"amox": 250.0, "ibu": 400.0, "insulin": 10.0, "saline": 0.5}
    drugs = [rng.choice([*usual]) for _ in range(500)]
    doses: Cells = [f"{usual[drug] * rng.choice((0.5, 1, 2)):g}" for drug in drugs]
    wrong = {n for n, drug in enumerate(drugs) if drug == "saline"}
    wrong = set(sorted(wrong)[:4])
    for n in wrong:
        doses[n] = f"{float(doses[n] or 0) * 1000:g}"
    result, doors = opened(table, tmp_path, {"drug": [*drugs], "dose": doses}, "outlier in its group")
    assert doors == [{n + 1 for n in wrong}]
    assert result[0].columns == ("dose", "drug")
