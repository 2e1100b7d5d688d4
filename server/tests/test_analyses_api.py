"""Analyses through the API: relations, suitability, side by side, looking, bounds, a type said by hand, the document."""

from __future__ import annotations

import json
from collections.abc import Callable
from html.parser import HTMLParser
from typing import Any

import pytest

from conftest import Browser, do_work

Make = Callable[[str | None], Browser]
ROWS = [
    f"C-{i:04d},{i % 7},{7 + (i % 30) / 10:.1f},{70 + i % 30},{'yes' if i % 30 > 20 else 'no'},x" for i in range(300)
]
ROWS[5] = "C-0005,5,n/a,75,no,x"
FILE = "id,site,ph,ph_tenths,bloom,empty_<b>\n" + "\n".join(ROWS) + "\n"
DATA: dict[str, Any] = {}


@pytest.fixture
def analyst(browser: Make) -> Browser:
    """An analyst with a delivery of the feed `samples` read; its id is in DATA."""
    one = browser("ana")
    one("POST", "/feeds", {"name": "Samples"})
    DATA["id"] = one.upload("samples", month=FILE.encode())["id"]
    do_work()
    return one


def test_relations_show_what_is_unsuitable_and_the_rule_drops_it(analyst: Browser) -> None:
    at = f"/deliveries/{DATA['id']}"
    asked = analyst("POST", f"{at}/relations", {"target": "bloom"}, expect=200)
    assert asked["job"]["state"] == "waiting"
    assert analyst("POST", f"{at}/relations", {"target": "bloom"})["job"]["id"] == asked["job"]["id"]
    analyst("GET", f"/relations/{asked['id']}", expect=404)
    do_work()
    result = analyst("GET", f"/relations/{asked['id']}", expect=200)
    names = [column["name"] for column in result["columns"]]
    strength = {(names[pair["left"]], names[pair["right"]]): pair["strength"] for pair in result["pairs"]}
    assert strength["ph", "ph_tenths"] == 1
    assert {item["name"]: item["skill"] for item in result["foretold"]}["ph_tenths"] == 1
    assert analyst("POST", f"{at}/relations", {"target": "bloom"})["job"] is None
    analyst("POST", f"{at}/relations", {"target": "blossom"}, expect=422)

    analyst("PUT", f"{at}/suitability", {"columns": ["ph_tenths", "empty_<b>"], "why": "repeats ph"}, expect=200)
    analyst("PUT", f"{at}/suitability", {"columns": ["ph_tenths"], "why": "repeats ph"}, expect=200)
    rules = [rule["rule"] for rule in analyst("GET", "/feeds/samples/rulebook")["rules"]]
    assert [(rule["kind"], rule["columns"]) for rule in rules] == [("drop-columns", ["ph_tenths"])]
    analyst("POST", f"{at}/runs", expect=201)
    do_work()
    run = analyst("GET", at)["run"]
    page = analyst("GET", f"{at}/records?run={run['id']}&limit=1", expect=200)
    assert [column["name"] for column in page["columns"]] == ["id", "site", "ph", "bloom", "empty_<b>"]
    assert run["outcome"]["effects"][0]["columns"] == 1


def test_what_is_settled_about_suitability_is_kept_for_the_feed(analyst: Browser, browser: Make) -> None:
    viewer = browser("vic")
    at = f"/deliveries/{DATA['id']}/suitability"
    start = analyst("GET", at, expect=200)
    assert (start["target"], start["roles"], start["excluded"], start["at"]) == ("", {}, [], None)
    assert start["limits"] == {"missing": 0.6, "repeats": 0.98, "leaks": 0.98}
    settled = {
        "target": "bloom", "limits": {"missing": 0.4, "repeats": 0.9, "leaks": 1.0},
        "roles": {"site": "excluded", "ph": "input", "a column of last year": "excluded"},
    }  # fmt: skip
    analyst("PUT", at, settled | {"columns": ["site", "ph_tenths"], "why": "for bloom"}, expect=200)
    seen = viewer("GET", at, expect=200)
    assert {part: seen[part] for part in settled} == settled
    assert seen["excluded"] == ["site", "ph_tenths"]
    assert (bool(seen["by"]), bool(seen["at"])) == (True, True)

    analyst(
        "PUT", at, settled | {"roles": {}, "columns": [], "why": ""}, expect=200
    )  # the rule is gone, the settings stay
    assert analyst("GET", at)["excluded"] == []
    assert analyst("GET", at)["target"] == "bloom"
    viewer("PUT", at, settled | {"columns": ["site"]}, expect=403)
    assert analyst("GET", at)["roles"] == {}


