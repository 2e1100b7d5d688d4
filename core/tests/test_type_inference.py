"""What a column seems to be, from the counts of its kinds; what part it plays, from its name, values and shapes."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pravin_core.profiling.model import TextStatistics, ValueCount
from pravin_core.profiling.type_inference import (
    FITTING,
    looks_like_identifier,
    nothing_as_category,
    propose_role,
    propose_type,
)
from pravin_core.tables.types import DataType, Role

WHOLE, DECIMAL, DATE, MOMENT, TRUTH, TEXT = (
    DataType.WHOLE, DataType.DECIMAL, DataType.DATE, DataType.DATETIME, DataType.BOOLEAN, DataType.TEXT,
)  # fmt: skip


def counted(**values: int) -> tuple[ValueCount, ...]:
    return tuple(ValueCount(value=value, count=count) for value, count in values.items())


# cells by kind, cells written with a mark, the type, and how many cells fit it
TYPES: list[tuple[dict[str, int], int, DataType, int]] = [
    ({}, 0, TEXT, 0),
    ({"missing": 90, "missing token": 10}, 0, TEXT, 0),
    ({"whole number": 100}, 0, WHOLE, 100),
    ({"whole number": 90, "text": 10}, 0, WHOLE, 90),
    ({"whole number": 89, "text": 11}, 0, TEXT, 100),
    ({"whole number": 9, "missing": 900, "text": 1}, 0, WHOLE, 9),  # missing cells tell nothing
    ({"whole number": 98, "decimal": 2}, 0, WHOLE, 98),
    ({"whole number": 97, "decimal": 3}, 0, DECIMAL, 100),
    ({"decimal": 50, "decimal comma": 45, "text": 5}, 0, DECIMAL, 95),
    ({"decimal": 60, "text": 40}, 0, TEXT, 100),
    ({"decimal": 60, "text": 40}, 35, DECIMAL, 60),  # 35 are numbers with a unit
    ({"decimal": 60, "text": 40}, 29, TEXT, 100),
    ({"decimal": 49, "text": 51}, 51, TEXT, 100),  # marked numbers are the most
    ({"date": 80, "text": 20}, 0, DATE, 80),
    ({"date": 79, "text": 21}, 0, TEXT, 100),
    ({"date": 70, "date-time": 20, "text": 10}, 0, MOMENT, 90),
    ({"date-time": 80, "whole number": 20}, 0, MOMENT, 80),
    ({"true/false": 90, "text": 10}, 0, TRUTH, 90),
    ({"true/false": 89, "text": 11}, 0, TEXT, 100),
]


@pytest.mark.parametrize(("kinds", "marked", "data_type", "fits"), TYPES)
def test_the_type_that_most_cells_have(kinds: dict[str, int], marked: int, data_type: DataType, fits: int) -> None:
    assert propose_type(kinds, (), lambda: marked) == (data_type, fits)


@pytest.mark.parametrize(("values", "data_type"), [
    (counted(**{"0042": 6, "1007": 94}), TEXT),  # more than one in twenty begins with a zero: they name something
    (counted(**{"0042": 5, "1007": 95}), WHOLE),
    (counted(**{"0": 60, "7": 40}), WHOLE),
    (counted(**{"00": 60, "17": 40}), TEXT),
])  # fmt: skip
def test_leading_zeros_make_numbers_text(values: tuple[ValueCount, ...], data_type: DataType) -> None:
    assert propose_type({"whole number": 100}, values)[0] is data_type


KINDS = st.dictionaries(
    st.sampled_from(["missing", "missing token", "whole number", "decimal", "decimal comma", "date", "date-time", "true/false", "text"]),
    st.integers(0, 500),
)  # fmt: skip


@given(kinds=KINDS, times=st.integers(2, 50))
def test_the_type_depends_on_shares_only_and_fits_are_its_cells(kinds: dict[str, int], times: int) -> None:
    data_type, fits = propose_type(kinds, ())
    more, as_many = propose_type({kind: n * times for kind, n in kinds.items()}, ())
    assert (more, as_many) == (data_type, fits * times)
    present = sum(n for kind, n in kinds.items() if kind not in ("missing", "missing token"))
    assert 0 <= fits <= present
    if data_type in FITTING and data_type is not WHOLE:
        assert fits == sum(kinds.get(kind, 0) for kind in FITTING[data_type])


def texts(words: float = 1.0, length: float = 6.0) -> TextStatistics:
    known: dict[str, Any] = dict.fromkeys(TextStatistics.model_fields, 1)
    return TextStatistics.model_construct(**known | {"mean_words": words, "mean_length": length})


CODED, WORDS = counted(**{"AA-999": 90}), counted(Aaaaa=60)
ROLES: list[tuple[str, DataType, int, int, tuple[ValueCount, ...], TextStatistics | None, Role]] = [
    ("sampled", DATE, 100, 90, (), None, Role.TIME),
    ("sampled", MOMENT, 100, 90, (), None, Role.TIME),
    ("flag", TRUTH, 100, 2, (), None, Role.FLAG),
    ("sample_id", DECIMAL, 100, 90, (), None, Role.QUANTITY),
    ("sample_id", WHOLE, 100, 90, (), None, Role.IDENTIFIER),
    ("count", WHOLE, 100, 90, (), None, Role.QUANTITY),
    ("count", WHOLE, 100, 2, (), None, Role.FLAG),
    ("count", WHOLE, 20, 2, (), None, Role.QUANTITY),  # too few to tell
    ("anything", TEXT, 100, 3, (), None, Role.CATEGORY),
    ("started", TEXT, 100, 60, counted(**{"99:99": 51}), texts(), Role.TIME),
    ("started", TEXT, 100, 20, counted(**{"99:99": 50}), texts(), Role.CATEGORY),
    ("site_code", TEXT, 100, 20, WORDS, texts(1.4), Role.IDENTIFIER),
    ("site_code", TEXT, 100, 20, WORDS, texts(1.5), Role.CATEGORY),  # of several words: no code
    ("remark", TEXT, 100, 20, WORDS, texts(3.1), Role.FREE_TEXT),
    ("remark", TEXT, 100, 20, WORDS, texts(1.0, 41.0), Role.FREE_TEXT),
    ("sample", TEXT, 100, 51, CODED, texts(), Role.IDENTIFIER),
    ("sample", TEXT, 100, 30, CODED, texts(), Role.CATEGORY),
    ("town", TEXT, 100, 30, WORDS, texts(), Role.CATEGORY),
    ("town", TEXT, 100, 31, WORDS, texts(), Role.FREE_TEXT),
    ("town", TEXT, 1000, 200, WORDS, texts(), Role.CATEGORY),
    ("town", TEXT, 1000, 201, WORDS, texts(), Role.FREE_TEXT),
]


@pytest.mark.parametrize(("name", "data_type", "present", "distinct", "shapes", "text", "role"), ROLES)
def test_the_part_that_a_column_plays(
    name: str, data_type: DataType, present: int, distinct: int, shapes: tuple[ValueCount, ...],
    text: TextStatistics | None, role: Role,
) -> None:  # fmt: skip
    assert propose_role(name, data_type, present, distinct, shapes, text) is role


@pytest.mark.parametrize(("name", "is_one"), [
    ("id", True), ("sample_id", True), ("SampleId", True), ("site code", True), ("lab-ref", True), ("siteCode", True), ("uuid", True),
    ("identity", False), ("paid", False), ("codex", False), ("monkey", False), ("no", True), ("volcano", False), ("humid", False),
])  # fmt: skip
def test_names_of_identifiers(name: str, is_one: bool) -> None:
    assert looks_like_identifier(name) is is_one


@pytest.mark.parametrize(("values", "distinct", "meant"), [
    (counted(none=10, mild=45, severe=45), 3, ["none"]),
    (counted(none=9, mild=45, severe=46), 3, []),
    (counted(None_=50, mild=50), 2, []),
    (counted(Nothing=50, mild=25, severe=25), 3, ["Nothing"]),
    (counted(none=5, keine=5, mild=45, severe=45), 4, ["none", "keine"]),
    (counted(none=50, mild=25, severe=25), 31, []),
    (counted(none=90, mild=10), 2, []),  # one other value tells nothing
    ((), 0, []),
])  # fmt: skip
def test_words_for_nothing_that_are_an_answer(values: tuple[ValueCount, ...], distinct: int, meant: list[str]) -> None:
    assert [value.value for value in nothing_as_category(values, distinct)] == meant
