"""Derived tables against a plain reckoning: what is joined, appended and summed up of released tables, whatever these hold."""

from __future__ import annotations

import datetime as dt
import random
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from test_rules import book

from conftest import query
from pravin_core.errors import RulebookError, RunError
from pravin_core.releases.deriving import Making, Stage, derive, first_records, records_of_table, write_derived
from pravin_core.rules.reshaping import Reference
from pravin_core.sql.statements import read_parquet
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

Cells = dict[str, tuple[DataType, list[Any]]]
ARROW = {
    DataType.WHOLE: pa.int64(), DataType.EXACT: pa.decimal128(38, 10), DataType.DECIMAL: pa.float64(), DataType.TEXT: pa.string(),
    DataType.DATE: pa.date32(), DataType.BOOLEAN: pa.bool_(), DataType.DATETIME: pa.timestamp("us"),
}  # fmt: skip


def released(folder: Path, name: str, cells: Cells, numbers: Sequence[int] | None = None) -> Reference:
    """A released table; its records may have any numbers, rising."""
    place = folder / name
    place.mkdir()
    count = len(next(iter(cells.values()))[1])
    columns = {key: pa.array(values, ARROW[kind]) for key, (kind, values) in cells.items()}
    table = pa.table({"__record": pa.array(list(numbers or range(1, count + 1)), pa.int64()), **columns})
    pq.write_table(table, place / "data.parquet")
    return Reference(
        read_parquet([place / "data.parquet"]),
        tuple(Column(key, kind) for key, (kind, _) in cells.items()),
        name,
        place,
    )


def made(
    folder: Path, base: Reference, steps: Sequence[dict[str, Any]], **others: Reference
) -> tuple[Stage, list[tuple[Any, ...]]]:
    """The table that steps make, as its file holds it."""
    making = Making(base, book(*steps), others)
    snapshot = records_of_table(base, folder / "records", folder / "scratch")
    stage = derive(making, snapshot, folder / making.key)
    target = folder / "made.parquet"
    assert write_derived(folder / making.key, stage.outcome, target, folder / "scratch") == stage.records[-1]
    names = ", ".join(f'"{name}"' for name, _ in stage.columns)
    return stage, query(target, f"SELECT {names} FROM t")


@pytest.mark.parametrize("seed", range(12))
def test_pallets_joined_appended_and_summed_up_as_by_hand(seed: int, tmp_path: Path) -> None:
    drawn = random.Random(f"pallets {seed}")
    depots = {str(n): drawn.choice(["Nord", "Süd", None]) for n in range(1, 9)}
    weights = [drawn.choice([None, Decimal(drawn.randint(-500, 90_000)) / 100]) for _ in range(300)]
    depot_of = [drawn.choice([*depots, "99", None]) for _ in range(300)]
    late = [drawn.choice([Decimal("1.5"), None, Decimal("1200")]) for _ in range(40)]
    base = released(tmp_path, "pallets", {"depot": (DataType.TEXT, depot_of), "kg": (DataType.EXACT, weights)},
                    sorted(drawn.sample(range(1, 5000), 300)))  # fmt: skip
    register = released(
        tmp_path, "depots", {"no": (DataType.TEXT, list(depots)), "region": (DataType.TEXT, list(depots.values()))}
    )
    more = released(tmp_path, "late", {"depot": (DataType.TEXT, ["3"] * 40), "KG": (DataType.EXACT, late)})
    steps = [
        {"kind": "append-table", "reference": "late"},
        {"kind": "look-up", "reference": "depots", "keys": [{"code": "depot", "meaning": "no"}], "take": ["region"]},
        {"kind": "summarise", "groups": ["region"], "measures": [
            {"what": "records", "name": "pallets"}, {"what": "sum", "column": "kg", "name": "kg in all"},
            {"what": "highest", "column": "kg", "name": "heaviest"},
        ]},
    ]  # fmt: skip
    stage, rows = made(tmp_path, base, steps, depots=register, late=more)
    expected: dict[str | None, list[Decimal | None]] = {}
    for depot, kg in [*zip(depot_of, weights, strict=True), *(("3", kg) for kg in late)]:
        expected.setdefault(depots.get(depot or ""), []).append(kg)
    assert stage.records == (300, 340, 340, len(expected))
    assert [row[0] for row in rows] == list(expected)  # in the order in which each region is met first
    for region, pallets, total, heaviest in rows:
        known = [kg for kg in expected[region] if kg is not None]
        assert int(pallets) == len(expected[region])
        assert (total is None) == (not known)
        assert not known or (Decimal(total), Decimal(heaviest)) == (sum(known), max(known))


