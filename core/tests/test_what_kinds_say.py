"""What kinds say of themselves is true: whether they read types or repair text, and what their choices are called."""

from __future__ import annotations

import itertools
from typing import Any

import pytest
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import ColumnCorrection, Derivation, Rule
from pravin_core.rules.registry import KINDS, describe
from pravin_core.sql.trees import column
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

DESCRIBED = {item["kind"]: item for item in describe()}
CORRECTIONS = {name: kind for name, kind in KINDS.items() if issubclass(kind, ColumnCorrection)}


def made(kind: type[Rule]) -> list[Any]:
    """The rules of a kind's examples."""
    name = kind.model_fields["kind"].default
    return [kind.model_validate({"kind": name, "id": "x", **example.rule}) for example in kind.examples]


def types_of_text(rule: ColumnCorrection) -> set[DataType]:
    """The types that a rule makes of a column of text; none when it takes no text."""
    column_of_text = Column("a", DataType.TEXT)
    names = [*rule.columns, "a", "b", "c"]
    table = [Column(name, DataType.TEXT) for name in dict.fromkeys(names)]
    cell: exp.Expr = column("a")
    try:
        return {rule.correct_among(cell, column_of_text, table).type}
    except RulebookError:
        return set()


@pytest.mark.parametrize("name", sorted(CORRECTIONS))
def test_a_kind_reads_types_exactly_when_it_makes_other_values_of_text(name: str) -> None:
    kind = CORRECTIONS[name]
    result = set(itertools.chain.from_iterable(types_of_text(rule) for rule in made(kind)))
    if kind.reads_types:
        assert result
        assert DataType.TEXT not in result
    if kind.repairs_text:
        assert result == {DataType.TEXT}


@pytest.mark.parametrize("name", sorted(KINDS))
def test_a_kind_that_reads_types_repairs_no_text_and_only_corrections_of_columns_do_either(name: str) -> None:
    kind = KINDS[name]
    assert not (kind.reads_types and kind.repairs_text)
    if kind.reads_types or kind.repairs_text:
        assert issubclass(kind, ColumnCorrection)


def test_what_reads_numbers_dates_and_truth_says_so() -> None:
    assert {name for name, kind in KINDS.items() if kind.reads_types} == {"to-number", "to-date", "to-truth"}


@pytest.mark.parametrize("name", sorted(KINDS))
def test_labels_are_of_choices_that_there_are_and_tell_them_apart(name: str) -> None:
    for field, schema in DESCRIBED[name]["fields"].items():
        labels, choices = schema.get("labels", {}), schema.get("enum", [])
        if field == "kind" or not choices:
            continue
        called = [labels.get(choice, choice) for choice in choices]
        assert len(set(called)) == len(called), (field, called)
        assert all(item.strip() for item in called), (field, called)
        assert "_" not in "".join(called), (field, called)


@pytest.mark.parametrize("name", sorted(KINDS))
def test_every_condition_is_told_from_a_formula_that_computes(name: str) -> None:
    fields = {field: item for field, item in DESCRIBED[name]["fields"].items() if item.get("widget") == "formula"}
    assert all(each_field.get("condition") for field, each_field in fields.items() if field == "when")
    computing = {field for field, each_field in fields.items() if not each_field.get("condition")}
    assert not computing or issubclass(KINDS[name], Derivation | ColumnCorrection) or name == "summarise", computing


def test_the_description_tells_what_the_kind_says() -> None:
    for name, kind in KINDS.items():
        result = DESCRIBED[name]
        assert (result["reads_types"], result["repairs_text"], result["is_check"]) == (
            kind.reads_types, kind.repairs_text, kind.is_check,
        )  # fmt: skip
        assert result["title"] == kind.title
