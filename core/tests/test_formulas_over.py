"""Formulas that look at a group of records: results against plain Python, on tables drawn at random; slips and limits."""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_rules import book

from conftest import query
from pravin_core.errors import FormulaError, PravinError
from pravin_core.formulas.language import condition, parse
from pravin_core.formulas.windows import OVER_FUNCTIONS
from pravin_core.intake.snapshot import Snapshot
from pravin_core.runs.preview import try_formula
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

Table = Callable[[dict[str, list[str | None]]], Snapshot]
Row = dict[str, Any]
COLUMNS = [
    Column("g"),
    Column("n", DataType.DECIMAL),
    Column("d", DataType.DATE),
    Column("e", DataType.EXACT),
    Column("t"),
]
NUMBERS = {"kind": "to-number", "columns": ["n"], "unconverted": "missing"}


def computed(table: Table, cells: dict[str, list[str | None]], formula: str, folder: Path, *rules: Row) -> list[Any]:
    """What a formula gives for each record, in the order of the table."""
    work = folder / f"r{len(list(folder.iterdir()))}"
    outcome = run_rulebook(
        table(cells), book(NUMBERS, *rules, {"kind": "compute", "columns": ["x"], "formula": formula}), work
    )
    order = "__place" if outcome.ordered else "__record"
    return [row[0] for row in query(result_parts(work), f"SELECT x FROM t ORDER BY {order}")]


def ordered(rows: list[Row], descending: bool = False) -> list[Row]:
    """As SQL orders here: missing ones last, equal ones as in the table."""
    known = [row for row in rows if row["n"] is not None]
    sign = -1 if descending else 1
    return sorted(known, key=lambda row: sign * row["n"]) + [row for row in rows if row["n"] is None]


def values(rows: list[Row]) -> list[float]:
    return [row["n"] for row in rows if row["n"] is not None]


def lagged(group: list[Row], row: Row) -> float | None:
    place = ordered(group).index(row)
    return ordered(group)[place - 1]["n"] if place else None


def moving(group: list[Row], row: Row) -> float | None:
    place = group.index(row)
    return sum(values(group[max(0, place - 2) : place + 1])) if values(group[max(0, place - 2) : place + 1]) else None


def running(group: list[Row], row: Row) -> float | None:
    if row["n"] is None:
        return sum(values(group)) if values(group) else None
    return sum(number for number in values(group) if number <= row["n"])


def ranked(group: list[Row], row: Row) -> float:
    if row["n"] is None:
        return float(len(values(group)) + 1)
    return 1.0 + sum(number > row["n"] for number in values(group))


#: A formula, and what it gives for a row of its group (a list of rows, in the order of the table).
EXPECTED: list[tuple[str, Callable[[list[Row], Row], Any]]] = [
    ("sum(n) over (partition by g)", lambda group, _: sum(values(group)) if values(group) else None),
    ("SUM(n) OVER (PARTITION BY g ORDER BY n)", running),
    ("sum(n) over (partition by g rows between 2 preceding and current row)", moving),
    ("avg(n) over (partition by g)", lambda group, _: statistics.fmean(values(group)) if values(group) else None),
    ("count(*) over (partition by g)", lambda group, _: float(len(group))),
    ("count(n) over (partition by g)", lambda group, _: float(len(values(group)))),
    ("min(n) over (partition by g)", lambda group, _: min(values(group), default=None)),
    ("max(n) over (partition by g)", lambda group, _: max(values(group), default=None)),
    ("median(n) over (partition by g)", lambda group, _: statistics.median(values(group)) if values(group) else None),
    ("stddev(n) over (partition by g)", lambda group, _: statistics.stdev(values(group)) if len(values(group)) > 1 else None),
    ("row_number() over (partition by g order by n)", lambda group, row: 1.0 + ordered(group).index(row)),
    ("row_number() over (partition by g)", lambda group, row: 1.0 + group.index(row)),
    ("row_number() over (partition by g order by n desc)", lambda group, row: 1.0 + ordered(group, True).index(row)),
    ("rank() over (partition by g order by n desc)", ranked),
    ("dense_rank() over (partition by g order by n desc)", lambda group, row: 1.0 + len({n for n in values(group) if row["n"] is None or n > row["n"]})),
    ("lag(n) over (partition by g order by n)", lagged),
    ("lag(n) over (partition by g)", lambda group, row: group[group.index(row) - 1]["n"] if group.index(row) else None),
    ("lead(n, 2, -1) over (partition by g)", lambda group, row: group[group.index(row) + 2]["n"] if group.index(row) + 2 < len(group) else -1.0),
    ("first_value(n) over (partition by g)", lambda group, _: group[0]["n"]),
    ("last_value(n) over (partition by g)", lambda group, _: group[-1]["n"]),
    ("last_value(n) over (partition by g order by n)", lambda _, row: row["n"]),
    ("n - avg(n) over (partition by g)", lambda group, row: None if row["n"] is None else row["n"] - statistics.fmean(values(group))),
]  # fmt: skip


