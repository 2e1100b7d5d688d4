"""By example: wanted results of a few records lead to a formula that is right for all others."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import duckdb
import pyarrow as pa
import pytest
from by_example_tasks import TASKS, Task

from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.formulas.by_example.learning import Learned, Wanted, learn
from pravin_core.tables.columns import Column


@pytest.fixture(scope="module")
def con(tmp_path_factory: pytest.TempPathFactory) -> Iterator[duckdb.DuckDBPyConnection]:
    folder: Path = tmp_path_factory.mktemp("learn")
    with connect([folder], folder / "scratch") as result:
        know_operations(result)
        yield result


def learned(con: duckdb.DuckDBPyConnection, task: Task, told: int | None = None) -> Learned:
    inputs = list(zip(*(record[:-1] for record in task.records), strict=True))
    cells = {f"c{at}": pa.array(values, pa.string()) for at, values in enumerate(inputs)}
    con.register("given", pa.table({"__record": pa.array(range(1, len(task.records) + 1), pa.int64()), **cells}))
    expected = [Wanted(at + 1, str(record[-1])) for at, record in enumerate(task.records[: told or task.told])]
    return learn(con, "given", [Column(name) for name in cells], expected)


def results(found: Learned, task: Task) -> list[str | None]:
    """What the best candidate gives for each record."""
    places = [int(name[1:]) for name in found.columns]
    known = {row.values: row.result for row in found.candidates[0].rows}
    return [known.get(tuple(record[place] for place in places)) for record in task.records]


def test_nine_tasks_of_ten_are_solved_for_all_records(con: duckdb.DuckDBPyConnection) -> None:
    assert len(TASKS) >= 60
    assert all(2 <= task.told <= 4 and task.told < len(task.records) for task in TASKS)
    missed = []
    for task in TASKS:
        result = learned(con, task)
        if not result.candidates or results(result, task) != [record[-1] for record in task.records]:
            missed.append((task.name, result.candidates[0].formula if result.candidates else "nothing"))
    assert len(missed) <= len(TASKS) / 10, missed


def test_where_the_best_candidates_disagree_is_asked_and_one_more_example_settles_it(
    con: duckdb.DuckDBPyConnection,
) -> None:
    task = Task("which number", 1, [("12-12", "12"), ("7-9", "9"), ("3-4", "4"), ("5-5", "5")])
    result = learned(con, task)
    assert result.questions[0].values == ("7-9",)
    assert all(len(set(question.results)) > 1 for question in result.questions)
    assert results(learned(con, task, told=2), task) == ["12", "9", "4", "5"]


def test_what_is_not_treated_is_said(con: duckdb.DuckDBPyConnection) -> None:
    task = Task("unit", 2, [("oxygen (mg/L)", "mg/L"), ("depth (m)", "m"), ("ph", None), (None, None)])
    best = learned(con, task).candidates[0]
    assert (best.different, best.untreated) == (4, 1)
    assert [row.values for row in best.untreated_rows] == [("ph",)]


def test_no_way_means_no_candidate(con: duckdb.DuckDBPyConnection) -> None:
    assert learned(con, Task("none", 2, [("a", "qx7"), ("b", "zz1"), ("c", "?")])).candidates == ()
