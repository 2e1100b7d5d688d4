"""Looking up by a range or by the nearest value, against plain Python over all pairs."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_rules import book

from conftest import query
from pravin_core.compiler.plan import RunContext
from pravin_core.errors import RulebookError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.reshaping import Reference
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.sql.statements import read_parquet
from pravin_core.tables.columns import Column

Table = Callable[[dict[str, list[str | None]]], Snapshot]
Row = tuple[str | None, ...]
KEYS = st.sampled_from(["p", "q", None])
NUMBERS = st.sampled_from(["0", "1", "2", "2.5", "3", "7", "x", None])
DATES = st.sampled_from(["2024-01-01", "2024-01-02", "2024-02-29", "2024-03-01", "2024-02-30", None])


def as_number(text: str | None) -> float | None:
    return None if text in (None, "x") else float(text or "")


def as_date(text: str | None) -> float | None:
    try:
        return None if text is None else float(dt.date.fromisoformat(text).toordinal())
    except ValueError:
        return None


def run(
    table: Table, records: list[Row], theirs: dict[str, list[str | None]], rule: dict[str, Any], folder: Path
) -> list[Any]:
    """What is taken over, by record."""
    work = folder / f"r{len(list(folder.iterdir()))}"
    work.mkdir()
    cells = {"__record": pa.array(range(1, len(theirs["name"]) + 1), pa.int64())}
    pq.write_table(
        pa.table(cells | {name: pa.array(texts, pa.string()) for name, texts in theirs.items()}), work / "o.parquet"
    )
    other = Reference(read_parquet([work / "o.parquet"]), tuple(Column(name) for name in theirs), "1", work)
    snapshot = table({"k": [row[0] for row in records], "v": [row[1] for row in records]})
    rules = book({"kind": "look-up-by-size", "reference": "o", "column": "v", "take": ["name"], **rule})
    run_rulebook(snapshot, rules, work / "r", context=RunContext(references={"o": other}))
    return [row[0] for row in query(result_parts(work / "r"), "SELECT name FROM t ORDER BY __record")]


def keys_agree(rule: dict[str, Any], own: str | None, theirs: str | None) -> bool:
    return "keys" not in rule or (own is not None and own == theirs)


@pytest.mark.parametrize("compared", ["numbers", "dates"])
@pytest.mark.parametrize("below", [False, True])
@pytest.mark.parametrize("keyed", [False, True])
@settings(max_examples=8, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_the_first_range_that_holds_the_value(
    compared: str, below: bool, keyed: bool, data: st.DataObject, table: Table, tmp_path: Path
) -> None:
    values, read = (NUMBERS, as_number) if compared == "numbers" else (DATES, as_date)
    records = data.draw(st.lists(st.tuples(KEYS, values), min_size=1, max_size=8))
    others = data.draw(st.lists(st.tuples(KEYS, values, values), min_size=1, max_size=8))
    rule: dict[str, Any] = {"low": "low", "high": "high", "below": below, "compared": compared}
    if keyed:
        rule["keys"] = [{"code": "k", "meaning": "key"}]

    def holds(own: Row, other: Row) -> bool:
        value, (low, high) = read(own[1]), (read(other[1]), read(other[2]))
        if value is None or not keys_agree(rule, own[0], other[0]):
            return False
        above = other[1] is None or (low is not None and low <= value)
        return above and (other[2] is None or (high is not None and (value < high if below else value <= high)))

    theirs: dict[str, list[str | None]] = {
        "key": [row[0] for row in others],
        "low": [row[1] for row in others],
        "high": [row[2] for row in others],
        "name": [f"row {at}" for at in range(len(others))],
    }
    expected = [next((f"row {at}" for at, other in enumerate(others) if holds(own, other)), None) for own in records]
    assert run(table, list(records), theirs, rule, tmp_path) == expected


@pytest.mark.parametrize("compared", ["numbers", "dates"])
@pytest.mark.parametrize("how", ["at or before", "at or after", "nearest"])
@pytest.mark.parametrize("keyed", [False, True])
@settings(max_examples=8, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_the_nearest_record(
    compared: str, how: str, keyed: bool, data: st.DataObject, table: Table, tmp_path: Path
) -> None:
    values, read = (NUMBERS, as_number) if compared == "numbers" else (DATES, as_date)
    records = data.draw(st.lists(st.tuples(KEYS, values), min_size=1, max_size=8))
    others = data.draw(st.lists(st.tuples(KEYS, values), min_size=1, max_size=8))
    rule: dict[str, Any] = {"how": how, "theirs": "at", "compared": compared}
    if keyed:
        rule["keys"] = [{"code": "k", "meaning": "key"}]

    def nearest(own: Row) -> str | None:
        value = read(own[1])
        if value is None:
            return None
        candidates = []
        for at, other in enumerate(others):
            size = read(other[1])
            if size is None or not keys_agree(rule, own[0], other[0]):
                continue
            if (how == "at or before" and size > value) or (how == "at or after" and size < value):
                continue
            candidates.append((abs(size - value), size > value, at))
        return f"row {min(candidates)[2]}" if candidates else None

    theirs: dict[str, list[str | None]] = {
        "key": [row[0] for row in others],
        "at": [row[1] for row in others],
        "name": [f"row {at}" for at in range(len(others))],
    }
    assert run(table, list(records), theirs, rule, tmp_path) == [nearest(own) for own in records]


@pytest.mark.parametrize(("rule", "message"), [
    ({"low": "gone"}, "has no column 'gone'"),
    ({"how": "nearest", "theirs": "low", "compared": "dates"}, "v is decimal: it cannot be compared as dates"),
    ({"low": "low", "keys": [{"code": "w", "meaning": "low"}]}, "does not have"),
])  # fmt: skip
def test_what_does_not_fit_is_told(rule: dict[str, Any], message: str, table: Table, tmp_path: Path) -> None:
    cells = {"__record": pa.array([1], pa.int64()), "name": pa.array(["a"]), "low": pa.array(["1"])}
    pq.write_table(pa.table(cells), tmp_path / "o.parquet")
    other = Reference(read_parquet([tmp_path / "o.parquet"]), (Column("name"), Column("low")), "1", tmp_path)
    rules = book(
        {"kind": "to-number", "columns": ["v"]},
        {"kind": "look-up-by-size", "reference": "o", "column": "v", "take": ["name"], **rule},
    )
    with pytest.raises(RulebookError, match=message):
        run_rulebook(table({"v": ["1"]}), rules, tmp_path / "r", context=RunContext(references={"o": other}))