def same(result: Any, expected: Any) -> bool:
    if result is None or expected is None:
        return result is expected
    return math.isclose(result, expected, rel_tol=1e-12, abs_tol=1e-12)


@pytest.mark.parametrize(("formula", "expected"), EXPECTED, ids=[formula for formula, _ in EXPECTED])
@settings(max_examples=6, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    records=st.lists(
        st.tuples(st.sampled_from(["p", "q", None]), st.sampled_from([None, "1", "2", "2", "0.1", "-7.5", "1e3"])),
        min_size=1,
        max_size=12,
    )
)
def test_a_group_is_what_plain_counting_says(
    formula: str,
    expected: Callable[[list[Row], Row], Any],
    records: list[tuple[str | None, str | None]],
    table: Table,
    tmp_path: Path,
) -> None:
    rows: list[Row] = [
        {"g": group, "n": None if number is None else float(number), "at": at}
        for at, (group, number) in enumerate(records)
    ]
    results = computed(table, {"g": [g for g, _ in records], "n": [n for _, n in records]}, formula, tmp_path)
    for row, result in zip(rows, results, strict=True):
        group = [other for other in rows if other["g"] == row["g"]]
        assert same(result, expected(group, row)), (formula, records, row, result)


CELLS: dict[str, list[str | None]] = {"g": ["p", "q", "p", "p"], "n": ["1", "5", "3", "3"]}


def test_removed_records_belong_to_no_group(table: Table, tmp_path: Path) -> None:
    without = {"kind": "remove-where", "columns": ["n"], "values": ["1"]}
    assert computed(table, CELLS, "sum(n) over (partition by g)", tmp_path, without)[1:] == [5.0, 6.0, 6.0]


def test_records_stand_in_the_order_that_rules_gave_them(table: Table, tmp_path: Path) -> None:
    by_number = {"kind": "sort-records", "keys": [{"column": "n", "descending": True}]}
    assert computed(table, CELLS, "row_number() over ()", tmp_path, by_number) == [1.0, 2.0, 3.0, 4.0]


def test_sums_are_those_of_the_decimal_digits(table: Table, tmp_path: Path) -> None:
    cells: dict[str, list[str | None]] = {"n": ["0.1"] * 10, "g": ["p"] * 10}
    assert computed(table, cells, "sum(n) over ()", tmp_path) == [1.0] * 10
    exact = {"kind": "to-number", "columns": ["g"], "exact": True}
    cells["g"] = ["12345678901234567.01"] * 10
    sums = computed(table, cells, "to_text(sum(g) over ())", tmp_path, exact)
    assert set(sums) == {"123456789012345670.1"}


def test_a_condition_limits_what_is_written_not_what_is_looked_at(table: Table, tmp_path: Path) -> None:
    rule = {"kind": "compute", "columns": ["x"], "formula": "sum(n) over (partition by g)", "when": "n > 1"}
    run_rulebook(table(CELLS), book(NUMBERS, rule), tmp_path / "r")
    assert query(result_parts(tmp_path / "r"), "SELECT x FROM t ORDER BY __record") == [(None,), (5.0,), (7.0,), (7.0,)]


def test_a_formula_is_tried_on_all_records_not_on_the_first(table: Table, tmp_path: Path) -> None:
    cells: dict[str, list[str | None]] = {"g": ["p"] * 600}
    tried = try_formula(table(cells), book(), "", "count(*) over (partition by g)", False, tmp_path)
    assert (tried.message, tried.type, tried.rows) == ("", "decimal", ((1, ("p",), "600"),))


