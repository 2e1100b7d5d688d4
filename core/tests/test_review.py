"""Remarks on a rulebook, and how it is put together with the library."""

from __future__ import annotations

from typing import Any

import pytest
from test_rules import book

from pravin_core.errors import RulebookError
from pravin_core.rules.resolving import LibrarySnapshot, Parameter, SharedRules, in_formula, parameters_of, resolved
from pravin_core.rules.review import review

TRIM = {"kind": "trim-spaces", "columns": ["a"]}
NUMBER = {"kind": "to-number", "columns": ["a"]}
SMALL = {"kind": "letter-case", "columns": ["a"], "letters": "small"}


@pytest.mark.parametrize(("rules", "rule", "says", "place"), [
    ([{"kind": "drop-columns", "columns": ["a"]}, TRIM], "r2", "which rule 1 drops", 1),
    ([{"kind": "rename-columns", "names": [{"code": "a", "meaning": "b"}]}, NUMBER], "r2", "renames to b", 1),
    ([{"kind": "split-column", "column": "a", "into": ["x"], "drop": True}, SMALL], "r2", "uses up", 1),
    ([NUMBER, TRIM], "r2", "has read a already", 1),
    ([{"kind": "trim-spaces"}, TRIM], "r2", "Rule 1 does the same already", 0),
    ([SMALL, {**SMALL, "letters": "capitals"}], "r2", "only the later one counts", 0),
    ([NUMBER, {"kind": "to-text", "columns": ["a"]}], "r2", "undoes rule 1", 0),
    ([SMALL, {"kind": "compute", "columns": ["a"], "formula": "b"}], "r1", "Rule 2 writes a anew", 0),
    ([{"kind": "add-column", "name": "n"}, {"kind": "drop-columns", "columns": ["n"]}], "r2", "drops what rule 1 made", 0),
])  # fmt: skip
def test_a_colleague_would_say(rules: list[dict[str, Any]], rule: str, says: str, place: int) -> None:
    results = [item for item in review(book(*rules)) if item.rule == rule]
    assert [says in item.says for item in results] == [True]
    assert results[0].better_place == place


def test_nothing_is_said_of_a_sound_rulebook_and_of_rules_switched_off() -> None:
    sound = book(
        TRIM, SMALL, {"kind": "to-number", "columns": ["b"]}, {"kind": "in-range", "columns": ["b"], "low": "0"}
    )
    assert review(sound, {"r1": 3, "r2": 1, "r3": 2, "r4": 0}) == []
    assert [item.rule for item in review(sound, {"r1": 0, "r2": 1, "r3": 2})] == ["r1"]
    assert review(book(NUMBER, {**TRIM, "enabled": False})) == []


def test_code_lists_parameters_and_shared_rules_are_put_in() -> None:
    own = book(
        {"kind": "translate", "columns": ["a"], "code_list": "teams"},
        {"kind": "in-range", "columns": ["b"], "high": ":limit"},
        {"kind": "holds", "columns": ["b"], "formula": "b < :limit and c <> :word"},
    )
    assert parameters_of(own.rules[2]) == {"limit", "word"}
    library = LibrarySnapshot(
        {"teams": [("N", "North")]}, {"limit": Parameter("14", "number"), "word": Parameter("it's")}
    )
    shared = [
        SharedRules("Tidy", "lab-*, sites", ({"kind": "trim-spaces", "columns": ["*_code", "a"]},)),
        SharedRules("None here", "lab-*", ({"kind": "trim-spaces", "columns": ["zz*"]},)),
    ]
    assert [group.meant_for("lab-results") for group in shared] == [True, True]
    assert not shared[0].meant_for("gauge")
    result = resolved(own, library, shared, ["a", "site_code"]).model_dump(mode="json")["rules"]
    assert [(rule["id"].partition("-")[0], rule["kind"]) for rule in result] == [
        ("Tidy", "trim-spaces"), ("r1", "translate"), ("r2", "in-range"), ("r3", "holds"),
    ]  # fmt: skip
    assert result[0]["columns"] == ["a", "site_code"]
    assert result[1]["codes"] == [{"code": "N", "meaning": "North"}]
    assert result[2]["high"] == "14"
    assert result[3]["formula"] == "b < 14 and c <> 'it''s'"
    with pytest.raises(RulebookError, match="no code list 'teams'"):
        resolved(own, LibrarySnapshot())


