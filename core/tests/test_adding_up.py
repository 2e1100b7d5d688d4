"""Released deliveries that add up: which records a newer delivery supersedes, and the whole table, against plain Python."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import duckdb
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pravin_core.releases.adding_up import Part, common_columns, key_faults, superseding, write_whole
from pravin_core.tables.types import DataType

T, W, D, E = DataType.TEXT, DataType.WHOLE, DataType.DECIMAL, DataType.EXACT
KEYS = st.one_of(st.none(), st.sampled_from(["", "a", "A", "b", "ä", "x'y", "7"]))
MONTHS = st.lists(st.lists(st.tuples(KEYS, KEYS), max_size=6), min_size=1, max_size=5)


def part(
    folder: Path,
    delivery: int,
    rows: list[tuple[Any, ...]],
    columns: tuple[tuple[str, DataType], ...],
    release: int = 0,
) -> Part:
    """A released delivery; its records are numbered 1, 3, 5 …, since some are not ready."""
    types = {T: pa.string(), W: pa.int64(), D: pa.float64(), DataType.DATE: pa.date32(), DataType.BOOLEAN: pa.bool_()}
    cells = {name: pa.array([row[at] for row in rows], types[kind]) for at, (name, kind) in enumerate(columns)}
    file = folder / f"{delivery}-{release or delivery}.parquet"
    pq.write_table(pa.table({**cells, "at": pa.array([2 * at + 1 for at in range(len(rows))], pa.int64())}), file)
    return Part(delivery, release or delivery, file, columns, "at")


def rows_of(part: Part) -> list[dict[str, Any]]:
    return pq.read_table(part.file).to_pylist()


def superseded(parts: list[Part], key: list[str]) -> set[tuple[int, int]]:
    """By release and record, reckoned plainly."""
    held: dict[tuple[Any, ...], list[tuple[int, int, int]]] = {}
    for each in parts:
        for row in rows_of(each):
            values = tuple(row[name] for name in key)
            if all(value not in (None, "") for value in values):
                held.setdefault(tuple(str(value) for value in values), []).append(
                    (each.delivery, each.release, row["at"])
                )
    return {(release, n) for records in held.values() for number, release, n in records if number < max(records)[0]}


def applied(standing: set[tuple[int, int]], changes: pa.Table) -> set[tuple[int, int]]:
    """What is kept, after changes; each of them must be one."""
    for change in changes.to_pylist():
        record = (change["release"], change["record"])
        assert (record in standing) != change["superseded"]
        standing = standing | {record} if change["superseded"] else standing - {record}
    return standing


@settings(max_examples=25)
@given(months=MONTHS, key=st.sampled_from([["a"], ["a", "b"]]), again=st.integers(0, 4), gone=st.integers(0, 4))
def test_step_by_step_it_is_what_a_whole_reckoning_gives(
    tmp_path_factory: pytest.TempPathFactory, months: list[list[Any]], key: list[str], again: int, gone: int
) -> None:
    folder, columns = tmp_path_factory.mktemp("released"), (("a", T), ("b", T))
    parts: list[Part] = []
    kept: set[tuple[int, int]] = set()

    def change(after: list[Part]) -> None:
        nonlocal kept, parts
        kept, parts = applied(kept, superseding(parts, after, key, folder / "scratch")), after
        assert kept == superseded(parts, key)

    for number, rows in enumerate(months, start=1):
        change([*parts, part(folder, number, rows, columns)])
    again %= len(parts)
    follow_up = part(folder, again + 1, [*reversed(months[again]), ("7", "b")], columns, release=90)
    change([*parts[:again], follow_up, *parts[again + 1 :]])
    gone %= len(parts)
    change(parts[:gone] + parts[gone + 1 :])
    from_nothing = superseding([], parts, key, folder / "scratch")
    assert applied(set(), from_nothing) == kept


@settings(max_examples=25)
@given(months=MONTHS, by_key=st.booleans())
def test_the_whole_table_holds_each_record_once(
    tmp_path_factory: pytest.TempPathFactory, months: list[list[Any]], by_key: bool
) -> None:
    folder = tmp_path_factory.mktemp("whole")
    parts = [part(folder, number, rows, (("a", T), ("b", T))) for number, rows in enumerate(months, start=1)]
    columns = write_whole(list(reversed(parts)), ["a"] if by_key else [], folder / "whole.parquet", folder / "scratch")
    hidden = superseded(parts, ["a"]) if by_key else set()
    expected = [
        (row["a"], row["b"]) for each in parts for row in rows_of(each) if (each.release, row["at"]) not in hidden
    ]
    found = pq.read_table(folder / "whole.parquet").to_pylist()
    assert [(row["a"], row["b"]) for row in found] == expected
    assert [row["__record"] for row in found] == list(range(1, len(expected) + 1))
    assert columns == [("a", T), ("b", T)]


def test_keys_are_compared_as_written(tmp_path: Path) -> None:
    """7 is 7 whether it was read as a number or left as text; a day is its ISO form."""
    day = dt.date(2026, 3, 1)
    as_text = part(
        tmp_path, 1, [("7", "2026-03-01"), ("7.5", "2026-03-01"), ("07", "2026-03-01")], (("k", T), ("day", T))
    )
    as_values = part(tmp_path, 2, [(7.0, day), (7.5, day)], (("k", D), ("day", DataType.DATE)))
    changes = superseding([as_text], [as_text, as_values], ["k", "day"], tmp_path / "scratch")
    assert changes.to_pylist() == [
        {"release": 1, "record": 1, "superseded": True}, {"release": 1, "record": 3, "superseded": True},
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("tables", "expected"),
    [
        ([[("a", W)], [("a", W)]], [("a", W)]),
        ([[("a", W)], [("a", D), ("b", T)]], [("a", D), ("b", T)]),
        ([[("a", W), ("old", T)], [("b", T), ("a", E)]], [("b", T), ("a", E), ("old", T)]),
        ([[("a", DataType.DATE)], [("a", DataType.DATETIME)]], [("a", DataType.DATETIME)]),
        ([[("a", DataType.DATE)], [("a", W)]], [("a", T)]),
        ([[("a", DataType.BOOLEAN)], [("a", W)]], [("a", T)]),
        ([[("a", E)], [("a", D)], [("a", W)]], [("a", D)]),
        ([[], [("a", T)]], [("a", T)]),
    ],
)
def test_common_columns(tables: list[Any], expected: list[Any]) -> None:
    assert common_columns(tables) == expected


def test_types_that_differ_are_held_by_one_that_holds_all(tmp_path: Path) -> None:
    parts = [
        part(tmp_path, 1, [(1, True, "x")], (("n", W), ("flag", DataType.BOOLEAN), ("only", T))),
        part(tmp_path, 2, [(2.5, "maybe")], (("n", D), ("flag", T))),
    ]
    assert write_whole(parts, [], tmp_path / "w.parquet", tmp_path / "s") == [("n", D), ("flag", T), ("only", T)]
    assert duckdb.read_parquet(str(tmp_path / "w.parquet")).fetchall() == [
        (1, 1.0, "true", "x"),
        (2, 2.5, "maybe", None),
    ]


@pytest.mark.parametrize(
    ("keys", "expected"),
    [
        ([], (0, 0, (), ())),
        (["a", "b"], (0, 0, (), ())),
        (["a", "b", "a", "a"], (3, 0, (1, 3, 4), ())),
        (["a", None, "", "b"], (0, 2, (), (2, 3))),
        (["a", None, "a"], (2, 1, (1, 3), (2,))),
        (["a"] * 9, (9, 0, (1, 2, 3, 4, 5), ())),
    ],
)
def test_what_a_key_cannot_tell_apart(tmp_path: Path, keys: list[Any], expected: Any) -> None:
    states = ["ready" if at % 2 else "corrected" for at in range(len(keys))]
    table = {
        "__record": pa.array([*range(1, len(keys) + 1), 98, 99], pa.int64()),
        "__state": pa.array([*states, "quarantined", "removed"], pa.string()),
        "k": pa.array([*keys, "a", None], pa.string()),
    }
    pq.write_table(pa.table(table), tmp_path / "part-0000.parquet")
    faults = key_faults([tmp_path / "part-0000.parquet"], [("k", "text")], ["k"], tmp_path / "scratch")
    assert (faults.shared, faults.incomplete, faults.first_shared, faults.first_incomplete) == expected
