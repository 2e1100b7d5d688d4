"""What a finding shows beside a value is what its rule makes of it, on tables of every world and on marks of every sort."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from datetime import date
from pathlib import Path

import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st
from test_findings import findings
from test_rules import book

from bench.findings import NOW, snapshot_of
from bench.worlds.scenes import WORLDS
from bench.worlds.spoiling import write
from pravin_core.engines.base import Connection
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.errors import RulebookError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.model import Finding
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.records.pages import Stage, find_records
from pravin_core.runs.runner import result_parts, run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
Promise = tuple[str, str, str, str]  # kind of finding, value, what it shall become, what it became


def cells_of(snapshot: Snapshot, work: Path, *rules: dict[str, object]) -> dict[str, list[str]]:
    """The cells by column after some rules, in the order of the records, written as texts."""
    run_rulebook(snapshot, book(*rules), work)
    rows = [row for part in result_parts(work) for row in pq.read_table(part).to_pylist()]
    rows.sort(key=lambda row: row["__record"])
    return {name: [written(row[name]) for row in rows] for name in rows[0] if not name.startswith("__")}


def written(cell: object) -> str:
    return "" if cell is None else f"{cell:.15g}" if isinstance(cell, float) else str(cell)


def broken(snapshot: Snapshot, found: list[Finding], work: Path) -> Iterator[Promise]:
    """The values of which a rule makes something else than its finding shows."""
    were = cells_of(snapshot, work / "before")
    for at, finding in enumerate(found):
        shown = {item.value: item.becomes for item in finding.evidence if item.becomes is not None}
        if not finding.rule or len(finding.columns) != 1 or not shown:
            continue
        (name,) = finding.columns
        try:
            now = cells_of(snapshot, work / f"after-{at}", finding.rule)[name]
        except RulebookError as error:
            yield finding.kind, "", "a rule that runs", str(error)
            continue
        behind = find_records(Stage(snapshot), finding.filters, None, False, work / "scratch").tolist()
        for record in behind:
            was, is_ = were[name][record - 1], now[record - 1]
            if was in shown and is_ != shown[was]:
                yield finding.kind, was, shown[was], is_


@pytest.mark.parametrize("world", WORLDS)
@pytest.mark.parametrize("seed", [71000, 71001])
def test_rules_make_of_values_what_the_findings_show(world: str, seed: int, tmp_path: Path) -> None:
    path, _, _ = write(tmp_path, world, seed, 1200, spoiled=True)
    snapshot = snapshot_of(path)
    profile = profile_snapshot(snapshot, tmp_path / "scratch", NOW)
    assert set(broken(snapshot, list(profile.findings), tmp_path)) == set()


def test_a_letter_decoded_wrongly_is_not_cut_in_half(table: Table, tmp_path: Path) -> None:
    towns: list[str | None] = ["Großmoor" if n % 2 else "Südberg" for n in range(80)]
    towns[:3] = ["GroÃ\x9fmoor", "Süd\x07berg", "SÃ¼dberg"]
    snapshot, noticed = findings(table, tmp_path, {"town": towns})
    rules = [item.rule for item in noticed if item.kind in ("wrong decoding", "invisible characters") and item.rule]
    for order in (rules, rules[::-1]):
        new_result = cells_of(snapshot, tmp_path / f"made-{order[0]['kind']}", *order)["town"]
        assert new_result[:3] == ["Großmoor", "Südberg", "Südberg"]
    assert set(broken(snapshot, noticed, tmp_path)) == set()


def test_another_currency_is_not_taken_off(table: Table, tmp_path: Path) -> None:
    paid: list[str | None] = [f"{n}.50 EUR" for n in range(80)]
    paid[:4] = ["9.00 USD", "€ 8.10", "7.00€", "$6.50"]
    _, noticed = findings(table, tmp_path, {"paid": paid})
    (money,) = [item for item in noticed if item.kind == "currency"]
    assert "2 currencies" in money.says
    assert money.rule
    assert cells_of(table({"paid": paid}), tmp_path / "made", money.rule)["paid"][:5] == [
        "9.00 USD",
        "8.10",
        "7.00",
        "$6.50",
        "4.50",
    ]


def grouped(value: float, thousands: str, decimal: str) -> str:
    return f"{value:,.1f}".translate({ord(","): thousands, ord("."): decimal})


RNG = random.Random(17)
AMOUNTS = [RNG.lognormvariate(7.2, 0.9) for _ in range(200)]
WORDS = [RNG.choice(("salt marsh", "mud flat", "reed bed", "open water")) for _ in range(200)]
INSIDE = {
    "no-break space": "\u00a0", "thin space": "\u2009", "narrow space": "\u202f", "wide space": "\u3000", "tab": "\t",
    "line break": "\n", "soft hyphen": "\u00ad", "no width": "\u200b", "bell": "\x07", "both": "\u200b\u00a0",
}  # fmt: skip


@pytest.mark.parametrize("between", INSIDE.values(), ids=INSIDE)
def test_what_cannot_be_seen_inside_words(table: Table, tmp_path: Path, between: str) -> None:
    cells: list[str | None] = [word.replace(" ", between) if n % 20 == 3 else word for n, word in enumerate(WORDS)]
    snapshot, found_result = findings(table, tmp_path, {"place": cells})
    unseen = [item for item in found_result if item.kind == "invisible characters"]
    assert [item.count for item in unseen] == [10] * len(between)
    assert set(broken(snapshot, found_result, tmp_path)) == set()
    result = cells_of(snapshot, tmp_path / "made", *(item.rule for item in unseen if item.rule))["place"]
    left = " " if between[-1].isspace() else ""
    assert result == [word.replace(" ", left) if n % 20 == 3 else word for n, word in enumerate(WORDS)]


@pytest.mark.parametrize("every", [True, False], ids=["all", "few"])
@pytest.mark.parametrize("decimal", [".", ","])
@pytest.mark.parametrize("thousands", [",", ".", " ", "'", "\u2019", "\u00a0", "\u202f", "\u2009"])
def test_thousands_marks_of_every_sort(table: Table, tmp_path: Path, thousands: str, decimal: str, every: bool) -> None:
    if thousands == decimal:
        return
    cells: list[str | None] = [
        grouped(v, thousands if every or n % 20 == 3 else "", decimal) for n, v in enumerate(AMOUNTS)
    ]
    snapshot, noticed = findings(table, tmp_path, {"amount": cells})
    marked = [item for item in noticed if item.kind == "decimal or thousands mark" and "thousands" in item.says]
    assert [item.count for item in marked] == [sum(len(cell or "") > 5 and thousands in (cell or "") for cell in cells)]
    assert set(broken(snapshot, noticed, tmp_path)) == set()
    assert marked[0].rule
    assert cells_of(snapshot, tmp_path / "made", marked[0].rule)["amount"] == [grouped(v, "", decimal) for v in AMOUNTS]
    assert {"broken key", "key candidate", "does not fit its type", "invisible characters"}.isdisjoint(
        item.kind for item in noticed
    )


@pytest.mark.parametrize("order", [1, -1], ids=["large first", "small first"])
@pytest.mark.parametrize("powers", [(2, 3), (-2, -3), (3,), (-3, 2)])
def test_a_column_with_slips_of_several_scales(
    table: Table, tmp_path: Path, powers: tuple[int, ...], order: int
) -> None:
    rng = random.Random(sum(powers) + order)
    right = [round(rng.uniform(40, 160), 2) for _ in range(400)]
    cells: list[str | None] = [f"{v:.2f}" for v in right]
    for at, power in enumerate(powers):
        for record in range(at, 60, 10):
            cells[record] = f"{right[record] * 10.0**power:.{max(0, 2 - power)}f}"
    snapshot, found = findings(table, tmp_path, {"price": cells})
    slips = [finding for finding in found if finding.kind == "scale slip"][::order]
    assert sorted(finding.count for finding in slips) == [6] * len(powers)
    assert len({finding.id for finding in slips}) == len(powers)
    assert set(broken(snapshot, slips, tmp_path)) == set()
    made = cells_of(snapshot, tmp_path / "made", *(finding.rule for finding in slips if finding.rule))["price"]
    assert [float(cell) for cell in made] == right


@pytest.mark.parametrize(
    ("most", "decimal"),
    [(1500, "."), (9_400, "."), (2, ",")],
    ids=["near thousands", "nearer to thousands", "near decimals"],
)
def test_three_digits_after_a_comma_among_whole_numbers(table: Table, tmp_path: Path, most: int, decimal: str) -> None:
    """Decimals of a column beside, shifted in, do not make decimals of grouped thousands."""
    cells: list[str | None] = [str(most + n % 7) for n in range(300)]
    cells[:4], cells[10:22] = ["2,19", "2,5", "3714.5", "n/a?"], [f"{1 + n % 3},{250 + n}" for n in range(12)]
    _, noticed = findings(table, tmp_path, {"level": cells})
    marked = {v.value: v.becomes for item in noticed if item.kind == "decimal or thousands mark" for v in item.evidence}
    assert marked.get("2,251") == ("2251" if decimal == "." else None)
    assert marked.get("2,5") == ("2.5" if decimal == "." else None)
    assert marked.get("3714.5") == (None if decimal == "." else "3714,5")
    (misfit,) = [item for item in noticed if item.kind == "does not fit its type"]
    assert misfit.rule
    assert misfit.rule.get("decimal", ".") == decimal


@pytest.mark.parametrize(
    ("first", "last"), [(1931, 2008), (1998, 2024), (1950, 1960), (1969, 2024), (1968, 2024), (1926, 2024)]
)
@pytest.mark.parametrize("form", ["%d.%m.%{}", "%m/%d/%{}"])
def test_years_of_two_digits_are_those_of_the_column(
    table: Table, tmp_path: Path, first: int, last: int, form: str
) -> None:
    rng = random.Random(first + last)
    days = [date(rng.randint(first, last), rng.randint(1, 12), rng.randint(13, 28)) for _ in range(300)]
    cells: list[str | None] = [day.strftime(form.format("y" if n % 10 == 4 else "Y")) for n, day in enumerate(days)]
    snapshot, noticed = findings(table, tmp_path, {"born": cells})
    (short,) = [item for item in noticed if item.kind == "two-digit year"]
    assert (short.count, short.opens) == (30, None)
    assert short.rule
    assert cells_of(snapshot, tmp_path / "made", short.rule)["born"] == [str(day) for day in days]


@pytest.fixture(scope="module")
def engine(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Connection]:
    with connect([], tmp_path_factory.mktemp("scratch")) as con:
        know_operations(con)
        yield con


@pytest.mark.parametrize(
    ("first", "last"), [(1700, 1750), (1850, 2240), (1, 9999), (2150, 2290), (1880, 1990), (1880, 1970)]
)
def test_no_rule_names_a_hundred_years_that_cannot_be(table: Table, tmp_path: Path, first: int, last: int) -> None:
    rng = random.Random(first)
    cells: list[str | None] = [
        f"{rng.randint(1, 28):02d}.{rng.randint(1, 12):02d}.{rng.randint(first, last):04d}" for _ in range(300)
    ]
    cells[::20] = [f"17.03.{rng.randint(0, 99):02d}" for _ in cells[::20]]
    _, noticed = findings(table, tmp_path, {"day": cells})  # which asks that all could be judged
    rules = [item.rule for item in noticed if item.rule and item.rule["kind"] == "to-date"]
    assert rules
    ends = {rule.get("last_short_year") for rule in rules}
    assert len(ends) == 1
    assert all(end is None or max(first, last - 99) <= end <= first + 99 for end in ends)


@given(st.dates(date(1600, 1, 1), date(2500, 1, 1)), st.integers(1900, 2200))
def test_a_century_ends_with_its_last_year(engine: Connection, day: date, last: int) -> None:
    year = next(year for year in range(last, last - 100, -1) if year % 100 == day.year % 100)
    try:
        there: date | None = day.replace(year=year)
    except ValueError:  # the 29th of February of a year without one
        there = None
    (result,) = (
        engine.execute("SELECT CAST(within_century(CAST($1 AS TIMESTAMP), $2) AS DATE)", [day, last]).fetchone() or ()
    )
    assert result == there