LIBRARY = LibrarySnapshot(
    parameters={
        "limit": Parameter("14", "number"), "low": Parameter("-2", "number"), "since": Parameter("2024-03-01", "date"), "zeros": Parameter("0042"),
    }
)  # fmt: skip


@pytest.mark.parametrize(("typed", "filled"), [
    ("ph < :limit", "ph < 14"), ("ph - :low", "ph - (-2)"), ("day >= :since", "day >= date '2024-03-01'"), ("site = :zeros", "site = '0042'"),
    ("note = ':limit'", "note = ':limit'"), ("note = 'it''s :limit' and ph < :limit", "note = 'it''s :limit' and ph < 14"),
    ('":limit" = 3', '":limit" = 3'), ("ph::limit", "ph::limit"), ("'a:limit'", "'a:limit'"), ("upper(note) = 'x:zeros y'", "upper(note) = 'x:zeros y'"),
])  # fmt: skip
def test_parameters_stand_in_formulas_but_never_in_texts(typed: str, filled: str) -> None:
    assert in_formula(typed, LIBRARY).text == filled


def test_a_parameter_that_is_not_there_is_an_error_wherever_it_stands() -> None:
    for rule in (
        {"kind": "fill", "columns": ["a"], "by_what": "value", "value": ":nowhere"},
        {"kind": "holds", "columns": ["a"], "formula": "a = :nowhere"},
        {"kind": "trim-spaces", "columns": ["a"], "when": "a = :nowhere"},
        {"kind": "missing-tokens", "columns": ["a"], "tokens": ["-", ":nowhere"]},
    ):
        with pytest.raises(RulebookError, match="no parameter “:nowhere”") as caught:
            resolved(book(rule), LIBRARY)
        assert "::nowhere" in caught.value.advice


def test_a_text_with_a_colon_is_meant_with_two() -> None:
    result = resolved(
        book({"kind": "replace-text", "columns": [":a"], "find": "::note", "replacement": "x: y"}), LIBRARY
    )
    own_result = result.model_dump()["rules"][0]
    assert (own_result["columns"], own_result["find"], own_result["replacement"]) == ((":a",), ":note", "x: y")


def test_a_value_that_does_not_fit_the_field_is_said() -> None:
    with pytest.raises(RulebookError, match=r"\w"):
        resolved(
            book({"kind": "in-range", "columns": ["a"], "high": ":zeros", "low": "100"}),
            LibrarySnapshot(parameters={"zeros": Parameter("high")}),
        )


@pytest.mark.parametrize(("part", "place"), [("nowhere", "nowhere"), ("14", ":limit"), ("+ 1", "+ 1")])
def test_places_in_a_filled_formula_are_those_of_the_typed_one(part: str, place: str) -> None:
    typed = "note = 'x' and ph < :limit + 1 and nowhere = :limit"
    filled = in_formula(typed, LIBRARY)
    at = filled.text.index(part)
    start, end = filled.place(at, at + len(part))
    assert typed[start:end] == place


def test_groups_with_names_alike_do_not_share_the_ids_of_their_rules() -> None:
    groups = [
        SharedRules(name, "*", ({"kind": "trim-spaces", "columns": ["a"]},))
        for name in ("Ä", "Ö", "x" * 30, "x" * 31, "a b", "a-b")
    ]
    result = resolved(book(), LibrarySnapshot(), groups, ["a"])
    assert len({rule.id for rule in result.rules}) == len(groups)