def test_every_type_keeps_its_values_and_is_known_to_the_steps(tmp_path: Path) -> None:
    cells: Cells = {
        "n": (DataType.WHOLE, [9, 10, None]),
        "exact": (DataType.EXACT, [Decimal("0.1"), Decimal("12345678901234567890.0000000001"), None]),
        "real": (DataType.DECIMAL, [0.1, 1e-7, None]),
        "day": (DataType.DATE, [dt.date(2024, 2, 29), None, None]),
        "sure": (DataType.BOOLEAN, [True, False, None]),
        "at": (DataType.DATETIME, [dt.datetime(2024, 2, 29, 9, 40), None, None]),
        "code": (DataType.TEXT, ["007", " a\tb\n", None]),
    }  # fmt: skip
    base = released(tmp_path, "base", cells)
    stage, rows = made(tmp_path, base, [])
    assert stage.columns == tuple((name, kind) for name, (kind, _) in cells.items())
    assert rows == [
        ("9", "0.1", "0.1", "2024-02-29", "true", "2024-02-29 09:40:00", "007"),
        ("10", "12345678901234567890.0000000001", "1e-07", None, "false", None, " a\tb\n"),
        (None,) * 7,
    ]
    highest = {
        "kind": "summarise",
        "groups": ["sure"],
        "measures": [{"what": "highest", "column": "n", "name": "most"}],
    }
    other = tmp_path / "again"
    other.mkdir()
    both = released(other, "both", {"sure": (DataType.TEXT, ["x", "x"]), "n": (DataType.WHOLE, [9, 10])})
    assert made(other, both, [highest])[1] == [("x", "10")]  # as numbers: as texts it would be 9


def test_many_records_come_out_as_few_do(tmp_path: Path) -> None:
    """Above a size the engine works in shares and once for each value."""
    count = 120_000
    base = released(tmp_path, "base", {
        "k": (DataType.WHOLE, [n % 7 for n in range(count)]), "t": (DataType.TEXT, [f"v{n % 3}" for n in range(count)]),
    })  # fmt: skip
    other = released(tmp_path, "other", {"k": (DataType.WHOLE, list(range(5))), "word": (DataType.TEXT, list("abcde"))})
    look = {
        "kind": "look-up",
        "reference": "other",
        "keys": [{"code": "k", "meaning": "k"}],
        "take": ["word"],
        "unmatched": "remove",
    }
    stage, rows = made(
        tmp_path, base, [look, {"kind": "letter-case", "columns": ["t"], "letters": "capitals"}], other=other
    )
    assert rows == [(str(n % 7), f"V{n % 3}", "abcde"[n % 7]) for n in range(count) if n % 7 < 5]
    assert stage.records == (count, len(rows), len(rows))


def test_a_step_that_would_set_records_apart_makes_nothing(tmp_path: Path) -> None:
    base = released(tmp_path, "base", {"k": (DataType.TEXT, ["1", "2", "3"]), "n": (DataType.WHOLE, [1, 2, 3])})
    other = released(tmp_path, "other", {"k": (DataType.TEXT, ["1"]), "n": (DataType.TEXT, ["many"])})
    apart = {
        "kind": "look-up",
        "reference": "other",
        "keys": [{"code": "k", "meaning": "k"}],
        "unmatched": "quarantine",
    }
    with pytest.raises(
        RunError, match="Step 1 cannot treat k “2”; 2 records would be quarantined, and nothing was made"
    ):
        made(tmp_path, base, [apart], other=other)
    with pytest.raises(RunError, match="Step 2 cannot treat n “many”; 1 record would be quarantined"):
        made(tmp_path, base, [{"kind": "sort-records", "keys": [{"column": "n"}]}, {"kind": "append-table", "reference": "other"}],
             other=other)  # fmt: skip
    assert not (tmp_path / "made.parquet").exists()


def test_steps_that_do_not_fit_say_which_and_why(tmp_path: Path) -> None:
    base = released(tmp_path, "base", {"k": (DataType.TEXT, ["1"])})
    with pytest.raises(RulebookError, match="needs the column 'gone'"):
        made(tmp_path, base, [{"kind": "drop-columns", "columns": ["gone"]}])


def test_steps_that_leave_no_column_make_nothing(tmp_path: Path) -> None:
    base = released(tmp_path, "base", {"k": (DataType.TEXT, ["1"])})
    with pytest.raises((RunError, RulebookError), match="no column"):
        made(tmp_path, base, [{"kind": "drop-columns", "columns": ["k"]}])


def test_what_is_made_is_known_by_its_tables_their_versions_and_the_steps(tmp_path: Path) -> None:
    cells: Cells = {"k": (DataType.TEXT, ["1"])}
    base, other = released(tmp_path, "base", cells), released(tmp_path, "other", cells)
    look = book({"kind": "look-up", "reference": "o", "keys": [{"code": "k", "meaning": "k"}]})
    makings = [
        Making(base, look, {"o": other}), Making(other, look, {"o": base}), Making(base, book(), {"o": other}),
        Making(base, look, {"o": Reference(other.source, other.columns, "other, later", other.folder)}),
        Making(Reference(base.source, (Column("k", DataType.WHOLE),), base.version, base.folder), look, {"o": other}),
    ]  # fmt: skip
    assert len({making.key for making in makings}) == len(makings)
    assert Making(base, look, {"o": other}).key == makings[0].key


def test_the_first_records_are_shown_in_order(tmp_path: Path) -> None:
    base = released(tmp_path, "base", {"n": (DataType.WHOLE, [3, 1, 2])})
    making = Making(base, book({"kind": "sort-records", "keys": [{"column": "n"}]}), {})
    stage = derive(making, records_of_table(base, tmp_path / "records", tmp_path / "s"), tmp_path / "made")
    assert first_records(tmp_path / "made", stage.outcome, 2, tmp_path / "s") == [("1",), ("2",)]


def test_an_empty_table_stays_empty(tmp_path: Path) -> None:
    base = released(tmp_path, "base", {"n": (DataType.WHOLE, [])})
    stage, rows = made(
        tmp_path, base, [{"kind": "summarise", "groups": ["n"], "measures": [{"what": "records", "name": "r"}]}]
    )
    assert (stage.records, rows) == ((0, 0), [])