@pytest.mark.parametrize("name", sorted(OVER_FUNCTIONS))
def test_every_function_is_explained_by_an_example_that_works(name: str) -> None:
    columns = [
        Column("station"),
        Column("amount", DataType.DECIMAL),
        Column("level", DataType.DECIMAL),
        Column("day", DataType.DATE),
    ]
    function = OVER_FUNCTIONS[name]
    assert function.about.endswith(".")
    assert function.example.startswith(f"{name}(")
    assert function.insert.count("|") == 1
    assert function.signature.split(" -> ")[1] in ("number", "same")
    assert parse(function.example, columns, sees_others=True).sees_others


#: What is written, what is said, and how far the place that is pointed at begins.
SLIPS = [
    ("upper(g) over ()", "“upper” works on one record"),
    ("sumsq(n) over ()", "“sumsq” is not known here"),
    ("rank() over (partition by g)", "rank needs order by"),
    ("sum(g) over ()", "sum needs a number; this is text"),
    ("sum() over ()", "sum takes 1 argument; here are 0"),
    ("row_number(n) over ()", "row_number takes no arguments; here are 1"),
    ("lag(n, -1) over ()", "lag needs a whole number from 1"),
    ("lag(n, n) over ()", "lag needs a whole number from 1"),
    ("ntile(0) over (order by n)", "ntile needs a whole number from 1"),
    ("lag(n, 1, 'x') over ()", "lag needs things of one kind"),
    ("sum(distinct n) over ()", "sum takes a column or an expression"),
    ("sum(*) over ()", "sum takes a column or an expression"),
    ("sum(n) filter (where n > 1) over ()", "This form of over"),
    ("sum(n) over w", "A window has no name here"),
    ("sum(avg(n) over ()) over ()", "over (…) stands within another"),
    ("sum(n) over (partition by sum(n) over ())", "over (…) stands within another"),
    ("sum(n) over (order by n range between 1 preceding and current row)", "This frame is not known here"),
    ("sum(n) over (rows between n preceding and current row)", "This frame is not known here"),
    ("rank() over (order by n rows between 1 preceding and current row)", "rank has no frame"),
    ("sum(n) over (partition by nn)", "There is no column “nn”"),
    ("sum(n) over (order by split(g, ' '))", "A list has no order"),
    ("sum(n)", "There is no function “sum”"),
]


@pytest.mark.parametrize(("formula", "message"), SLIPS)
def test_slips_are_told(formula: str, message: str) -> None:
    with pytest.raises(FormulaError) as error:
        parse(formula, COLUMNS, sees_others=True)
    assert message in error.value.message
    assert error.value.advice
    assert 0 <= error.value.start < error.value.end <= len(formula)


def test_what_judges_one_record_says_where_over_belongs(table: Table, tmp_path: Path) -> None:
    with pytest.raises(FormulaError, match="looks at each record by itself") as error:
        condition("n > avg(n) over ()", COLUMNS)
    assert "Compute by a formula" in error.value.advice
    for rule in (
        {"kind": "holds", "columns": ["n"], "formula": "n > avg(n) over ()"},
        {"kind": "trim-spaces", "columns": ["g"], "when": "count(*) over () > 1"},
    ):
        with pytest.raises(PravinError, match="looks at each record by itself"):
            run_rulebook(table(CELLS), book(NUMBERS, rule), tmp_path / "r")


@pytest.mark.parametrize("formula", [
    "sum(n) over (order by (select 1))", "read_csv('x') over ()", "count(*) over (partition by (select n from t))",
    "sum(n) over (order by read_text('/etc/passwd'))", "nth_value(n, 1) over ()", "list(n) over ()",
])  # fmt: skip
def test_hostile_ones_are_refused(formula: str) -> None:
    with pytest.raises(FormulaError):
        parse(formula, COLUMNS, sees_others=True)


def test_all_columns_are_told_that_it_reads() -> None:
    formula = parse("sum(n) over (partition by g, t order by d desc nulls first)", COLUMNS, sees_others=True)
    assert set(formula.reads) == {"n", "g", "t", "d"}
