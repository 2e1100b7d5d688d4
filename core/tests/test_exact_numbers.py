"""Decimals of up to 15 digits are computed as their digits read: rounding, adding, sums and totals as Python's Decimal."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from decimal import ROUND_CEILING, ROUND_FLOOR, ROUND_HALF_UP, Decimal
from pathlib import Path

import duckdb
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_rules import book

from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.formulas.language import parse
from pravin_core.intake.snapshot import Snapshot
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.sql.trees import sql
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

Table = Callable[[dict[str, list[str | None]]], Snapshot]
money = st.decimals(min_value=-999_999, max_value=999_999, places=3, allow_nan=False).map(lambda d: d + Decimal(0))


@pytest.fixture(scope="module")
def con(tmp_path_factory: pytest.TempPathFactory) -> Iterator[duckdb.DuckDBPyConnection]:
    folder: Path = tmp_path_factory.mktemp("exact")
    with connect([folder], folder / "s") as result:
        know_operations(result)
        yield result


def results(
    table: Table, tmp_path: Path, columns: dict[str, list[str | None]], *rules: dict[str, object]
) -> list[dict[str, object]]:
    folder = tmp_path / f"r{len(list(tmp_path.iterdir()))}"
    run_rulebook(table(columns), book(*rules), folder)
    return [row for part in result_parts(folder) for row in pq.read_table(part).to_pylist()]


def as_decimal(value: object) -> Decimal:
    return Decimal(repr(value))


@pytest.mark.parametrize(("text", "places", "wanted"), [
    ("1170.495", 2, "1170.5"), ("2.675", 2, "2.68"), ("-1.005", 2, "-1.01"), ("1.15", 1, "1.2"), ("0.5", 0, "1"), ("-2.5", 0, "-3"), ("1234.5", -2, "1200"),
])  # fmt: skip
def test_halves_are_rounded_as_they_are_written(
    con: duckdb.DuckDBPyConnection, text: str, places: int, wanted: str
) -> None:
    row = con.execute(f"SELECT round_number({text}::DOUBLE, {places})").fetchone()
    assert row is not None
    assert as_decimal(row[0]) == Decimal(wanted)


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(values=st.lists(money, min_size=1, max_size=40), places=st.integers(0, 2))
def test_rounding_columns_of_money_is_exact(values: list[Decimal], places: int, table: Table, tmp_path: Path) -> None:
    unit = Decimal(1).scaleb(-places)
    for how, rounding in (("nearest", ROUND_HALF_UP), ("down", ROUND_FLOOR), ("up", ROUND_CEILING)):
        rows = results(table, tmp_path, {"a": [str(v) for v in values]}, {"kind": "to-number", "columns": ["a"]},
                       {"kind": "round-numbers", "columns": ["a"], "how": how, "places": places})  # fmt: skip
        assert [as_decimal(row["a"]) for row in rows] == [v.quantize(unit, rounding=rounding) for v in values]


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(values=st.lists(st.tuples(money, money, st.integers(-999, 999)), min_size=1, max_size=40))
def test_sums_groups_and_products_with_whole_numbers_are_exact(
    values: list[tuple[Decimal, Decimal, int]], table: Table, tmp_path: Path
) -> None:
    columns: dict[str, list[str | None]] = {"g": [str(at % 2) for at in range(len(values))]}
    for at, name in enumerate("abn"):
        columns[name] = [str(row[at]) for row in values]
    numbers = {"kind": "to-number", "columns": ["a", "b", "n"]}
    rows = results(table, tmp_path, columns, numbers, {"kind": "compute", "columns": ["s"], "formula": "a + b"},
                   {"kind": "compute", "columns": ["d"], "formula": "a - b"}, {"kind": "compute", "columns": ["p"], "formula": "a * n"})  # fmt: skip
    assert [as_decimal(row["s"]) for row in rows] == [a + b for a, b, _ in values]
    assert [as_decimal(row["d"]) for row in rows] == [a - b for a, b, _ in values]
    assert [as_decimal(row["p"]) for row in rows] == [a * n for a, _, n in values]
    live = [row for row in results(table, tmp_path, columns, numbers, {"kind": "summarise", "groups": ["g"], "measures": [
        {"what": "sum", "column": "a", "name": "total"}]}) if row["__gone"] is None]  # fmt: skip
    assert live
    for row in live:
        assert as_decimal(row["total"]) == sum(a for at, (a, _, _) in enumerate(values) if str(at % 2) == row["g"])
    total = {"kind": "control-total", "column": "a", "total": float(sum(a for a, _, _ in values))}
    outcome = run_rulebook(table(columns), book(numbers, total), tmp_path / f"t{len(list(tmp_path.iterdir()))}")
    assert outcome.stopped_by == ()


def test_a_long_column_of_money_adds_up_to_the_cent(table: Table, tmp_path: Path) -> None:
    cents = [(at * 7919) % 100_000 for at in range(50_000)]
    rows = results(table, tmp_path, {"g": ["x"] * len(cents), "a": [f"{c / 100:.2f}" for c in cents]}, {"kind": "to-number", "columns": ["a"]},
                   {"kind": "summarise", "groups": ["g"], "measures": [{"what": "sum", "column": "a", "name": "total"}]})  # fmt: skip
    assert [as_decimal(row["total"]) for row in rows if row["__gone"] is None] == [Decimal(sum(cents)) / 100]


@pytest.mark.parametrize(
    ("formula", "wanted"),
    [
        ("0.1 + 0.2 = 0.3", True),
        ("1.1 * 3 = 3.3", True),
        ("0.3 - 0.1 = 0.2", True),
        ("round(1170.495, 2) = 1170.5", True),
        ("12345.822 - 12345 = 0.822", True),
        ("12345 + 0.1 - 12345 = 0.1", True),
        ("999999999.123 - 999999999 - 0.123 = 0", True),
        ("(0.1 + 0.2) * 3 + 0.1 = 1", True),
        ("0.000000123 - 0.000000023 = 0.0000001", True),
        ("1 - 0.9 - 0.1 = 0", True),
    ],
)
def test_comparisons_hold_for_what_was_added(con: duckdb.DuckDBPyConnection, formula: str, wanted: bool) -> None:
    row = con.execute("SELECT " + sql(parse(formula, [Column("x", DataType.DECIMAL)]).expression)).fetchone()
    assert row == (wanted,)


def test_what_cancels_in_a_sum_leaves_no_trace(table: Table, tmp_path: Path) -> None:
    cells: list[str | None] = ["12345.822", "-12345", "999999.123", "-999999", None]
    numbers = {"kind": "to-number", "columns": ["a"]}
    rows = results(table, tmp_path, {"g": ["x"] * len(cells), "a": cells}, numbers, {"kind": "summarise", "groups": ["g"], "measures": [
        {"what": "sum", "column": "a", "name": "total"}, {"what": "mean", "column": "a", "name": "mean"}]})  # fmt: skip
    live = [row for row in rows if row["__gone"] is None]
    assert [(as_decimal(row["total"]), as_decimal(row["mean"])) for row in live] == [
        (Decimal("0.945"), Decimal("0.23625"))
    ]
    outcome = run_rulebook(
        table({"a": cells}), book(numbers, {"kind": "control-total", "column": "a", "total": 0.945}), tmp_path / "t"
    )
    assert outcome.stopped_by == ()


def test_a_long_chain_of_sums_stays_short(table: Table, tmp_path: Path) -> None:
    builder = " + ".join(["a"] * 60)
    rows = results(
        table,
        tmp_path,
        {"a": ["0.1"]},
        {"kind": "to-number", "columns": ["a"]},
        {"kind": "compute", "columns": ["s"], "formula": builder},
    )
    assert as_decimal(rows[0]["s"]) == Decimal(6)
    nested = "a"
    for _ in range(25):
        nested = f"({nested} + a) * 1"
    assert len(sql(parse(nested, [Column("a", DataType.DECIMAL)]).expression)) < 50_000


def test_a_number_with_more_digits_than_can_be_kept_is_not_altered_silently(table: Table, tmp_path: Path) -> None:
    rows = results(
        table, tmp_path, {"a": ["123456789012.345", "1234567890123456.789"]}, {"kind": "to-number", "columns": ["a"]}
    )
    assert [(row["a"], row["__state"]) for row in rows] == [(123456789012.345, "ready"), (None, "quarantined")]
    assert rows[1]["__reasons"][0]["value"] == "1234567890123456.789"  # type: ignore[index]


long_money = st.decimals(min_value=-(10**20), max_value=10**20, places=4, allow_nan=False, allow_infinity=False)


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(values=st.lists(st.tuples(long_money, long_money, st.integers(-9_999, 9_999)), min_size=1, max_size=30))
def test_exact_decimals_keep_all_digits_through_every_step(
    values: list[tuple[Decimal, Decimal, int]], table: Table, tmp_path: Path
) -> None:
    columns: dict[str, list[str | None]] = {"g": [str(at % 2) for at in range(len(values))]}
    for at, name in enumerate("abn"):
        columns[name] = [str(row[at]) for row in values]
    reading = (
        {"kind": "to-number", "columns": ["a", "b"], "exact": True},
        {"kind": "to-number", "columns": ["n"], "whole": True},
    )
    computed = {
        "s": "a + b",
        "d": "a - b - 0.0001",
        "p": "a * n",
        "r": "round(a, 2)",
        "m": "-abs(a) + 1",
        "c": "case when a > b then a else b end",
    }
    rules = [{"kind": "compute", "columns": [name], "formula": formula} for name, formula in computed.items()]
    copies = [{"kind": "add-column", "name": name, "copy_of": "a"} for name in ("near", "low", "high")]
    ways = [
        {"kind": "round-numbers", "columns": [name], "how": how, "places": 1}
        for name, how in (("near", "nearest"), ("low", "down"), ("high", "up"))
    ]
    rows = results(table, tmp_path, columns, *reading, *rules, *copies, *ways)
    assert [row["a"] for row in rows] == [a for a, _, _ in values]
    assert [row["s"] for row in rows] == [a + b for a, b, _ in values]
    assert [row["d"] for row in rows] == [a - b - Decimal("0.0001") for a, b, _ in values]
    assert [row["p"] for row in rows] == [a * n for a, _, n in values]
    assert [row["r"] for row in rows] == [a.quantize(Decimal("0.01"), rounding=ROUND_HALF_UP) for a, _, _ in values]
    assert [row["m"] for row in rows] == [1 - abs(a) for a, _, _ in values]
    assert [row["c"] for row in rows] == [max(a, b) for a, b, _ in values]
    for name, rounding in (("near", ROUND_HALF_UP), ("low", ROUND_FLOOR), ("high", ROUND_CEILING)):
        assert [row[name] for row in rows] == [a.quantize(Decimal("0.1"), rounding=rounding) for a, _, _ in values]
    summed = results(table, tmp_path, columns, *reading, {"kind": "summarise", "groups": ["g"], "measures": [
        {"what": "sum", "column": "a", "name": "total"}, {"what": "lowest", "column": "a", "name": "least"}]})  # fmt: skip
    live = [row for row in summed if row["__gone"] is None]
    assert live
    for row in live:
        own = [a for at, (a, _, _) in enumerate(values) if str(at % 2) == row["g"]]
        assert (row["total"], row["least"]) == (sum(own), min(own))


@pytest.mark.parametrize(("rule", "wanted"), [
    ({"kind": "scale-values", "columns": ["a"], "factor": 0.5}, ["61728394506172839450.62", "0.05"]),
    ({"kind": "limit-numbers", "columns": ["a"], "low": 1}, ["123456789012345678901.24", "1"]),
    ({"kind": "fill", "columns": ["a"], "by_what": "value", "value": "3"}, ["123456789012345678901.24", "0.1"]),
])  # fmt: skip
def test_other_rules_leave_exact_decimals_exact(
    rule: dict[str, object], wanted: list[str], table: Table, tmp_path: Path
) -> None:
    cells: list[str | None] = ["123456789012345678901.24", "0.1"]
    rows = results(table, tmp_path, {"a": cells}, {"kind": "to-number", "columns": ["a"], "exact": True}, rule)
    assert [row["a"] for row in rows] == [Decimal(item) for item in wanted]


@pytest.mark.parametrize(("rule", "broken"), [
    ({"kind": "in-range", "columns": ["a"], "high": "123456789012345678901.23"}, [False, True]),
    ({"kind": "compare-columns", "columns": ["a"], "sign": "=", "other": "b"}, [False, True]),
    ({"kind": "holds", "columns": ["a"], "formula": "a <= 123456789012345678901.23"}, [False, True]),
    ({"kind": "holds", "columns": ["a"], "formula": "a - b <> 0.01"}, [False, True]),
])  # fmt: skip
def test_exact_decimals_are_compared_to_the_last_digit(
    rule: dict[str, object], broken: list[bool], table: Table, tmp_path: Path
) -> None:
    cells: list[str | None] = ["123456789012345678901.23", "123456789012345678901.24"]
    reading = {"kind": "to-number", "columns": ["a", "b"], "exact": True}
    rows = results(table, tmp_path, {"a": cells, "b": [cells[0], cells[0]]}, reading, rule)
    assert [row["__state"] == "quarantined" for row in rows] == broken


def test_a_control_total_of_exact_decimals_differs_by_the_last_digit(table: Table, tmp_path: Path) -> None:
    reading = {"kind": "to-number", "columns": ["a"], "exact": True}
    for total, stopped in ((100000000.03, ()), (100000000.04, ("r2",))):
        rule = {"kind": "control-total", "column": "a", "total": total, "consequence": "stop"}
        outcome = run_rulebook(table({"a": ["100000000.01", "0.02"]}), book(reading, rule), tmp_path / f"t{total}")
        assert outcome.stopped_by == stopped
