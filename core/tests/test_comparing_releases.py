"""What changed between two tables by key, against plain Python."""

from __future__ import annotations

from collections import defaultdict
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pravin_core.releases.comparing import Changes, Side, changed_records, compare, of_result
from pravin_core.tables.types import DataType

T, W, D = DataType.TEXT, DataType.WHOLE, DataType.DECIMAL
TYPES = {T: pa.string(), W: pa.int64(), D: pa.float64()}
CELL = st.one_of(st.none(), st.sampled_from(["", "a", "A", "a ", "ü"]))
TABLE = st.lists(st.tuples(CELL, CELL, CELL, st.one_of(st.none(), st.integers(-2, 2))), max_size=9)
COLUMNS = (("k", T), ("l", T), ("text", T), ("number", W))


def side(file: Path, rows: list[Any], columns: tuple[tuple[str, DataType], ...] = COLUMNS) -> Side:
    cells = {name: pa.array([row[at] for row in rows], TYPES[kind]) for at, (name, kind) in enumerate(columns)}
    pq.write_table(pa.table({**cells, "at": pa.array(range(1, len(rows) + 1), pa.int64())}), file)
    return Side((file,), columns, "at")


def reckoned(before: list[Any], after: list[Any], key: int) -> tuple[set[Any], int]:
    """Each change as (kind, record before, record after, columns), and how many records are the same."""
    held: list[dict[Any, list[int]]] = [defaultdict(list), defaultdict(list)]
    for place, rows in enumerate((before, after)):
        for number, row in enumerate(rows, start=1):
            held[place][row[:key]].append(number)
    changes: set[Any] = set()
    same = 0
    for told in set(held[0]) | set(held[1]):
        old, new = held[0][told], held[1][told]
        for a, b in zip(old, new, strict=False):
            names = tuple(COLUMNS[at][0] for at in range(key, 4) if before[a - 1][at] != after[b - 1][at])
            same += not names
            changes |= {("changed", a, b, names)} if names else set()
        changes |= {("gone", a, None, ()) for a in old[len(new) :]} | {("added", None, b, ()) for b in new[len(old) :]}
    return changes, same


def found(before: Side, after: Side, folder: Path) -> set[Any]:
    return {
        (kind, row["before"], row["after"], tuple(row["columns"]))
        for kind in ("added", "gone", "changed")
        for row in changed_records(before, after, folder, kind, "", 0, 100, folder.parent / "scratch")  # type: ignore[arg-type]
    }


@settings(max_examples=40)
@given(before=TABLE, after=TABLE, key=st.sampled_from([1, 2]))
def test_as_reckoned_plainly(
    tmp_path_factory: pytest.TempPathFactory, before: list[Any], after: list[Any], key: int
) -> None:
    place = tmp_path_factory.mktemp("compared")
    sides = side(place / "before.parquet", before), side(place / "after.parquet", after)
    counted = compare(*sides, ["k", "l"][:key], place / "kept")
    changes, same = reckoned(before, after, key)
    assert found(*sides, place / "kept") == changes
    by_kind = {kind: sum(change[0] == kind for change in changes) for kind in ("added", "gone", "changed")}
    assert (counted.added, counted.gone, counted.changed, counted.same) == (*by_kind.values(), same)
    times = {name: sum(name in change[3] for change in changes) for name, _ in COLUMNS}
    assert {each.name: each.records for each in counted.columns} == {name: n for name, n in times.items() if n}


def compared(tmp_path: Path, before: Side, after: Side, key: list[str]) -> Changes:
    return compare(before, after, key, tmp_path / "kept")


def test_values_then_and_now(tmp_path: Path) -> None:
    before = side(tmp_path / "b.parquet", [("1", "x", "old", 1), ("2", "y", "stays", 2), ("3", "z", "gone", 3)])
    after = side(tmp_path / "a.parquet", [("2", "y", "stays", 2), ("1", "x", "new", None), ("4", "w", "added", 4)])
    counts = compared(tmp_path, before, after, ["k"])
    assert (counts.added, counts.gone, counts.changed, counts.same, counts.repeated) == (1, 1, 1, 1, 0)
    (row,) = changed_records(before, after, tmp_path / "kept", "changed", "number", 0, 10, tmp_path / "s")
    assert (row["before"], row["after"], row["columns"]) == (1, 2, ["text", "number"])
    assert (row["values_before"]["text"], row["values_before"]["number"]) == ("old", "1")
    assert (row["values_after"]["text"], row["values_after"]["number"]) == ("new", None)
    (row,) = changed_records(before, after, tmp_path / "kept", "added", "", 0, 10, tmp_path / "s")
    assert (row["values_before"], row["values_after"]["text"]) == (None, "added")
    assert changed_records(before, after, tmp_path / "kept", "changed", "l", 0, 10, tmp_path / "s") == []
    assert changed_records(before, after, tmp_path / "kept", "gone", "", 1, 10, tmp_path / "s") == []


def test_columns_that_only_one_has_and_types_that_differ(tmp_path: Path) -> None:
    """7 that was text and is a number now is the same value; 7.50 was written otherwise."""
    before = side(tmp_path / "b.parquet", [("1", "7", "x"), ("2", "7.50", "x")], (("k", T), ("n", T), ("old", T)))
    after = side(tmp_path / "a.parquet", [(1, 7.0, "x"), (2, 7.5, "x")], (("k", W), ("n", D), ("new", T)))
    counts = compared(tmp_path, before, after, ["k"])
    assert (counts.changed, counts.same, counts.columns_added, counts.columns_gone) == (1, 1, ("new",), ("old",))
    assert [(each.name, each.records) for each in counts.columns] == [("n", 1)]


def test_of_a_run_only_ready_records_count(tmp_path: Path) -> None:
    states = ["ready", "corrected", "quarantined", "removed"]
    table = {
        "__record": pa.array([1, 2, 3, 4], pa.int64()), "__state": states, "k": ["a", "b", "c", "d"], "v": ["1", "2", "3", "4"],
    }  # fmt: skip
    pq.write_table(pa.table(table), tmp_path / "part-0000.parquet")
    now = of_result([tmp_path / "part-0000.parquet"], [("k", "text"), ("v", "text")])
    then = side(tmp_path / "then.parquet", [("a", "1"), ("c", "3")], (("k", T), ("v", T)))
    counts = compared(tmp_path, then, now, ["k"])
    assert (counts.added, counts.gone, counts.changed, counts.same) == (1, 1, 0, 1)


def test_keys_that_repeat_are_paired_in_their_order_and_counted(tmp_path: Path) -> None:
    columns = (("k", T), ("v", T))
    before = side(tmp_path / "b.parquet", [("a", "1"), ("a", "2"), (None, "3")], columns)
    after = side(tmp_path / "a.parquet", [("a", "1"), ("a", "9"), ("a", "5"), (None, "3")], columns)
    counts = compared(tmp_path, before, after, ["k"])
    assert (counts.added, counts.gone, counts.changed, counts.same, counts.repeated) == (1, 0, 1, 2, 5)
