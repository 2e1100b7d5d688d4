"""Whatever is stored as a rule, the feed opens: forms saved as they open, rules broken in many ways, history and undo."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from conftest import RULES, Browser, do_work
from pravin_core.rules.registry import KINDS, describe
from pravin_server.rulebooks.models import Revision

Make = Callable[[str | None], Browser]
BOOK = "/feeds/samples/rulebook"
LISTS = (
    "columns",
    "new column",
    "tokens",
    "codes",
    "formats",
    "names",
    "several",
    "numbers",
    "bands",
    "sort keys",
    "measures",
)
MAYBE = ("bound", "whole", "number", "columns by")


def blank(kind: dict[str, Any]) -> dict[str, Any]:
    """A rule as the form of its kind opens, nothing typed."""
    rule: dict[str, Any] = {"kind": kind["kind"], "id": "fresh", "enabled": True, "note": ""}
    for name, field in kind["fields"].items():
        widget = field.get("widget", "text")
        if name in rule or widget == "none":
            continue
        nothing: Any = [] if widget in LISTS else None if widget in MAYBE else False if widget == "switch" else ""
        rule[name] = field["default"] if field.get("default") is not None else nothing
    return rule


def opens(browser: Browser, delivery: int) -> dict[str, Any]:
    """Everything of the feed that a page asks for; returns the rulebook."""
    book = browser("GET", BOOK, expect=200)
    rules = [rule["rule"] for rule in book["rules"]]
    for path in (
        "/feeds", "/feeds/samples", f"/deliveries/{delivery}", "/feeds/samples/revisions", f"/deliveries/{delivery}/findings",
        f"/deliveries/{delivery}/release", f"/deliveries/{delivery}/profile", f"/deliveries/{delivery}/records", "/library",
        f"/deliveries/{delivery}/quarantine", "/feeds/samples/rulebook.json", f"/deliveries/{delivery}/proposed-checks",
    ):  # fmt: skip
        answer = browser.client.get(f"/api{path}")
        assert answer.status_code in (200, 404, 409, 422), (path, answer.content)
    browser("POST", f"/deliveries/{delivery}/remarks", {"rules": rules}, expect=200)
    return book  # type: ignore[no-any-return]


def test_every_form_saved_as_it_opens_is_refused_or_kept_and_the_feed_opens(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    kept, refused = [], []
    for kind in describe():
        number = analyst("GET", BOOK)["revision"]["number"]
        answer = analyst("PUT", BOOK, {"based_on": number, "rules": [*RULES, blank(kind)]})
        after = opens(analyst, delivered)
        if "fresh" in [rule["rule"]["id"] for rule in after["rules"]]:
            kept.append(kind["kind"])
            assert all(rule["sentence"] for rule in after["rules"]), kind
            analyst("POST", f"{BOOK}/undo", {"based_on": number + 1}, expect=200)
        else:
            refused.append(kind["kind"])
            assert (answer["status"], after["revision"]["number"]) == (422, number), kind
            assert answer["detail"], kind
            assert "pydantic" not in str(answer), kind
        assert [rule["rule"]["id"] for rule in analyst("GET", BOOK)["rules"]] == [rule["id"] for rule in RULES], kind
    assert "remove-empty" in kept
    assert {"drop-columns", "columns-to-records", "required"} <= set(refused)
    assert len(kept) + len(refused) == len(KINDS)


BROKEN: list[Any] = [
    {"kind": "drop-columns", "id": "b", "columns": []},
    {"kind": "columns-to-records", "id": "b", "columns": []},
    {"kind": "no-such-kind", "id": "b"},
    {"kind": "trim-spaces", "id": "b", "colums": ["id"]},
    {"kind": "trim-spaces", "id": "trim"},
    {"kind": "trim-spaces"},
    {"id": "b", "columns": ["id"]},
    {"kind": "required", "id": "b", "columns": []},
    {"kind": "compute", "id": "b", "columns": ["x"], "formula": "((("},
    {"kind": "holds", "id": "b", "columns": ["ph"], "formula": ""},
    {"kind": "in-range", "id": "b", "columns": ["ph"], "low": [1, 2]},
    {"kind": "round-numbers", "id": "b", "columns": ["ph"], "places": "many"},
    {"kind": "matches-pattern", "id": "b", "columns": ["id"], "pattern": "("},
    {"kind": "required", "id": "not an id!", "columns": ["site"]},
    {"kind": ["required"], "id": "b"},
    {"kind": "required", "id": "b", "columns": ["site"], "consequence": "shout"},
    {"kind": "required", "id": "b", "columns": ["site"], "note": "x" * 5000},
    {"kind": "unusable", "id": "b", "stored": {"kind": "drop-columns", "id": "b"}, "problem": "x"},
    {"kind": "unusable", "id": "b", "stored": {"kind": "unusable", "stored": {}}},
    {},
    "a text",
    None,
    [1],
]


@pytest.mark.parametrize("at", [0, 6])
def test_a_rulebook_broken_where_it_is_stored_opens_and_other_rules_can_be_changed(
    browser: Make, delivered: int, at: int
) -> None:
    analyst = browser("ana")
    for broken in BROKEN:
        number = break_newest(broken, at)
        book = opens(analyst, delivered)
        rules = [rule["rule"] for rule in book["rules"]]
        unusable = [rule for rule in book["rules"] if rule["rule"]["kind"] == "unusable"]
        assert (len(rules), len(unusable)) == (len(RULES) + 1, 1), broken
        words = "".join(part["text"] for part in unusable[0]["sentence"])
        assert "cannot be used" in words, broken
        assert not any(
            word in words for word in ("pydantic", "validation error", "input_value", "type=", "Traceback")
        ), words
        more = [*rules, {"kind": "unique", "id": "u", "columns": ["id"]}]
        analyst("PUT", BOOK, {"based_on": number, "rules": more}, expect=200)
        repaired = [rule for rule in rules if rule["kind"] != "unusable"]
        analyst("PUT", BOOK, {"based_on": number + 1, "rules": repaired}, expect=200)
        analyst("GET", f"/feeds/samples/revisions/{number}/{number + 2}", expect=200)
        analyst("POST", f"{BOOK}/undo", {"based_on": number + 2}, expect=200)
        analyst("POST", f"{BOOK}/undo", {"based_on": number + 3}, expect=200)
        analyst("POST", f"{BOOK}/redo", {"based_on": number + 4}, expect=200)
        analyst("POST", f"{BOOK}/go-back", {"based_on": number + 5, "number": number}, expect=200)
        assert len(opens(analyst, delivered)["rules"]) == len(RULES) + 1, broken
        analyst("PUT", BOOK, {"based_on": number + 6, "rules": repaired}, expect=200)


def break_newest(broken: Any, at: int) -> int:
    """Put something in among the newest stored rules, past every check; returns the revision's number."""
    last = Revision.objects.first()
    assert last is not None
    last.rules = [*last.rules[:at], broken, *last.rules[at:]]
    last.save()
    return last.number


def test_a_rule_that_cannot_be_used_is_off_in_runs_and_holds_the_release(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    break_newest({"kind": "drop-columns", "id": "b", "columns": []}, 2)
    run = analyst("POST", f"/deliveries/{delivered}/runs", expect=201)
    do_work()
    assert analyst("GET", f"/jobs/{run['job']['id']}")["state"] == "done"
    proposal = analyst("GET", f"/deliveries/{delivered}/release", expect=200)
    gates = {gate["name"]: gate["evidence"] for gate in proposal["gates"] if not gate["met"]}
    assert list(gates) == ["Every rule can be used"]
    assert "rule 3 cannot be used" in gates["Every rule can be used"]
    assert proposal["balance"]["quarantined"] == 2


def test_a_rule_that_can_be_read_again_is_what_it_was(browser: Make, delivered: int) -> None:
    stored = {"kind": "required", "id": "again", "columns": ["id"]}
    break_newest({"kind": "unusable", "id": "again", "stored": stored, "problem": "an older version"}, 0)
    rules = [rule["rule"] for rule in browser("ana")("GET", BOOK, expect=200)["rules"]]
    assert [(r["kind"], r["enabled"]) for r in rules if r["id"] == "again"] == [("required", True)]
