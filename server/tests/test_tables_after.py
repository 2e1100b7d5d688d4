"""The table as the rules leave it: profile, findings, variants, looking, relations, records and report of it."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from typing import Any
from urllib.parse import quote

import pytest
from django.conf import settings

from conftest import Browser, do_work
from pravin_server.runs.models import TableAfter
from pravin_server.runs.tables_after import KEPT

Make = Callable[[str | None], Browser]
KINDS = ["reeds; ducks", "reeds;Ducks", "ducks; mud", "mud", "Reeds ; mud", "n/a"]
FILE = "id,seen,ph\n" + "".join(f"W-{i:03d},{KINDS[i % 6]},{'x' if i == 7 else 7 + i % 9 / 10}\n" for i in range(120))
RULES: list[dict[str, Any]] = [
    {"kind": "missing-tokens", "id": "tokens", "columns": ["seen"], "tokens": ["n/a"]},
    {"kind": "break-cells", "id": "split", "column": "seen", "mark": ";"},
    {"kind": "trim-spaces", "id": "trim", "columns": ["seen"]},
    {"kind": "of-type", "id": "number", "columns": ["ph"], "type": "decimal"},
]
DATA: dict[str, Any] = {}


@pytest.fixture
def analyst(browser: Make) -> Browser:
    """An analyst with a delivery read and a rulebook; where they are is in DATA."""
    one = browser("ana")
    one("POST", "/feeds", {"name": "Samples"})
    DATA["at"] = f"/deliveries/{one.upload('samples', month=FILE.encode())['id']}"
    do_work()
    return one


def with_rules(analyst: Browser, rules: list[dict[str, Any]]) -> None:
    based = analyst("GET", "/feeds/samples/rulebook", expect=200)["revision"]["number"]
    analyst("PUT", "/feeds/samples/rulebook", {"based_on": based, "rules": rules}, expect=200)


def table(analyst: Browser, rule: str = "") -> dict[str, Any]:
    """The table after a rule, made and profiled."""
    asked = analyst("POST", f"{DATA['at']}/tables-after", {"rule": rule}, expect=200)
    do_work()
    result: dict[str, Any] = analyst("GET", f"{DATA['at']}/tables-after/{asked['id']}", expect=200)
    return result


def column(found: dict[str, Any], name: str) -> dict[str, Any]:
    return next(item for item in found["profile"]["columns"] if item["name"] == name)


def spelled(found: dict[str, Any], name: str) -> dict[str, int]:
    return {item["value"]: item["count"] for item in column(found, name)["values"]}


def test_each_rule_leaves_a_table_of_its_own(analyst: Browser) -> None:
    with_rules(analyst, RULES)
    first, split, end = table(analyst, "tokens"), table(analyst, "split"), table(analyst)
    assert [item["place"] for item in (first, split, end)] == [1, 2, 4]
    assert (first["profile"]["records"], column(first, "seen")["missing"]) == (120, 20)
    # reeds; ducks | reeds;Ducks | ducks; mud | mud | Reeds ; mud | (missing), 20 times each
    assert split["profile"]["records"] == 20 * (2 + 2 + 2 + 1 + 2 + 1)
    assert set(spelled(split, "seen")) == {"reeds", "ducks", "Ducks", "mud", "Reeds"}
    kept = end["quarantined"]
    assert kept == 2  # record 8, of which there are two now
    assert end["profile"]["records"] == 200 - kept
    assert spelled(end, "seen") == {"mud": 60, "ducks": 40, "reeds": 39, "Ducks": 19, "Reeds": 20}
    assert column(end, "ph")["misfits"] == 0


def test_what_is_made_there_stands_behind_the_rule_and_treats_what_it_left(analyst: Browser) -> None:
    with_rules(analyst, RULES)
    table_ = table(analyst, "trim")
    at, id_ = DATA["at"], table_["id"]
    [reeds, ducks] = sorted(
        analyst("GET", f"{at}/variants?column=seen&method=spelling&table={id_}", expect=200)["groups"],
        key=lambda group: -len(group["preferred"]),
    )
    assert {reeds["preferred"], ducks["preferred"]} == {"reeds", "ducks"}
    codes = [{"code": "Reeds", "meaning": "reeds"}, {"code": "Ducks", "meaning": "ducks"}]
    analyst("POST", f"{at}/variants", {"column": "seen", "codes": codes, "table": id_}, expect=200)
    rules = [item["rule"]["kind"] for item in analyst("GET", "/feeds/samples/rulebook")["rules"]]
    assert rules == ["missing-tokens", "break-cells", "trim-spaces", "translate", "of-type"]
    assert set(spelled(table(analyst), "seen")) == {"reeds", "ducks", "mud"}


def test_a_finding_of_what_is_left_is_accepted_behind_the_rule(analyst: Browser) -> None:
    with_rules(analyst, RULES[:2])
    table_ = table(analyst, "split")
    at, id_ = DATA["at"], table_["id"]
    findings = {item["finding"]["kind"]: item for item in analyst("GET", f"{at}/findings?table={id_}", expect=200)}
    variants = findings["spelling variants"]
    assert (variants["state"], variants["finding"]["count"]) == ("open", 40)
    door = quote(json.dumps(variants["finding"]["filters"]))
    page = analyst("GET", f"{at}/records?table={id_}&limit=2&where={door}", expect=200)
    assert page["total"] == 40
    ids = [variants["finding"]["id"]]
    assert (
        analyst("POST", f"{at}/findings/accept", {"ids": ids})["status"] == 404
    )  # the delivered table has no such finding
    analyst("POST", f"{at}/findings/accept", {"ids": ids, "table": id_}, expect=200)
    again = {item["finding"]["kind"]: item for item in analyst("GET", f"{at}/findings?table={id_}", expect=200)}
    assert again["spelling variants"]["state"] == "accepted"
    assert [item["rule"]["kind"] for item in analyst("GET", "/feeds/samples/rulebook")["rules"]] == [
        "missing-tokens", "break-cells", "translate",
    ]  # fmt: skip
    assert set(spelled(table(analyst), "seen")) == {"reeds", "ducks", "mud"}
    analyst("POST", f"{at}/findings/reopen", {"ids": ids, "table": id_}, expect=204)
    assert len(analyst("GET", "/feeds/samples/rulebook")["rules"]) == 2


def test_all_views_look_at_the_table_that_is_asked_for(analyst: Browser) -> None:
    with_rules(analyst, RULES)
    at, id_ = DATA["at"], table(analyst)["id"]
    panels = {"panels": [{"name": "seen"}], "table": id_}
    looked = analyst("POST", f"{at}/cross-filter", panels, expect=200)
    delivered = analyst("POST", f"{at}/cross-filter", {"panels": [{"name": "seen"}]}, expect=200)
    assert (looked["records"], delivered["records"]) == (198, 120)
    asked = analyst("POST", f"{at}/relations", {"target": "seen", "table": id_}, expect=200)
    other = analyst("POST", f"{at}/relations", {"target": "seen"}, expect=200)
    assert asked["id"] != other["id"]
    do_work()
    assert analyst("GET", f"/relations/{asked['id']}", expect=200)["records"] == 198
    assert analyst("GET", f"/relations/{other['id']}", expect=200)["records"] == 120
    page = analyst("GET", f"{at}/records?table={id_}&limit=5", expect=200)
    assert (page["total"], page["files"]) == (198, ["month.txt"])
    report = analyst("GET", f"{at}/report.json?table={id_}", expect=200)
    assert (report["profile"]["records"], report["after"]) == (198, 4)
    assert (
        "as the rules up to rule 4 leave them"
        in analyst("GET", f"{at}/report.html?table={id_}", expect=200).content.decode()
    )


def test_a_rule_that_is_gone_and_a_table_of_another_delivery_are_not_found(analyst: Browser) -> None:
    with_rules(analyst, RULES)
    id_ = table(analyst, "trim")["id"]
    at = DATA["at"]
    with_rules(analyst, RULES[:1])
    assert analyst("POST", f"{at}/tables-after", {"rule": "trim"})["status"] == 404
    second = f"/deliveries/{analyst.upload('samples', other=FILE.replace('W-', 'V-').encode())['id']}"
    do_work()
    for path in ("records?", "findings?", "variants?column=seen&", "report.json?"):
        assert analyst("GET", f"{second}/{path}table={id_}")["status"] == 404, path
    assert analyst("POST", f"{second}/cross-filter", {"panels": [], "table": id_})["status"] == 404
    assert analyst("GET", f"{at}/records?table={id_}", expect=200)["total"] == 200  # what was made stays


def test_the_cache_may_go_and_the_same_table_is_made_once(analyst: Browser) -> None:
    with_rules(analyst, RULES)
    table_ = table(analyst)
    again = analyst("POST", f"{DATA['at']}/tables-after", {"rule": ""}, expect=200)
    assert again == {"id": table_["id"], "job": None}
    for kind in ("after", "results", "orders"):
        shutil.rmtree(settings.CACHE_DIR / kind, ignore_errors=True)
    assert analyst("GET", f"{DATA['at']}/records?table={table_['id']}", expect=200)["total"] == 198


def test_only_the_newest_tables_are_kept(analyst: Browser) -> None:
    with_rules(analyst, RULES)
    last = table(analyst)["id"]
    table_after = TableAfter.objects.get(pk=last)
    TableAfter.objects.bulk_create(
        TableAfter(
            delivery=table_after.delivery, key=f"old {n}", place=1, snapshot_key=table_after.snapshot_key, rules=[]
        )
        for n in range(KEPT + 5)
    )
    assert analyst("POST", f"{DATA['at']}/tables-after", {"rule": ""}, expect=200)["id"] == last
    assert TableAfter.objects.count() <= KEPT + 1


def test_a_finding_that_a_rule_treats_is_shown_as_treated_on_the_next_delivery_too(analyst: Browser) -> None:
    before = {item["finding"]["kind"]: item for item in analyst("GET", f"{DATA['at']}/findings", expect=200)}
    assert before["disguised missing"]["state"] == "open"
    with_rules(analyst, [{"kind": "missing-tokens", "id": "mine", "columns": ["seen"], "tokens": ["N/A", "none"]}])
    second = f"/deliveries/{analyst.upload('samples', other=FILE.replace('W-', 'V-').encode())['id']}"
    do_work()
    for at in (DATA["at"], second):
        now = {item["finding"]["kind"]: item for item in analyst("GET", f"{at}/findings", expect=200)}
        assert (now["disguised missing"]["state"], now["disguised missing"]["rule_id"]) == ("treated", "mine")
        assert now["does not fit its type"]["state"] == "open"
        open_now = [item for item in now.values() if item["state"] == "open" and item["finding"]["severity"] != "low"]
        assert analyst("GET", at, expect=200)["findings"] == len(open_now)
    with_rules(analyst, [{"kind": "missing-tokens", "id": "mine", "columns": ["seen"], "tokens": ["none"]}])
    now = {item["finding"]["kind"]: item for item in analyst("GET", f"{second}/findings", expect=200)}
    assert now["disguised missing"]["state"] == "open"


def test_checks_are_proposed_of_the_table_that_rules_leave(analyst: Browser) -> None:
    """What is faulty as delivered proposes nothing of its values; once rules set it apart, it does, and the check stands behind."""
    with_rules(analyst, [*RULES, {"kind": "required", "id": "last", "columns": ["id"]}])
    at = f"{DATA['at']}/proposed-checks"
    delivered = {(item["column"], item["kind"]) for item in analyst("GET", at, expect=200)}
    assert ("ph", "in-range") not in delivered
    after = table(analyst, "number")
    results = {(item["column"], item["kind"]): item for item in analyst("GET", f"{at}?table={after['id']}", expect=200)}
    assert "".join(part["text"] for part in results["ph", "in-range"]["sentence"]) == "ph is between 7 and 7.8."
    assert ("seen", "allowed-values") not in results  # its spellings are not settled yet
    chosen = [results["ph", "in-range"]["id"]]
    analyst("POST", at, {"ids": chosen}, expect=404)  # it is no proposal of what was delivered
    analyst("POST", at, {"ids": chosen, "table": after["id"]}, expect=200)
    rules = [rule["rule"] for rule in analyst("GET", "/feeds/samples/rulebook")["rules"]]
    assert [rule["kind"] for rule in rules] == [
        "missing-tokens", "break-cells", "trim-spaces", "of-type", "required", "in-range",
    ]  # fmt: skip
    again = {(item["column"], item["kind"]): item for item in analyst("GET", f"{at}?table={after['id']}", expect=200)}
    assert again["ph", "in-range"]["present"] is True
    analyst("GET", f"{at}?table=999999", expect=404)
    analyst("POST", at, {"ids": chosen, "table": 999999}, expect=404)