@pytest.mark.parametrize(
    "wrong",
    [
        {"limits": {"missing": 1.2}}, {"limits": {"missing": "much"}}, {"roles": {"ph": "target"}}, {"roles": ["ph"]},
        {"target": ["ph"]}, {"columns": ["no such column"]}, {"target": "x" * 2001},
    ],
)  # fmt: skip
def test_what_cannot_be_settled_changes_nothing(analyst: Browser, wrong: dict[str, Any]) -> None:
    at = f"/deliveries/{DATA['id']}/suitability"
    answer = analyst("PUT", at, {"columns": ["site"]} | wrong, expect=422)
    assert answer["detail"]
    after = analyst("GET", at)
    assert (after["at"], after["excluded"]) == (None, [])


def test_side_by_side_and_the_document_of_it(analyst: Browser) -> None:
    at = f"/deliveries/{DATA['id']}"
    analyst("POST", f"{at}/comparisons", {}, expect=409)
    rules = [
        {"kind": "to-number", "id": "n", "columns": ["ph"]},
        {"kind": "drop-columns", "id": "d", "columns": ["site"]},
    ]
    analyst("PUT", "/feeds/samples/rulebook", {"based_on": 0, "rules": rules}, expect=200)
    analyst("POST", f"{at}/trials", expect=201)
    do_work()
    asked = analyst("POST", f"{at}/comparisons", {}, expect=200)
    do_work()
    results = {
        column["name"]: column for column in analyst("GET", f"/comparisons/{asked['id']}", expect=200)["columns"]
    }
    assert results["site"]["second"] is None
    assert results["bloom"]["stability"] == 0
    text = analyst.client.get(f"/api{at}/report.html?beside={asked['id']}").content.decode()
    assert "after the rules" in text
    assert "empty_&lt;b&gt;" in text
    assert "empty_<b>" not in text
    assert not outside(text)
    content = json.loads(analyst.client.get(f"/api{at}/report.json").content)
    assert content["profile"]["records"] == 300
    assert content["comparison"] is None
    assert {finding["kind"] for finding in content["findings"]} >= {"constant", "disguised missing"}

    later = analyst.upload("samples", later=FILE.replace(",yes,", ",no,").encode())["id"]
    do_work()
    other = analyst("POST", f"/deliveries/{later}/comparisons", {"other": DATA["id"]}, expect=200)
    do_work()
    columns = analyst("GET", f"/comparisons/{other['id']}", expect=200)["columns"]
    assert columns[0]["name"] == "bloom"
    analyst("POST", f"/deliveries/{later}/comparisons", {"other": 99_999}, expect=404)


def outside(text: str) -> list[str]:
    """Everything in a page that would be asked of another place."""
    met: list[str] = []

    class Look(HTMLParser):
        def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
            met.extend(f"{tag} {name}" for name, _ in attrs if name in ("src", "href") or tag in ("script", "link"))

    Look().feed(text)
    return met


def test_panels_bounds_and_a_type_said_by_hand(analyst: Browser) -> None:
    at = f"/deliveries/{DATA['id']}"
    chosen = {"on": "column", "name": "ph", "test": "within", "values": ["7", "7.5"]}
    body = {"panels": [{"name": "ph", "show": "bars", "chosen": chosen}, {"name": "site"}], "split": "bloom"}
    result = analyst("POST", f"{at}/cross-filter", body, expect=200)
    assert result["fitting"] == sum(7 <= 7 + (i % 30) / 10 < 7.5 and i != 5 for i in range(300))
    assert sum(bar["now"] for bar in result["panels"][1]["bars"]) == result["fitting"]
    analyst("POST", f"{at}/cross-filter", {"panels": [{"name": "nowhere"}]}, expect=422)

    proposed = {(item["column"], item["kind"]): item for item in analyst("GET", f"{at}/proposed-checks", expect=200)}
    keys = [("id", "unique"), ("ph_tenths", "in-range")]
    analyst("POST", f"{at}/proposed-checks", {"ids": [proposed[key]["id"] for key in keys]}, expect=200)
    again = {(item["column"], item["kind"]): item for item in analyst("GET", f"{at}/proposed-checks", expect=200)}
    assert [again[key]["present"] for key in keys] == [True, True]
    assert not again["id", "required"]["present"]

    column = analyst("PUT", f"{at}/profile/column", {"name": "site", "type": "text", "role": "identifier"}, expect=200)
    assert (column["type"], column["role"]) == ("text", "identifier")
    profile = {column["name"]: column for column in analyst("GET", f"{at}/profile")["columns"]}
    assert profile["site"]["role"] == "identifier"
    later = analyst.upload("samples", later=FILE.replace("C-", "D-").encode())["id"]
    do_work()
    profile = {column["name"]: column for column in analyst("GET", f"/deliveries/{later}/profile")["columns"]}
    assert (profile["site"]["type"], profile["site"]["role"]) == ("text", "identifier")
    analyst("PUT", f"/deliveries/{later}/profile/column", {"name": "site"}, expect=200)
    assert {column["name"]: column for column in analyst("GET", f"/deliveries/{later}/profile")["columns"]}["site"][
        "type"
    ] == "whole number"
