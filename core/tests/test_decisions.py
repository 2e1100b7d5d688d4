"""Decisions on sets of records: what they come to, against a plain retelling; and the bytes that records are kept in."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.rulebook import opened
from pravin_core.runs import runner
from pravin_core.runs.decisions import Decision, amendments, decided, key_of
from pravin_core.tables.record_sets import is_in, packed_numbers, rising, unpacked_numbers

RECORDS = st.lists(st.integers(1, 12), min_size=1, max_size=6)
_VALUE = st.one_of(st.none(), st.sampled_from(["x", "y", "", "ß"]))
ACT = st.one_of(
    st.tuples(st.sampled_from(["accept", "discard", "reopen"]), RECORDS, st.none()),
    st.tuples(st.just("amend"), RECORDS, st.dictionaries(st.sampled_from("abc"), _VALUE, min_size=1)),
)


def made(kind: Any, records: list[int], values: dict[str, str | None] | None) -> Decision:
    return Decision.on(kind, records) if values is None else Decision.amending(records, values)


@given(acts=st.lists(ACT, max_size=8))
def test_decisions_come_to_what_is_told_one_by_one(
    acts: list[tuple[str, list[int], dict[str, str | None] | None]],
) -> None:
    kinds: dict[int, str] = {}
    cells: dict[tuple[int, str], str | None] = {}
    for kind, records, values in acts:
        for record in records:
            if kind == "reopen":
                kinds.pop(record, None)
                cells = {cell: value for cell, value in cells.items() if cell[0] != record}
                continue
            kinds[record] = kind
            cells |= {(record, name): value for name, value in (values or {}).items()}
    decisions = [made(*act) for act in acts]
    told = decided(decisions).to_pylist()
    assert [row["record"] for row in told] == sorted(kinds)
    assert {row["record"]: row["kind"] for row in told} == kinds
    amended = amendments(decisions).to_pylist()
    assert len(amended) == len(cells)
    assert {(row["record"], row["name"]): row["value"] for row in amended} == cells


def test_nothing_decided_is_two_empty_tables() -> None:
    assert (decided([]).num_rows, amendments([]).num_rows) == (0, 0)
    assert decided([]).column_names == ["record", "kind"]
    assert amendments([]).column_names == ["record", "name", "value"]


def test_records_of_a_decision_are_each_there_once() -> None:
    decision = Decision.amending([7, 3, 7], {"a": "1", "b": None})
    assert decision.records.tolist() == [3, 7]
    assert Decision.on("accept", [9, 2, 9]).records.tolist() == [2, 9]


def test_a_decision_among_other_records() -> None:
    amended = Decision.amending([3, 7, 9], {"a": "1"}).among(np.asarray([1, 7, 9]))
    assert amended is not None
    assert (amended.kind, amended.records.tolist(), amendments([amended]).num_rows) == ("amend", [7, 9], 2)
    assert Decision.on("accept", [3]).among(np.asarray([1])) is None


def test_decisions_are_told_apart_by_kind_records_values_and_order() -> None:
    one, other = Decision.on("accept", [1, 2]), Decision.on("discard", [1, 2])
    amended = [Decision.amending([1], {"a": value}) for value in ("", None, "x")]
    assert len({d.digest for d in [one, other, Decision.on("accept", [1]), *amended]}) == 6
    assert key_of([one, other]) != key_of([other, one])
    assert key_of([one]) == key_of([Decision.on("accept", [2, 1, 1])])


@given(records=st.lists(st.integers(1, 2**62), max_size=50))
def test_numbers_come_back_rising_and_once(records: list[int]) -> None:
    expected = sorted(set(records))
    assert rising(records).tolist() == expected
    assert unpacked_numbers(packed_numbers(records)).tolist() == expected


@given(some=st.lists(st.integers(1, 30), max_size=20), others=st.lists(st.integers(1, 30), max_size=20))
def test_membership_is_that_of_sets(some: list[int], others: list[int]) -> None:
    numbers = np.asarray(some, dtype=np.int64)
    assert is_in(numbers, rising(others)).tolist() == [number in set(others) for number in some]


@pytest.mark.parametrize(
    ("records", "most"),
    [
        (np.arange(1, 1_000_001), 10_000),
        (np.random.default_rng(5).choice(10_000_000, 1_000_000, replace=False) + 1, 1_500_000),
    ],
    ids=["in a row", "one in ten"],
)
def test_a_million_records_are_few_bytes(records: Any, most: int) -> None:
    assert len(packed_numbers(records)) < most
    assert len(Decision.amending(records, {"site": "the same for all"}).content) < 2 * most


@settings(deadline=None, max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    acts=st.lists(ACT.filter(lambda act: act[2] is None or set(act[2]) <= {"a"}), max_size=6), is_large=st.booleans()
)
@example(acts=[("amend", [1, 4], {"a": ""}), ("amend", [2], {"a": None})], is_large=False)
def test_a_run_takes_each_record_as_it_was_decided(
    acts: list[tuple[str, list[int], dict[str, str | None] | None]],
    is_large: bool,
    table: Callable[[dict[str, list[str | None]]], Snapshot],
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    """Against a plain retelling; some decisions are about records that are no longer there (9 to 12)."""
    cells: list[str | None] = ["x", "no", "y", None, "x", "no", "y", "no"]
    kinds: dict[int, str] = {}
    amended: dict[int, str | None] = {}
    for kind, records, values in acts:
        for record in records:
            if kind == "reopen":
                kinds.pop(record, None)
                amended.pop(record, None)
                continue
            kinds[record] = kind
            if values:
                amended[record] = values["a"]
    rules = [
        {"kind": "trim-spaces", "id": "t", "columns": []},
        {"kind": "allowed-values", "id": "v", "columns": ["a"], "values": ["x", "y", "ß"]},
    ]
    folder = tmp_path_factory.mktemp("run") / "result"
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(runner, "SMALL", 0 if is_large else 10**9)
        snapshot = table({"a": cells})
        outcome = runner.run_rulebook(snapshot, opened(rules), folder, [made(*act) for act in acts])
    rows = pq.read_table(runner.result_parts(folder)).to_pylist()
    assert [row["__record"] for row in rows] == list(range(1, len(cells) + 1))
    for row, delivered in zip(rows, cells, strict=True):
        record = row["__record"]
        kind = kinds.get(record)
        value = amended.get(record, delivered)  # an amended "" is a text, not a missing value
        is_wrong = value not in ("x", "y", "ß", None) and kind != "discard"
        assert (row["__decision"], row["a"], bool(row["__reasons"])) == (kind, value, is_wrong)
        if kind == "discard":
            state = "removed"
        elif is_wrong and kind != "accept":
            state = "quarantined"
        else:
            state = "corrected" if record in amended else "ready"
        assert row["__state"] == state
    assert outcome.discarded == sum(kinds.get(record) == "discard" for record in range(1, len(cells) + 1))
