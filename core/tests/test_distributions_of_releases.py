"""Each column's distribution then and now, against plain Python."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pravin_core.releases.comparing import Side
from pravin_core.releases.distributions import MOST_VALUES, Distributions, distributions
from pravin_core.tables.types import DataType

TYPES = {
    DataType.TEXT: pa.string(),
    DataType.WHOLE: pa.int64(),
    DataType.DECIMAL: pa.float64(),
    DataType.DATE: pa.date32(),
}


def side(file: Path, **columns: tuple[DataType, list[Any]]) -> Side:
    cells = {name: pa.array(values, TYPES[kind]) for name, (kind, values) in columns.items()}
    pq.write_table(pa.table(cells), file)
    return Side((file,), tuple((name, kind) for name, (kind, _) in columns.items()), "record")


def told(place: Path, then: dict[str, Any], now: dict[str, Any]) -> Distributions:
    return distributions(side(place / "then.parquet", **then), side(place / "now.parquet", **now), place / "scratch")


def as_counts(found: Distributions, name: str) -> dict[str, tuple[int, int]]:
    (each,) = [column for column in found.columns if column.name == name]
    return {part.label: (part.before, part.after) for part in each.classes}


@settings(max_examples=40)
@given(
    then=st.lists(st.one_of(st.none(), st.sampled_from("abcdefghijkl")), max_size=60),
    now=st.lists(st.one_of(st.none(), st.sampled_from("abcxyz")), max_size=60),
)
def test_texts_by_their_most_frequent_values(
    tmp_path_factory: pytest.TempPathFactory, then: list[str | None], now: list[str | None]
) -> None:
    found = told(tmp_path_factory.mktemp("t"), {"v": (DataType.TEXT, then)}, {"v": (DataType.TEXT, now)})
    before, after = Counter(then), Counter(now)
    values = [value for value in {*before, *after} if value is not None and max(before[value], after[value]) > 1]
    chosen = sorted(values, key=lambda value: (-max(before[value], after[value]), value))[:MOST_VALUES]
    expected = {value: (before[value], after[value]) for value in chosen}
    expected["missing"] = (before[None], after[None])
    rest = [len(side) - sum(count[at] for count in expected.values()) for at, side in enumerate((then, now))]
    expected["other values"] = (rest[0], rest[1])
    expected = {label: counts for label, counts in expected.items() if any(counts)}
    assert as_counts(found, "v") == expected
    shares = [abs(a / len(then) - b / len(now)) for a, b in expected.values()] if then and now else []
    assert found.columns[0].distance == pytest.approx(sum(shares) / 2)


@settings(max_examples=40)
@given(
    then=st.lists(st.one_of(st.none(), st.integers(-5, 40)), max_size=60),
    now=st.lists(st.one_of(st.none(), st.floats(-50, 60)), max_size=60),
)
def test_numbers_lie_in_ranges_that_hold_every_record_once(
    tmp_path_factory: pytest.TempPathFactory, then: list[int | None], now: list[float | None]
) -> None:
    found = told(tmp_path_factory.mktemp("n"), {"v": (DataType.WHOLE, then)}, {"v": (DataType.DECIMAL, now)})
    classes = found.columns[0].classes
    assert (sum(each.before for each in classes), sum(each.after for each in classes)) == (len(then), len(now))
    edges = sorted({float(each.label.split()[-1]) for each in classes if each.label.startswith(("up to", "above"))})
    for each in classes:
        if each.kind != "range":
            continue
        words = each.label.replace(",", "").split()
        low = float(words[1]) if words[0] == "above" else float("-inf")
        high = float(words[-1]) if "up" in words else float("inf")
        for values, count in ((then, each.before), (now, each.after)):
            assert count == sum(value is not None and low < value <= high for value in values)
    assert all(edge in then for edge in edges)


def test_dates_missing_values_and_what_only_one_table_has(tmp_path: Path) -> None:
    days = [dt.date(2024, 1, 1) + dt.timedelta(days=at) for at in range(20)]
    found = told(
        tmp_path,
        {"day": (DataType.DATE, days), "gone": (DataType.TEXT, ["x"] * 20), "code": (DataType.WHOLE, [1] * 20)},
        {"day": (DataType.DATE, [*days[10:], None]), "code": (DataType.TEXT, ["1"] * 10 + ["2"])},
    )
    assert (found.records_before, found.records_after) == (20, 11)
    assert [each.name for each in found.columns] == ["day", "code"]  # the most different first
    day = as_counts(found, "day")
    assert (day["missing"], day["up to 2024-01-02"]) == ((0, 1), (2, 0))
    assert day["above 2024-01-18"] == (2, 2)
    assert as_counts(found, "code") == {"1": (20, 10), "other values": (0, 1)}
    assert found.columns[1].distance == pytest.approx(1 / 11)


def test_nothing_then_says_nothing_of_a_change(tmp_path: Path) -> None:
    found = told(tmp_path, {"v": (DataType.WHOLE, [])}, {"v": (DataType.WHOLE, [1, 1, None])})
    assert found.columns[0].distance == 0
    assert as_counts(found, "v") == {"missing": (0, 1), "1": (0, 2)}


@pytest.mark.parametrize("name", ["value", "n", "before", "cut", "a", "SELECT"])
def test_columns_may_be_called_anything(tmp_path: Path, name: str) -> None:
    found = told(tmp_path, {name: (DataType.WHOLE, [1, 2, 3])}, {name: (DataType.WHOLE, [1, 2, 2])})
    assert as_counts(found, name) == {"up to 1": (1, 1), "above 1, up to 2": (1, 2), "above 2, up to 3": (1, 0)}
    found = told(tmp_path, {name: (DataType.TEXT, ["x", "x"])}, {name: (DataType.TEXT, ["x", None])})
    assert as_counts(found, name) == {"missing": (0, 1), "x": (2, 1)}
