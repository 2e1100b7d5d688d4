"""A JSON list and JSON Lines of the same records read alike, wherever the pieces that are read at once end."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pravin_core.intake.formats import json_records
from pravin_core.intake.formats.json_records import _of_lines, _of_list

_values = st.one_of(
    st.none(), st.booleans(), st.integers(-99, 99), st.text(st.sampled_from('a"\\,]}[{é\u202e \t💧'), max_size=6)
)
_records = st.lists(st.dictionaries(st.sampled_from(["a", "b", "c"]), _values, max_size=3), min_size=1, max_size=12)
Pieces = Callable[[int], None]


@pytest.fixture
def outcomes(monkeypatch: pytest.MonkeyPatch) -> Pieces:
    """Lets a file be read so many bytes at a time."""
    return lambda size: monkeypatch.setattr(json_records, "CHUNK", 8 * size)


@settings(max_examples=200, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(records=_records, size=st.integers(1, 40), indent=st.sampled_from([None, 1]), ascii_only=st.booleans())
def test_a_list_reads_as_lines_do(
    records: list[dict[str, Any]], size: int, indent: int | None, ascii_only: bool, outcomes: Pieces, tmp_path: Path
) -> None:
    outcomes(size)
    listed, lines = tmp_path / "l.json", tmp_path / "l.jsonl"
    listed.write_text(json.dumps(records, indent=indent, ensure_ascii=ascii_only))
    lines.write_text("\n".join(json.dumps(record, ensure_ascii=ascii_only) for record in records))
    result = list(_of_list(listed, "utf-8", "l"))
    assert [item.value for item in result] == [line.value for line in _of_lines(lines, "utf-8")]
    assert [json.loads(item.text) for item in result] == records
    assert [item.line for item in result] == list(range(1, len(records) + 1))


@pytest.mark.parametrize("size", [1, 3, 7, 64])
@pytest.mark.parametrize(("text", "values", "reason"), [
    ('[{"a": 1}, {"a"', 1, "not JSON"), ('[{"a": 1}] x', 1, "after the end"),
    ('[{"a": 1, "a": 2}, {"a": 3}]', 1, "given twice"),
])  # fmt: skip
def test_what_is_broken_is_rejected_and_what_came_before_is_kept(
    size: int, text: str, values: int, reason: str, outcomes: Pieces, tmp_path: Path
) -> None:
    outcomes(size)
    path = tmp_path / "l.json"
    path.write_text(text)
    result = list(_of_list(path, "utf-8", "l"))
    assert [item.value is not None for item in result].count(True) == values
    assert any(reason in item.reason for item in result)
