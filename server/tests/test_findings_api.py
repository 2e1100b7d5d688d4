"""Findings: accepted into the rulebook, dismissed for good, taken back."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from conftest import Browser, do_work

Make = Callable[[str | None], Browser]
ROWS = [f"{i},{i % 90 + 100:04d},{7 + i % 9 / 10:.1f}" for i in range(200)]
ROWS[3], ROWS[9], ROWS[11] = "3,103,7.3", "9,0109,74", "11,0111,n/a"
FILE = "id,site_code,ph\n" + "\n".join(ROWS) + "\n"


def take_in(browser: Browser, data: str) -> int:
    """The file as a delivery of the feed `samples`, read."""
    browser("POST", "/feeds", {"name": "Samples"})
    delivery: int = browser.upload("samples", month=data.encode())["id"]
    do_work()
    return delivery


def listed(browser: Browser, delivery: int) -> dict[str, Any]:
    """The worklist by kind of finding."""
    return {item["finding"]["kind"]: item for item in browser("GET", f"/deliveries/{delivery}/findings", expect=200)}


def test_findings_become_rules_and_decisions_hold_for_the_next_delivery(browser: Make) -> None:
    analyst = browser("ana")
    first = take_in(analyst, FILE)
    result = listed(analyst, first)
    zeros, slip, missing = (result[kind] for kind in ("lost leading zeros", "scale slip", "disguised missing"))
    assert slip["sentence"][0]["text"] == "Multiply "
    assert analyst("GET", f"/deliveries/{first}")["findings"] >= 3

    ids = [slip["finding"]["id"], missing["finding"]["id"]]
    analyst("POST", f"/deliveries/{first}/findings/accept", {"ids": ids}, expect=200)
    reason = {"ids": [zeros["finding"]["id"]], "reason": "old numbers"}
    analyst("POST", f"/deliveries/{first}/findings/dismiss", reason, expect=204)
    now = listed(analyst, first)
    assert {kind: now[kind]["state"] for kind in ("lost leading zeros", "scale slip", "disguised missing")} == {
        "lost leading zeros": "dismissed", "scale slip": "accepted", "disguised missing": "accepted",
    }  # fmt: skip
    rules = analyst("GET", "/feeds/samples/rulebook")["rules"]
    assert [rule["rule"]["kind"] for rule in rules] == ["scale-values", "missing-tokens"]
    assert analyst("GET", f"/deliveries/{first}")["revision"] == 1

    second = take_in(analyst, FILE.replace("7.8", "7.9"))
    again = listed(analyst, second)
    assert again["lost leading zeros"]["reason"] == "old numbers"
    assert again["scale slip"]["state"] == "accepted"
    analyst("POST", f"/deliveries/{second}/findings/reopen", {"ids": ids[:1]}, expect=204)
    rules = analyst("GET", "/feeds/samples/rulebook")["rules"]
    assert [rule["rule"]["kind"] for rule in rules] == ["missing-tokens"]
    assert listed(analyst, second)["scale slip"]["state"] == "open"


def test_an_accepted_rule_stands_before_the_one_that_reads_numbers(browser: Make) -> None:
    analyst = browser("ana")
    delivery = take_in(analyst, FILE)
    reading = {"kind": "to-number", "id": "n", "columns": ["ph"]}
    analyst("PUT", "/feeds/samples/rulebook", {"based_on": 0, "rules": [reading]}, expect=200)
    finding = listed(analyst, delivery)["disguised missing"]["finding"]["id"]
    analyst("POST", f"/deliveries/{delivery}/findings/accept", {"ids": [finding]}, expect=200)
    rules = analyst("GET", "/feeds/samples/rulebook")["rules"]
    assert [rule["rule"]["kind"] for rule in rules] == ["missing-tokens", "to-number"]
    analyst("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    assert analyst("GET", f"/deliveries/{delivery}")["balance"]["quarantined"] == 0


def test_who_may_not_work_decides_nothing(browser: Make) -> None:
    analyst = browser("ana")
    delivery = take_in(analyst, FILE)
    finding = listed(analyst, delivery)["scale slip"]["finding"]["id"]
    viewer = browser("vic")
    for what in ("accept", "dismiss", "reopen"):
        result = viewer("POST", f"/deliveries/{delivery}/findings/{what}", {"ids": [finding]})
        assert result["status"] == 403
    unknown = analyst("POST", f"/deliveries/{delivery}/findings/accept", {"ids": ["nothing"]})
    assert unknown["status"] == 404


def test_spelling_variants_become_one_code_list(browser: Make) -> None:
    analyst = browser("ana")
    towns = ["Harbour"] * 30 + ["East Fen"] * 30 + ["harbour", "HARBOUR", "Harbor"]
    delivery = take_in(analyst, "id,town\n" + "".join(f"{i},{town}\n" for i, town in enumerate(towns)))
    base = f"/deliveries/{delivery}/variants"
    [group] = analyst("GET", f"{base}?column=town&method=spelling", expect=200)["groups"]
    assert (group["preferred"], [member["value"] for member in group["members"]]) == (
        "Harbour", ["Harbour", "HARBOUR", "harbour"],
    )  # fmt: skip
    near = analyst("GET", f"{base}?column=town&method=edit%20distance", expect=200)["groups"]
    assert {"value": "Harbor", "count": 1} in near[0]["members"]
    assert analyst("GET", f"{base}?column=nothing")["status"] == 422

    codes = [
        {"code": member["value"], "meaning": "Harbour"} for member in near[0]["members"] if member["value"] != "Harbour"
    ]
    analyst("POST", base, {"column": "town", "codes": codes}, expect=200)
    analyst("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    assert analyst("GET", f"/deliveries/{delivery}")["balance"]["corrected"] == 3


def test_a_finding_is_accepted_once_whoever_does_it(browser: Make) -> None:
    analyst, colleague = browser("ana"), browser("app")
    delivery = take_in(analyst, FILE)
    finding = listed(analyst, delivery)["scale slip"]["finding"]["id"]
    path = f"/deliveries/{delivery}/findings/accept"
    analyst("POST", path, {"ids": [finding, finding]}, expect=200)
    refused = colleague("POST", path, {"ids": [finding]}, expect=409)
    assert "accepted already, by Ana" in refused["detail"]
    assert len(analyst("GET", "/feeds/samples/rulebook")["rules"]) == 1
    colleague("POST", f"/deliveries/{delivery}/findings/reopen", {"ids": [finding]}, expect=204)
    colleague("POST", path, {"ids": [finding]}, expect=200)
    assert len(analyst("GET", "/feeds/samples/rulebook")["rules"]) == 1


def test_only_what_repairs_text_stands_before_what_reads_types(browser: Make) -> None:
    analyst = browser("ana")
    delivery = take_in(analyst, FILE)
    reading = [
        {"kind": "to-number", "id": "n", "columns": ["ph"]},
        {"kind": "to-truth", "id": "t", "columns": ["id"]},
    ]
    analyst("PUT", "/feeds/samples/rulebook", {"based_on": 0, "rules": reading}, expect=200)
    codes = [{"code": "a", "meaning": "b"}]
    analyst("POST", f"/deliveries/{delivery}/variants", {"column": "id", "codes": codes}, expect=200)
    analyst("POST", f"/deliveries/{delivery}/variants", {"column": "site_code", "codes": codes}, expect=200)
    kinds = [
        (rule["rule"]["kind"], rule["rule"]["columns"]) for rule in analyst("GET", "/feeds/samples/rulebook")["rules"]
    ]
    assert kinds == [("to-number", ["ph"]), ("translate", ["id"]), ("to-truth", ["id"]), ("translate", ["site_code"])]
