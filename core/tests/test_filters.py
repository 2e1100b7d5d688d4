"""Filters: what cannot be asked is refused in words; what can be asked is answered for every type of column."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from test_rules import book

from pravin_core.errors import FormulaError, PravinError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.filters import DEEPEST, FILTERS, make_filter, offered, read_filter
from pravin_core.records.filters.combination import Combination
from pravin_core.records.pages import Stage, find_records
from pravin_core.runs.runner import run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
CELLS: dict[str, list[str | None]] = {
    "ph": ["7.4", "12", None, "x", "-3"], "day": ["2024-03-01", "2024-03-02", "2024-13-01", "", "soon"], "note": ["a", "A ", "\t", "é", None],
}  # fmt: skip


def nested(depth: int) -> dict[str, Any]:
    return {"on": "any missing"} if depth == 1 else {"on": "all of", "of": [nested(depth - 1)]}


REFUSED = [
    ({"on": "column", "test": "is"}, "names the column"),
    ({"on": "column", "name": "ph", "test": "above", "value": "x"}, "“x” is neither"),
    ({"on": "column", "name": "ph", "test": "below", "value": ""}, "is neither"),
    ({"on": "column", "name": "ph", "test": "above", "value": "nan"}, "is neither"),
    ({"on": "column", "name": "ph", "test": "above", "value": "1e999"}, "is neither"),
    ({"on": "column", "name": "note", "test": "longer", "value": "many"}, "number of characters"),
    ({"on": "column", "name": "note", "test": "shorter", "value": "-1"}, "number of characters"),
    ({"on": "column", "name": "ph", "test": "between", "values": ["1"]}, "two numbers or two dates"),
    ({"on": "column", "name": "ph", "test": "within", "values": ["1", "x"]}, "two numbers or two dates"),
    ({"on": "column", "name": "ph", "test": "between", "values": []}, "two numbers or two dates"),
    ({"on": "column", "name": "day", "test": "dated", "value": "%Y-%m-%d", "values": ["2024-01-01"]}, "two dates"),
    ({"on": "column", "name": "day", "test": "dated", "value": "%Q", "values": ["2024-01-01", "2024-02-01"]}, "%Q"),
    ({"on": "column", "name": "note", "test": "matches", "value": "("}, "not closed"),
    ({"on": "column", "name": "note", "test": "matches", "value": "[a"}, "not closed"),
    ({"on": "column", "name": "note", "test": "matches", "value": "*a"}, "nothing stands before"),
    ({"on": "rule", "value": "x"}, "needs its number"),
    ({"on": "record", "value": "1.5"}, "needs its number"),
    ({"on": "record", "value": "9" * 30}, "needs its number"),
    ({"on": "records", "values": ["1", "two"]}, "“two” is not one"),
    ({"on": "state", "value": "shiny"}, "no state “shiny”"),
    ({"on": "any of", "of": [{"on": "rule", "value": "x"}]}, "needs its number"),
    (nested(DEEPEST + 1), "nested"),
]  # fmt: skip


@pytest.mark.parametrize(("wanted", "said"), REFUSED)
def test_a_filter_that_cannot_be_asked_is_refused_in_words(wanted: dict[str, Any], said: str) -> None:
    with pytest.raises(ValidationError) as caught:
        read_filter(wanted)
    assert said in caught.value.errors()[0]["msg"]


BEFORE = {"name": "", "test": "is", "value": "", "values": [], "of": []}


@pytest.mark.parametrize(
    "wanted",
    [
        {"on": "state", "value": "ready"}, {"on": "records", "values": ["1"]}, {"on": "any missing"}, {"on": "repeated"},
        {"on": "column", "name": "ph", "test": "missing"}, {"on": "column", "name": "ph", "value": "7.4"},
        {"on": "none of", "of": [{**BEFORE, "on": "text", "value": "x"}]},
    ],
)  # fmt: skip
def test_a_filter_stored_with_the_empty_parts_of_all_others_is_the_same_filter(wanted: dict[str, Any]) -> None:
    assert read_filter({**BEFORE, **wanted}) == read_filter(wanted)


@pytest.mark.parametrize(
    "wanted",
    [
        {"on": "state", "value": "ready", "values": ["1"]}, {"on": "any missing", "value": "x"}, {"on": "nowhere"}, {"value": "x"},
        {"on": "column", "name": "ph", "test": "missing", "value": "x"}, {"on": "column", "name": "ph", "test": "smells"}, [], "x", None,
    ],
)  # fmt: skip
def test_what_no_kind_of_filter_has_is_refused(wanted: Any) -> None:
    with pytest.raises(ValidationError):
        read_filter(wanted)


def test_a_form_offers_tests_that_can_be_asked(table: Table, tmp_path: Path) -> None:
    stage, asked = Stage(table(CELLS)), {"text": "a", "number or date": "7", "number": "3"}
    assert [item["test"] for item in offered()][:2] == ["is", "is not"]
    for item in offered():
        more = {"value": asked[item["takes"]]} if item["takes"] != "nothing" else {}
        filter_ = make_filter("column", name="ph", test=item["test"], **more)
        assert len(find_records(stage, [filter_], None, False, tmp_path / "s")) <= 5, item


@pytest.mark.parametrize(
    "wanted",
    [
        {"on": "state", "value": "ready"},
        {"on": "rule", "value": "1"},
        {"on": "none of", "of": [{"on": "state", "value": "ready"}]},
    ],
)
def test_what_only_a_run_can_tell_is_said_before_there_is_one(
    wanted: dict[str, Any], table: Table, tmp_path: Path
) -> None:
    with pytest.raises(PravinError, match="only a run can tell"):
        find_records(Stage(table(CELLS)), [read_filter(wanted)], None, False, tmp_path / "s")


def test_a_column_that_is_not_there_is_said(table: Table, tmp_path: Path) -> None:
    with pytest.raises(PravinError, match="no column 'gone'"):
        find_records(
            Stage(table(CELLS)),
            [make_filter("any of", of=(make_filter("column", name="gone"),))],
            None,
            False,
            tmp_path / "s",
        )


_texts = st.one_of(
    st.text(max_size=8),
    st.sampled_from(["1", "-2.5", "2024-03-01", "2024-03-01T10:00", "%Y-%m-%d", "a|b", "ready", "(", "1e5", "٣"]),
)
_PARTS = {
    "value": _texts,
    "values": st.lists(_texts, max_size=3),
    "name": st.sampled_from(sorted(CELLS)),
    "phrase": _texts,
    "seen": _texts,
}


def _of_kind(tag: str) -> st.SearchStrategy[dict[str, Any]]:
    """Any filter of a kind, with the parts that the kind has."""
    on, _, test = tag.partition(": ")
    parts = {name: _PARTS[name] for name in FILTERS[tag].model_fields if name in _PARTS}
    fields = {"on": st.just(on), **({"test": st.just(test)} if test else {})}
    return st.fixed_dictionaries({**fields, **parts})


_plain = st.one_of([_of_kind(tag) for tag, kind in FILTERS.items() if not issubclass(kind, Combination)])
_filters = st.recursive(
    _plain,
    lambda inner: st.fixed_dictionaries(
        {"on": st.sampled_from(["all of", "any of", "none of"]), "of": st.lists(inner, max_size=3)}
    ),
    max_leaves=4,
)


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(wanted=_filters, of_run=st.booleans(), sort=st.sampled_from([None, "ph", "day"]))
def test_any_filter_is_refused_or_answered(
    wanted: dict[str, Any], of_run: bool, sort: str | None, stages: tuple[Stage, Stage]
) -> None:
    try:
        filter_ = read_filter(wanted)
    except ValidationError:
        return
    stage = stages[of_run]
    if not of_run and filter_.needs_run():
        with pytest.raises(PravinError, match="only a run can tell"):
            find_records(stage, [filter_], sort, False, stage.snapshot.folder / "s")
        return
    if unknown := filter_.names() - set(stage.types):
        with pytest.raises(PravinError, match="There is no column"):
            find_records(stage, [filter_], sort, False, stage.snapshot.folder / "s")
        assert unknown
        return
    try:
        records = find_records(stage, [filter_], sort, False, stage.snapshot.folder / "s")
    except FormulaError:  # it reads, but gives no yes or no over these columns
        assert filter_.uses_operations()
        return
    assert set(records.tolist()) <= {1, 2, 3, 4, 5}
    if filter_.on != "none of":
        other = find_records(stage, [make_filter("none of", of=(filter_,))], None, False, stage.snapshot.folder / "s")
        assert sorted([*records.tolist(), *other.tolist()]) == [1, 2, 3, 4, 5]


@pytest.fixture
def stages(table: Table, tmp_path: Path) -> tuple[Stage, Stage]:
    """The records as delivered, and as a run left them."""
    snapshot = table(CELLS)
    rules = book(
        {"kind": "to-number", "columns": ["ph"], "unconverted": "missing"},
        {"kind": "to-date", "columns": ["day"], "formats": ["%Y-%m-%d"], "unconverted": "missing"},
        {"kind": "in-range", "columns": ["ph"], "low": "0"},
    )
    outcome = run_rulebook(snapshot, rules, tmp_path / "r")
    return Stage(snapshot), Stage(snapshot, tmp_path / "r", outcome, rules)


def test_filters_may_be_nested_to_the_limit_an_empty_combination_at_the_bottom() -> None:
    expected: dict[str, Any] = {"on": "all of", "of": []}
    for _ in range(DEEPEST - 1):
        expected = {"on": "any of", "of": [expected]}
    assert read_filter(expected).depth() == DEEPEST
    with pytest.raises(ValidationError, match="nested"):
        read_filter({"on": "none of", "of": [expected]})


def test_a_filter_does_not_change_once_it_is_made() -> None:
    filter_ = make_filter("state", value="ready")
    with pytest.raises(ValidationError):
        filter_.value = "removed"  # type: ignore[attr-defined]
    assert filter_ == make_filter("state", value="ready")
