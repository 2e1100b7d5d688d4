"""What does not fit: its type, the form of its column; and what a person calls a number, whatever is written beside it."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from test_findings import DAYS, PH, cycle, findings
from test_rules import book

from bench.worlds import measure
from bench.worlds.scenes import WORLDS
from bench.worlds.spoiling import write
from pravin_core.errors import PravinError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.model import Finding
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.records.filters import make_filter
from pravin_core.records.pages import Stage, find_records, read_page
from pravin_core.runs.runner import run_rulebook
from pravin_core.tables.types import DataType

Table = Callable[[dict[str, list[str | None]]], Snapshot]
OF_RECORDS = (
    "twin", "duplicate records", "nearly alike records", "shifted columns", "header among the records", "subtotal among the records", "swapped columns",
)  # fmt: skip
MISFIT, FORM = "does not fit its type", "breaks the form of its column"
MAILS = [f"kel{n}@merrow.example" for n in range(60)]
EUROPEAN = [f"{1 + n % 28:02d}.03.2024" for n in range(60)]


def of(found: list[Finding], kind: str, name: str) -> list[Finding]:
    return [item for item in found if item.kind == kind and item.columns == (name,)]


@pytest.mark.parametrize(
    ("cells", "odd", "says", "severity"),
    [
        ([*PH, "acid"], ["acid"], "1 cell is not a number: “acid”", "high"),
        ([*PH, "acid", "acid", "see note"], ["acid", "see note"], "3 cells are not a number: “acid”, “see note”", "high"),
        ([*DAYS, "2024-13-45"], ["2024-13-45"], "1 cell is not a date: “2024-13-45”", "high"),
        ([*DAYS, "2024-04-31", "99570"], ["2024-04-31", "99570"], "2 cells are not a date: “2024-04-31”, “99570”", "high"),
        ([*EUROPEAN, "31.04.2024", "soon"], ["31.04.2024", "soon"], "2 cells are not a date: “31.04.2024”, “soon”", "high"),
        ([*cycle(["yes", "no"], 60), "maybe"], ["maybe"], "1 cell is not true or false: “maybe”", "high"),
        ([*[str(n) for n in range(60)], *["a b", "c d", "e f", "g h"]], ["a b"], "4 cells are not a whole number", "middle"),
    ],
)  # fmt: skip
def test_what_is_not_of_the_type_is_found_and_opened(
    cells: list[str | None], odd: list[str], says: str, severity: str, table: Table, tmp_path: Path
) -> None:
    snapshot, noticed = findings(table, tmp_path, {"v": cells, "n": [str(n * n) for n in range(len(cells))]})
    (one,) = of(noticed, MISFIT, "v")
    assert one.says.startswith(says)
    assert one.severity == severity
    assert {value.value for value in one.evidence} >= set(odd)
    page = read_page(Stage(snapshot), one.filters, None, False, 0, 50, tmp_path / "s")
    assert page.total == one.count
    assert {row["cells"][0] for row in page.rows} >= set(odd)


def test_what_another_finding_explains_is_not_counted_again(table: Table, tmp_path: Path) -> None:
    cells = [*PH, "n/a", "<0.05", "8.1 mg/L", "8.2 mg/L", "unknown", "acid"]
    snapshot, noticed = findings(table, tmp_path, {"v": cells, "n": [str(n * n) for n in range(len(cells))]})
    (one,) = of(noticed, MISFIT, "v")
    assert (one.count, [value.value for value in one.evidence]) == (1, ["acid"])
    assert read_page(Stage(snapshot), one.filters, None, False, 0, 9, tmp_path / "s").total == 1
    assert {kind: of(noticed, kind, "v")[0].count for kind in ("unit", "detection limit", "disguised missing")} == {
        "unit": 2, "detection limit": 1, "disguised missing": 2,
    }  # fmt: skip


def test_a_type_chosen_by_hand_says_what_does_not_fit_it(table: Table, tmp_path: Path) -> None:
    snapshot = table({"v": [*cycle(["12", "14"], 40), "x7", *cycle(["low", "high"], 30)]})
    fields = {"v": (DataType.WHOLE, None)}
    profile = profile_snapshot(snapshot, tmp_path / "s", datetime(2024, 6, 1), said=fields)
    (one,) = of(list(profile.findings), MISFIT, "v")
    assert (one.count, one.severity) == (31, "middle")
    assert of(list(profile_snapshot(snapshot, tmp_path / "s", datetime(2024, 6, 1)).findings), MISFIT, "v") == []


@pytest.mark.parametrize("odd", ["acid", "2024-13-45", "45570"])
def test_the_proposed_rule_quarantines_what_does_not_fit_and_nothing_else(
    odd: str, table: Table, tmp_path: Path
) -> None:
    cells = [*(PH if odd == "acid" else EUROPEAN if odd == "45570" else DAYS), odd]
    snapshot, noticed = findings(table, tmp_path, {"v": cells, "n": [str(n * n) for n in range(len(cells))]})
    (one,) = of(noticed, MISFIT, "v")
    assert one.rule is not None
    outcome = run_rulebook(snapshot, book(one.rule), tmp_path / "run")
    assert outcome.reconciliation.quarantined == 1
    assert outcome.reconciliation.ready == len(cells) - 1


@pytest.mark.parametrize(
    "cells",
    [
        cycle(["MAR5", "5E3", "1-2", "A7"], 60), cycle(["0042", "0171"], 60), [*PH, *[f"{n},5" for n in range(5)]], cycle(["low", "high", "7"], 60),
        [None] * 40, [*PH, None, None], [f"{n} Weir Lane" for n in range(60)],
    ],
)  # fmt: skip
def test_nothing_is_said_of_columns_that_are_as_they_should_be(
    cells: list[str | None], table: Table, tmp_path: Path
) -> None:
    _, noticed = findings(table, tmp_path, {"v": cells, "n": [str(n * n) for n in range(len(cells))]})
    assert of(noticed, MISFIT, "v") == of(noticed, FORM, "v") == []


@pytest.mark.parametrize(
    ("cells", "expected"),
    [
        ([*[f"{n}.50" for n in range(100, 160)], *["1,080.00", "2,400.50", "12,000.00"] * 4], DataType.DECIMAL),
        ([*[f"{n},50" for n in range(100, 160)], *["1.080,00", "2.400,50"] * 6], DataType.DECIMAL),
        ([*PH, *[f"{n}.5 EUR" for n in range(12)]], DataType.DECIMAL),
        ([*PH, *[f"{n}.5 mg/L" for n in range(12)]], DataType.DECIMAL),
        ([*cycle(["12", "14", "16"], 60), *["12a", "12b", "14c", "16d"] * 4], DataType.TEXT),
        ([*cycle(["0-1", "1-2"], 60), *["4", "5"] * 3], DataType.TEXT),
    ],
)  # fmt: skip
def test_what_is_a_number_to_a_person_decides_the_type(
    cells: list[str | None], expected: DataType, table: Table, tmp_path: Path
) -> None:
    snapshot = table({"v": cells})
    profile = profile_snapshot(snapshot, tmp_path / "s", datetime(2024, 6, 1))
    assert profile.columns[0].type is expected


@pytest.mark.parametrize(
    ("cells", "odd", "name"),
    [
        ([*MAILS, "kel.merrow.example", "kel@@merrow.example"], 2, "an e-mail address"),
        ([*[f"https://fen.example/{n}" for n in range(60)], "fen"], 1, "a web address"),
        ([*[f"10.0.{n}.7" for n in range(60)], "10.0.300.7"], 1, "an IP address"),
        ([*[f"1b4e28ba-2fa1-11d2-883f-0016d3cca{n:03d}" for n in range(60)], "1b4e28ba"], 1, "a UUID"),
        ([*[f"WQ-{n}" for n in range(100, 170)], "WQ100", "170-WQ"], 2, "of the form of the others"),
    ],
)  # fmt: skip
def test_what_breaks_a_form_is_found_opened_and_quarantined(
    cells: list[str | None], odd: int, name: str, table: Table, tmp_path: Path
) -> None:
    snapshot, noticed = findings(table, tmp_path, {"sample_id": cells, "n": [str(n * n) for n in range(len(cells))]})
    (one,) = of(noticed, FORM, "sample_id")
    assert one.count == odd
    assert name in one.says
    assert read_page(Stage(snapshot), one.filters, None, False, 0, 9, tmp_path / "s").total == odd
    assert one.rule is not None
    assert run_rulebook(snapshot, book(one.rule), tmp_path / "run").reconciliation.quarantined == odd


def test_addresses_that_come_back_are_no_broken_key(table: Table, tmp_path: Path) -> None:
    _, noticed = findings(table, tmp_path, {"guest mail": [*MAILS, MAILS[0]], "n": [str(n * n) for n in range(61)]})
    assert of(noticed, "broken key", "guest mail") == []


def test_codes_that_begin_with_ca_are_no_limits(table: Table, tmp_path: Path) -> None:
    _, noticed = findings(
        table, tmp_path, {"no": [f"CA-{n}" for n in range(10_000, 10_060)], "n": [str(n * n) for n in range(60)]}
    )
    assert of(noticed, "detection limit", "no") == []


@pytest.mark.parametrize(("days", "kind"), [(DAYS, "in-range"), (EUROPEAN, "holds")])
def test_the_check_of_a_year_spares_every_good_date_whatever_its_form(
    days: list[str], kind: str, table: Table, tmp_path: Path
) -> None:
    odd = "2107-03-04" if kind == "in-range" else "04.03.2107"
    snapshot, noticed = findings(table, tmp_path, {"on day": [*days, odd], "n": [str(n * n) for n in range(61)]})
    (one,) = of(noticed, "impossible year", "on day")
    assert one.rule is not None
    assert one.rule["kind"] == kind
    assert run_rulebook(snapshot, book(one.rule), tmp_path / "run").reconciliation.quarantined == 1
    convert = {"kind": "to-date", "columns": ["on day"], "formats": ["%Y-%m-%d", "%d.%m.%Y"]}
    assert run_rulebook(snapshot, book(convert, one.rule), tmp_path / "both").reconciliation.quarantined == 1


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_every_count_of_a_column_is_that_of_its_door(data: st.DataObject, table: Table, tmp_path: Path) -> None:
    """Any mixture of cells, of one or several kinds: what a finding counts or says that it opens is what it opens."""
    pool = [
        *PH[:9],
        *DAYS[:5],
        "n/a",
        "acid",
        "-999",
        "8.1 mg/L",
        " 7.4",
        "7,4",
        "1,080.00",
        "2107-03-04",
        "45570",
        "€8",
        "12 %",
        None,
        "",
        "a@b.example",
    ]
    usual = data.draw(st.sampled_from([PH, DAYS, EUROPEAN, MAILS, cycle(["low", "high"], 40)]))
    cells = [*usual, *data.draw(st.lists(st.sampled_from(pool), max_size=12))]
    snapshot, noticed = findings(table, tmp_path, {"v": cells})
    for item in noticed:
        if item.filters:
            page = read_page(Stage(snapshot), item.filters, None, False, 0, 1, tmp_path / "s")
            assert page.total == (item.count if item.opens is None else item.opens), (item.kind, item.says)


@pytest.mark.parametrize("world", sorted(WORLDS))
def test_a_world_nobody_tuned_for_is_seen_and_its_clean_twin_left_alone(world: str, tmp_path: Path) -> None:
    tally = measure.Tally()
    for seed in (90_001, 90_002):
        measure._spoiled(tmp_path, world, seed, 700, tally, show=False)
        measure._clean(tmp_path, world, seed, 700, tally, show=False)
    every, pointed = set().union(*tally.true.values()), set().union(*tally.pointed.values())
    assert len(every & pointed) >= 0.95 * len(every)
    assert tally.good["damaged"] <= 0.001 * tally.good["good"]
    assert sum(done["misrepaired"] for done in tally.done.values()) <= 0.01 * len(every)
    assert tally.wrong_doors == []
    assert sum(tally.clean.values()) <= 0.5 * tally.clean_columns / 20


def test_the_truth_of_a_world_is_what_its_file_holds(tmp_path: Path) -> None:
    path, truth, columns = write(tmp_path, "goods", 5, 300, spoiled=True)
    lines = path.read_text().splitlines()
    assert len(lines) == 301
    assert len(truth.entries) > 10
    assert all(
        entry["clean"] != entry["dirty"] or entry["kind"] in ("twin", "swapped columns") for entry in truth.entries
    )
    names = [column.name for column in columns]
    hard = {column.name for column in columns if column.is_hard}
    of_cells = {str(entry["column"]) for entry in truth.entries if entry["kind"] not in OF_RECORDS}
    assert of_cells
    assert not hard & of_cells
    assert {str(entry["column"]) for entry in truth.entries} <= set(names)


def within(found: list[Finding], kind: str) -> list[Finding]:
    return [item for item in found if item.kind == kind]


N = 120


def stays(form: str = "%Y-%m-%d") -> dict[str, list[str | None]]:
    """Stays of one to five nights: begin, end, nights, price and total, in order and without a fault."""
    begins = [date(2024, 3, 1) + timedelta(days=n % 90) for n in range(N)]
    nights = [1 + n % 5 for n in range(N)]
    prices = [40 + (n * 7 % 50) / 2 for n in range(N)]
    return {
        "begin": [f"{day:{form}}" for day in begins],
        "end": [f"{day + timedelta(days=n):{form}}" for day, n in zip(begins, nights, strict=True)],
        "nights": [str(n) for n in nights],
        "price": [f"{price:.2f}" for price in prices],
        "total": [f"{price * n:.2f}" for price, n in zip(prices, nights, strict=True)],
    }


@pytest.mark.parametrize("form", ["%Y-%m-%d", "%d.%m.%Y"])
def test_columns_of_one_record_that_agree_are_checked_against_each_other(
    form: str, table: Table, tmp_path: Path
) -> None:
    columns = stays(form)
    columns["end"][7] = f"{date(2023, 12, 24):{form}}"
    columns["total"][9] = "1.25"
    columns["nights"][30] = "9"
    snapshot, noticed = findings(table, tmp_path, columns)
    (order,), (product,), (duration,) = (
        within(noticed, kind)
        for kind in ("dates of a record out of order", "product that does not hold", "duration that does not hold")
    )
    assert (order.columns, order.count) == (("begin", "end"), 1)
    assert product.columns[0] == "total"
    assert {*product.columns} == {"total", "nights", "price"}
    assert product.count == 2  # the wrong total, and that of the wrong number of nights
    assert duration.columns == ("nights", "begin", "end")
    assert duration.count == 2
    for item, records in ((order, [8]), (product, [10, 31]), (duration, [8, 31])):
        page = read_page(Stage(snapshot), item.filters, None, False, 0, 9, tmp_path / "s")
        assert [row["record"] for row in page.rows] == records
        assert item.rule is not None
        assert run_rulebook(snapshot, book(item.rule), tmp_path / f"run {item.kind}").reconciliation.quarantined == len(
            records
        )


def test_columns_that_agree_everywhere_or_nowhere_are_left_alone(table: Table, tmp_path: Path) -> None:
    columns = stays()
    columns["other"] = [f"{date(2024, 3, 1) + timedelta(days=n * 37 % 90):%Y-%m-%d}" for n in range(N)]
    columns["count"] = [str(n * 13 % 40) for n in range(N)]
    _, noticed = findings(table, tmp_path, columns)
    kinds = {"dates of a record out of order", "product that does not hold", "duration that does not hold"}
    assert [item for item in noticed if item.kind in kinds] == []


@pytest.mark.parametrize(
    ("formula", "records"),
    [
        ('to_number("price") > 60 and "nights" = \'1\'', {n + 1 for n in range(N) if 40 + (n * 7 % 50) / 2 > 60 and n % 5 == 0}),
        ("to_date(begin) = date '2024-03-02'", {2, 92}),
        ("nights is null", set()),
    ],
)  # fmt: skip
def test_a_formula_is_a_filter(formula: str, records: set[int], table: Table, tmp_path: Path) -> None:
    filter_ = make_filter("formula", value=formula)
    found_records = find_records(Stage(table(stays())), [filter_], None, False, tmp_path / "s")
    assert set(found_records.tolist()) == records
    none = make_filter("none of", of=(filter_,))
    assert len(find_records(Stage(table(stays())), [none], None, False, tmp_path / "s")) == N - len(records)


@pytest.mark.parametrize(
    ("formula", "said"), [("", "The formula is empty"), ("begin <", "missing after"), ("(a", "not closed")]
)
def test_a_formula_that_cannot_be_read_is_no_filter(formula: str, said: str) -> None:
    with pytest.raises(ValidationError, match=said):
        make_filter("formula", value=formula)


@pytest.mark.parametrize(
    ("formula", "said"), [("gone = 'x'", "no column"), ("nights + 1 > 2", "needs"), ("nights", "must hold or not")]
)
def test_a_formula_that_does_not_fit_the_columns_says_why(
    formula: str, said: str, table: Table, tmp_path: Path
) -> None:
    with pytest.raises(PravinError, match=said):
        find_records(Stage(table(stays())), [make_filter("formula", value=formula)], None, False, tmp_path / "s")


def test_tokens_that_come_back_are_no_broken_key_but_real_repeats_are(table: Table, tmp_path: Path) -> None:
    cells = [*[f"WQ-{n}" for n in range(100, 160)], "null", "null", "unknown", "unknown", "WQ-100"]
    snapshot, noticed = findings(table, tmp_path, {"sample_id": cells, "n": [str(n * n) for n in range(len(cells))]})
    (one,) = of(noticed, "broken key", "sample_id")
    assert (one.count, [value.value for value in one.evidence]) == (2, ["WQ-100"])
    assert read_page(Stage(snapshot), one.filters, None, False, 0, 9, tmp_path / "s").total == 2
    (missing,) = of(noticed, "disguised missing", "sample_id")
    assert missing.count == 4
    _, without = findings(table, tmp_path, {"sample_id": cells[:-1], "n": [str(n * n) for n in range(len(cells) - 1)]})
    assert of(without, "broken key", "sample_id") == []


@pytest.mark.parametrize(
    ("cells", "forms"),
    [
        ([f"{1 + n % 28:02d}/03/2024" for n in range(60)], ["%d/%m/%Y"]),
        ([f"03/{1 + n % 28:02d}/2024" for n in range(60)], ["%m/%d/%Y"]),
        ([*[f"{13 + n % 15}/03/2024" for n in range(40)], *[f"03/{13 + n % 15}/2024" for n in range(9)]], ["%d/%m/%Y", "%m/%d/%Y"]),
        ([*DAYS, *EUROPEAN[:9]], ["%Y-%m-%d", "%d.%m.%Y"]),
    ],
)  # fmt: skip
def test_a_form_that_reads_nothing_of_its_own_is_not_proposed(
    cells: list[str | None], forms: list[str], table: Table, tmp_path: Path
) -> None:
    profile = profile_snapshot(table({"day": cells}), tmp_path / "s", datetime(2024, 6, 1))
    assert profile.columns[0].dates is not None
    assert [form.value for form in profile.columns[0].dates.formats] == forms
