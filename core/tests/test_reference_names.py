"""Reference tables are told apart by their whole names."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st
from test_rules import book

from pravin_core.compiler.plan import RunContext
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.reshaping import Reference
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.sql.statements import read_parquet
from pravin_core.tables.columns import Column
from pravin_core.tables.names import reference

ALIKE = [
    ("Lab codes", "Lab_codes"),
    ("Lab codes", "lab codes"),
    ("коды", "места"),
    ("A&B", "A/B"),
    ("x" * 70 + "1", "x" * 70 + "2"),
]


def one_column(folder: Path, name: str, value: str) -> Reference:
    path = folder / f"{value}.parquet"
    pq.write_table(pa.table({"__record": pa.array([1], pa.int64()), "code": [value]}), path)
    return Reference(read_parquet([path]), (Column("code"),), value, folder)


@pytest.mark.parametrize(("first", "second"), ALIKE)
def test_records_are_judged_against_the_table_that_is_named(
    first: str, second: str, table: Callable[..., Snapshot], tmp_path: Path
) -> None:
    references = {first: one_column(tmp_path, first, "N"), second: one_column(tmp_path, second, "S")}
    snapshot = table({"a": ["N", "S"], "b": ["N", "S"]})
    rules = book(
        {"kind": "in-reference", "columns": ["a"], "reference": first, "theirs": ["code"]},
        {"kind": "in-reference", "columns": ["b"], "reference": second, "theirs": ["code"]},
    )
    run_rulebook(snapshot, rules, tmp_path / "r", context=RunContext(references=references))
    rows = [row for part in result_parts(tmp_path / "r") for row in pq.read_table(part).to_pylist()]
    assert [[reason["name"] for reason in row["__reasons"]] for row in rows] == [["b"], ["a"]]


@given(st.text(max_size=80), st.text(max_size=80))
def test_two_names_never_make_one_step(one: str, other: str) -> None:
    assert (reference(one) == reference(other)) == (one == other)
