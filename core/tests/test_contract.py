"""Contracts of released tables: what breaks them, and that one proposed from records is kept by them."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from pravin_core.releases.contract import Breach, Contract, ContractColumn, judge, propose
from pravin_core.tables.types import DataType

TYPES = {
    "text": pa.string(),
    "whole number": pa.int64(),
    "decimal": pa.float64(),
    "date": pa.date32(),
    "exact decimal": pa.decimal128(38, 10),
}


def result(
    folder: Path, cells: dict[str, tuple[str, list[Any]]], states: list[str] | None = None
) -> tuple[list[Path], list[tuple[str, str]]]:
    """A run's result with columns of types, and its columns."""
    n = len(next(iter(cells.values()))[1])
    table = {
        "__record": pa.array(range(1, n + 1), pa.int64()),
        "__state": pa.array(states or ["ready"] * n, pa.string()),
    }
    pq.write_table(
        pa.table({**table, **{name: pa.array(v, TYPES[kind]) for name, (kind, v) in cells.items()}}),
        folder / "part-0000.parquet",
    )
    return [folder / "part-0000.parquet"], [(name, kind) for name, (kind, _) in cells.items()]


def breaches(
    tmp_path: Path, columns: list[dict[str, Any]], cells: dict[str, tuple[str, list[Any]]], masked: tuple[str, ...] = ()
) -> list[Breach]:
    files, known = result(tmp_path, cells)
    return judge(Contract.model_validate({"columns": columns}), files, known, masked, tmp_path / "scratch")


@pytest.mark.parametrize(
    ("asked", "cells", "expected"),
    [
        ({"type": "text"}, ("text", ["a", None, ""]), []),
        ({"type": "text", "required": True}, ("text", ["a", None, "", " "]), [Breach("c", "is missing", 2, (2, 3))]),
        ({"type": "text", "length": 3}, ("text", ["äöü", "abcd", None]), [Breach("c", "is longer than 3 characters", 1, (2,))]),
        ({"type": "text", "allowed": ["a", "b'c"]}, ("text", ["a", "b'c", "A", None, ""]), [Breach("c", "is none of the values allowed", 1, (3,))]),
        ({"type": "whole number", "allowed": ["1", "2"]}, ("whole number", [1, 2, 3, None]), [Breach("c", "is none of the values allowed", 1, (3,))]),
        ({"type": "text"}, ("whole number", [1]), []),
        ({"type": "decimal"}, ("whole number", [1]), []),
        ({"type": "whole number"}, ("decimal", [1.0]), [Breach("c", "goes out as decimal; the contract says whole number")]),
        ({"type": "date"}, ("text", ["2026-01-01"]), [Breach("c", "goes out as text; the contract says date")]),
        ({"type": "date-time"}, ("date", [dt.date(2026, 1, 1)]), []),
        ({"type": "decimal", "digits": 5, "decimals": 2}, ("decimal", [999.99, -999.99, 0.5, 1000.0, None]),
         [Breach("c", "has more than 3 digits before the point", 1, (4,))]),
        ({"type": "decimal", "digits": 5, "decimals": 2}, ("decimal", [1.25, 1.255, -0.001]), [Breach("c", "has more than 2 decimals", 2, (2, 3))]),
        ({"type": "text", "masked": True}, ("text", ["a"]), [Breach("c", "must be masked, and no rule masks it")]),
        ({"type": "text", "key": True}, ("text", ["a", "b", "a", None]),
         [Breach("c", "is missing", 1, (4,)), Breach("c", "is the key, and more than one record has it", 2, (1, 3))]),
    ],
)  # fmt: skip
def test_what_breaks_a_contract(tmp_path: Path, asked: dict[str, Any], cells: Any, expected: list[Breach]) -> None:
    assert breaches(tmp_path, [{"name": "c", **asked}], {"c": cells}) == expected


def test_columns_that_lack_or_are_not_agreed(tmp_path: Path) -> None:
    found = breaches(
        tmp_path,
        [{"name": "a", "type": "text"}, {"name": "gone", "type": "date", "required": True}],
        {"a": ("text", ["x"]), "new": ("text", ["y"])},
    )
    assert found == [Breach("new", "is not in the contract"), Breach("gone", "is not there")]


def test_a_masked_column_and_no_contract(tmp_path: Path) -> None:
    cells = {"mail": ("text", ["x"])}
    assert breaches(tmp_path, [{"name": "mail", "type": "text", "masked": True}], cells, ("mail",)) == []
    assert breaches(tmp_path, [], cells) == []


def test_only_ready_records_are_judged(tmp_path: Path) -> None:
    files, columns = result(tmp_path, {"c": ("text", [None] * 4)}, ["ready", "corrected", "quarantined", "removed"])
    contract = Contract(columns=(ContractColumn(name="c", type=DataType.TEXT, required=True),))
    assert judge(contract, files, columns, (), tmp_path / "s") == [Breach("c", "is missing", 2, (1, 2))]


@pytest.mark.parametrize(
    "wrong",
    [
        {"type": "date", "length": 4}, {"type": "text", "digits": 4, "decimals": 2}, {"type": "decimal", "digits": 4},
        {"type": "decimal", "digits": 2, "decimals": 4}, {"type": "decimal", "decimals": 4}, {"type": "text", "length": 0}, {"type": "number"},
        {"type": "text", "colour": "red"},
    ],
)  # fmt: skip
def test_what_no_column_can_be(wrong: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        ContractColumn.model_validate({"name": "c", **wrong})


def test_a_name_stands_once() -> None:
    with pytest.raises(ValidationError, match="twice"):
        Contract.model_validate({"columns": [{"name": "c", "type": "text"}, {"name": "c", "type": "date"}]})


@settings(max_examples=30)
@given(
    texts=st.lists(st.one_of(st.none(), st.text(max_size=5)), min_size=1, max_size=8),
    numbers=st.lists(st.one_of(st.none(), st.integers(-9, 9)), min_size=8, max_size=8),
)
def test_records_keep_the_contract_proposed_from_them(
    tmp_path_factory: pytest.TempPathFactory, texts: list[Any], numbers: list[Any]
) -> None:
    folder, n = tmp_path_factory.mktemp("proposed"), len(texts)
    files, columns = result(
        folder, {"t": ("text", texts), "n": ("whole number", numbers[:n]), "id": ("whole number", list(range(n)))}
    )
    proposed = propose(files, columns, ["id"], ["t"], folder / "s")
    assert judge(proposed, files, columns, (), folder / "s") == []
    by_name = {each.name: each for each in proposed.columns}
    assert by_name["t"].required == all(text not in (None, "") for text in texts)
    assert (by_name["t"].personal, by_name["id"].key, by_name["id"].example, by_name["id"].type) == (
        True,
        True,
        "0",
        DataType.WHOLE,
    )
