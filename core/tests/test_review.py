"""Remarks on a rulebook, and how it is put together with the library."""

from __future__ import annotations

from typing import Any

import pytest
from test_rules import book

from pravin_core.errors import RulebookError
from pravin_core.rules.resolving import SharedRules, Shelf, parameters_of, resolved
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
    found = [one for one in review(book(*rules)) if one.rule == rule]
    assert [says in one.says for one in found] == [True]
    assert found[0].better_place == place


def test_nothing_is_said_of_a_sound_rulebook_and_of_rules_switched_off() -> None:
    sound = book(
        TRIM, SMALL, {"kind": "to-number", "columns": ["b"]}, {"kind": "in-range", "columns": ["b"], "low": "0"}
    )
    assert review(sound, {"r1": 3, "r2": 1, "r3": 2, "r4": 0}) == []
    assert [one.rule for one in review(sound, {"r1": 0, "r2": 1, "r3": 2})] == ["r1"]
    assert review(book(NUMBER, {**TRIM, "enabled": False})) == []


def test_code_lists_parameters_and_shared_rules_are_put_in() -> None:
    own = book(
        {"kind": "translate", "columns": ["a"], "code_list": "teams"},
        {"kind": "in-range", "columns": ["b"], "high": ":limit"},
        {"kind": "holds", "columns": ["b"], "formula": "b < :limit and c <> :word"},
    )
    assert parameters_of(own.rules[2]) == {"limit", "word"}
    shelf = Shelf({"teams": [("N", "North")]}, {"limit": "14", "word": "it's"})
    shared = [
        SharedRules("Tidy", "lab-*, sites", ({"kind": "trim-spaces", "columns": ["*_code", "a"]},)),
        SharedRules("None here", "lab-*", ({"kind": "trim-spaces", "columns": ["zz*"]},)),
    ]
    assert [group.meant_for("lab-results") for group in shared] == [True, True]
    assert not shared[0].meant_for("gauge")
    made = resolved(own, shelf, shared, ["a", "site_code"]).model_dump(mode="json")["rules"]
    assert [(rule["id"], rule["kind"]) for rule in made] == [
        ("Tidy-1", "trim-spaces"), ("r1", "translate"), ("r2", "in-range"), ("r3", "holds"),
    ]  # fmt: skip
    assert made[0]["columns"] == ["a", "site_code"]
    assert made[1]["codes"] == [{"code": "N", "meaning": "North"}]
    assert made[2]["high"] == "14"
    assert made[3]["formula"] == "b < 14 and c <> 'it''s'"
    with pytest.raises(RulebookError, match="no code list 'teams'"):
        resolved(own, Shelf())
