"""The rulebook through the API: history, drafts, texts, the library."""

from __future__ import annotations

import json
import random
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
import yaml
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from conftest import RULES, Browser, do_work
from pravin_core.rules.registry import KINDS
from pravin_server.feeds.models import Feed
from pravin_server.rulebooks.services import newest

Make = Callable[[str | None], Browser]
BOOK = "/feeds/samples/rulebook"


def put(browser: Browser, rules: list[dict[str, Any]], change: str = "edit") -> Any:
    now = browser("GET", BOOK, expect=200)
    return browser("PUT", BOOK, {"based_on": now["revision"]["number"], "change": change, "rules": rules}, expect=200)


def rules_of(book: Any) -> list[Any]:
    return [rule["rule"] for rule in book["rules"]]


def test_undo_over_two_hundred_edits_returns_every_former_state(browser: Make, delivered: int) -> None:
    analyst, chance = browser("ana"), random.Random(5)
    states = [rules_of(analyst("GET", BOOK))]
    for number in range(200):
        rules = [dict(rule) for rule in states[-1]]
        action = chance.choice(["add", "switch", "move", "drop", "note"]) if len(rules) > 3 else "add"
        at = chance.randrange(len(rules))
        if action == "add":
            rules.insert(at, {**chance.choice(RULES), "id": f"n{number}", "enabled": True, "note": ""})
        elif action == "switch":
            rules[at]["enabled"] = not rules[at]["enabled"]
        elif action == "move":
            rules.append(rules.pop(at))
        elif action == "drop":
            rules.pop(at)
        else:
            rules[at]["note"] = f"note {number}"
        states.append(rules_of(put(analyst, rules, f"{action} {number}")))
        assert states[-1] != states[-2] or action == "move"

    def step(way: str) -> Any:
        seen = analyst("GET", BOOK)["revision"]["number"]
        return analyst("POST", f"{BOOK}/{way}", {"based_on": seen}, expect=200)

    for former in reversed(states[:-1]):
        assert rules_of(step("undo")) == former
    for later in states[1:51]:
        assert rules_of(step("redo")) == later
    assert step("undo")["redo"] is not None
    put(analyst, states[3], "another way")
    assert analyst("GET", BOOK)["redo"] is None
    assert rules_of(step("undo")) == states[49]


def test_going_back_and_comparing(browser: Make, delivered: int) -> None:
    analyst, viewer = browser("ana"), browser("vic")
    first = analyst("GET", BOOK)["revision"]["number"]
    changed = [{**RULES[0], "collapse": True}, *RULES[2:], {**RULES[0], "id": "more"}]
    second = put(analyst, changed)["revision"]["number"]
    results = {
        (item["what"], item["id"]) for item in analyst("GET", f"/feeds/samples/revisions/{first}/{second}", expect=200)
    }
    assert results == {("changed", "trim"), ("removed", "tokens"), ("added", "more")}
    viewer("POST", f"{BOOK}/go-back", {"based_on": second, "number": first}, expect=403)
    analyst("POST", f"{BOOK}/undo", {"based_on": first}, expect=409)
    back = analyst("POST", f"{BOOK}/go-back", {"based_on": second, "number": first}, expect=200)
    assert [item["id"] for item in rules_of(back)] == [rule["id"] for rule in RULES]
    assert back["undo"] == f"went back to revision {first}"
    result = analyst("GET", "/feeds/samples/revisions", expect=200)
    assert [item["number"] for item in result[:2]] == [back["revision"]["number"], second]


def test_a_draft_shows_its_effect_its_remarks_and_its_formulas(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    base = f"/deliveries/{delivered}"
    draft = [*RULES, {"kind": "letter-case", "id": "case", "columns": ["site"], "letters": "small"}]
    effect = analyst("POST", f"{base}/effect", {"rules": draft, "rule": "case"}, expect=200)["effect"]
    assert [(pair["before"], pair["after"], pair["times"]) for pair in effect["pairs"]] == [
        ("A", "a", 1),
        ("B", "b", 1),
        ("C", "c", 1),
    ]
    kept = analyst("POST", f"{base}/effect", {"rules": draft, "rule": "range"}, expect=200)["effect"]
    assert (kept["broken"], [pair["before"] for pair in kept["pairs"]]) == (1, ["74"])
    wrong = analyst(
        "POST", f"{base}/effect", {"rules": [{"kind": "required", "id": "q", "columns": ["zz"]}], "rule": "q"}
    )
    assert (wrong["effect"], "the column 'zz'" in wrong["problem"]) == (None, True)
    wrong = analyst(
        "POST", f"{base}/effect", {"rules": [{"kind": "letter-case", "id": "q", "columns": []}], "rule": "q"}
    )
    assert wrong["problem"].endswith("choose at least one column.")
    late = [*RULES, {**RULES[1], "id": "late", "columns": ["ph"]}]
    remarks = analyst("POST", f"{base}/remarks", {"rules": late}, expect=200)
    assert [(remark["rule"], remark["better_place"]) for remark in remarks] == [("late", 3)]

    def tried(text: str, below: str = "") -> Any:
        return analyst("POST", f"{base}/formula", {"rules": RULES, "below": below, "text": text}, expect=200)

    assert tried("ph * 10")["type"] == "decimal"
    assert tried("ph * 10", below="number")["message"].startswith("“*” needs a number")
    analyst("PUT", "/library/parameters", {"name": "top", "type": "number", "default": "8"}, expect=200)
    mixed = tried("ph > :top or site = 'A' and ph > 1")
    assert mixed["readings"] == ["ph > :top or (site = 'A' and ph > 1)", "(ph > :top or site = 'A') and ph > 1"]
    assert tried(mixed["readings"][1])["readings"] == tried("ph > :gone or site = 'A' and ph > 1")["readings"] == []
    assert tried("upper(sit)")["advice"] == "Is “site” meant?"
    assert (tried("upper(sit)")["start"], tried("upper(sit)")["end"]) == (6, 9)
    assert [row["result"] for row in tried("lower(site)")["rows"]][:2] == ["a", "b"]
    assert analyst("GET", f"{base}/values?name=site&part=a", expect=200) == ["A", "n/a"]
    learned = analyst(
        "POST",
        f"{base}/examples",
        {
            "rules": RULES,
            "columns": ["site"],
            "wanted": [{"record": 1, "result": "site a"}, {"record": 2, "result": "site b"}],
        },
        expect=200,
    )
    assert learned["candidates"][0]["formula"] == "'site ' || lower(site)"
    functions = analyst("GET", "/formula-functions", expect=200)
    assert len(functions) >= 90
    over_groups = {each["name"]: each["insert"] for each in functions if not each["per_record"]}
    assert over_groups["rank"] == "rank() over (partition by | order by )"
    assert over_groups["sum"] == "sum(|) over (partition by )"


def test_replay_after_deleting_the_cache_gives_the_same(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    analyst("POST", f"/deliveries/{delivered}/runs", expect=201)
    do_work()
    first = analyst("GET", f"/deliveries/{delivered}/records?limit=10", expect=200)
    shutil.rmtree(settings.CACHE_DIR)
    assert analyst("GET", f"/deliveries/{delivered}/records?limit=10", expect=200) == first


def test_the_rulebook_as_text_and_back(browser: Make, delivered: int, tmp_path: Path) -> None:
    analyst = browser("ana")
    now = analyst("GET", BOOK)
    as_json = json.loads(
        analyst("GET", f"{BOOK}.json").content
        if hasattr(analyst("GET", f"{BOOK}.json"), "content")
        else json.dumps(analyst("GET", f"{BOOK}.json"))
    )
    as_yaml = analyst("GET", f"{BOOK}.yaml").content.decode()
    assert yaml.safe_load(as_yaml) == as_json
    assert as_json["rules"] == rules_of(now)
    put(analyst, RULES[:1])
    seen = analyst("GET", BOOK)["revision"]["number"]
    analyst("POST", "/feeds/samples/rulebook-text", {"based_on": seen, "text": as_yaml}, expect=200)
    assert rules_of(analyst("GET", BOOK)) == rules_of(now)
    broken = analyst("POST", "/feeds/samples/rulebook-text", {"based_on": seen + 1, "text": "rules: [{kind: trim}]"})
    assert broken["status"] == 422
    schema = analyst("GET", "/rulebook-schema", expect=200)
    assert all(f'"{kind}"' in json.dumps(schema) for kind in KINDS)
    page = analyst("GET", f"{BOOK}.html?delivery={delivered}").content.decode()
    assert "Trim spaces in" in page
    steps = analyst("GET", f"/deliveries/{delivered}/sql", expect=200)
    assert next(step["says"] for step in steps if step["rule"] == 3).startswith("3. Convert ph to numbers")
    script = tmp_path / "clean.py"
    script.write_bytes(analyst("GET", f"/deliveries/{delivered}/rulebook.py").content)
    (tmp_path / "samples.txt").write_bytes(b"id|site|ph\n1|A| 7.4\n2|B|74\n3|n/a|x\nbroken\n4|C|6.9\n4|C|6.9\n")
    done = subprocess.run(
        [sys.executable, script, tmp_path / "samples.txt", "--out", tmp_path / "out"], capture_output=True, text=True
    )
    assert "6 delivered + 0 added = 2 ready (1 corrected) + 2 quarantined + 1 removed + 1 rejected" in done.stdout, (
        done.stderr
    )
    assert analyst("GET", f"/deliveries/{delivered}/rulebook.py?only_checks=true").status_code == 200


def test_the_library_reaches_every_rulebook_that_refers_to_it(browser: Make, delivered: int) -> None:
    analyst, viewer = browser("ana"), browser("vic")
    codes = {"name": "sites", "csv": "code;meaning\nA;Alder\nB;Birch\n", "based_on": 0}
    viewer("PUT", "/library/code-lists", codes, expect=403)
    assert analyst("PUT", "/library/code-lists", codes, expect=200)["codes"] == [["A", "Alder"], ["B", "Birch"]]
    analyst("PUT", "/library/code-lists", codes, expect=409)
    analyst("PUT", "/library/parameters", {"name": "top", "type": "number", "default": "x"}, expect=422)
    analyst(
        "PUT",
        "/library/parameters",
        {"name": "top", "type": "number", "default": "14", "values": {"samples": "80"}},
        expect=200,
    )
    shared = {"name": "Tidy", "feeds": "sam*", "rules": [{"kind": "trim-spaces", "columns": ["s*"]}]}
    group = analyst("PUT", "/library/shared", shared, expect=200)
    assert group["applies_to"] == ["samples"]
    sent = SimpleUploadedFile("sites.csv", b"site,river\nA,Merrow\nB,Merrow\n")
    answer = analyst.client.post("/api/library/references", {"name": "register", "file": sent})
    assert (answer.status_code, answer.json()["columns"], answer.json()["records"]) == (200, ["site", "river"], 2)
    put(analyst, [
        {"kind": "to-number", "id": "number", "columns": ["ph"]},
        {"kind": "look-up", "id": "look", "reference": "register", "keys": [{"code": "site", "meaning": "site"}], "take": ["river"]},
        {"kind": "translate", "id": "names", "columns": ["site"], "code_list": "sites"},
        {"kind": "in-range", "id": "range", "columns": ["ph"], "high": ":top"},
    ])  # fmt: skip
    analyst("POST", f"/deliveries/{delivered}/runs", expect=201)
    do_work()
    ran = analyst("GET", f"/deliveries/{delivered}")["run"]
    assert ran["state"] == "done", ran["error"]
    result = analyst("GET", f"/deliveries/{delivered}/records?limit=10&run={ran['id']}", expect=200)
    place = {item["name"]: at for at, item in enumerate(result["columns"])}
    rows = [[row["cells"][place[name]] for name in ("site", "river", "ph")] for row in result["rows"]]
    assert rows[:2] == [["Alder", "Merrow", "7.4"], ["Birch", "Merrow", "74"]]  # 74 is below this feed's limit
    book = analyst("GET", BOOK)
    assert [rule["number"] for rule in book["rules"]] == [2, 3, 4, 5]
    assert (book["shared"][0]["name"], book["shared"][0]["on"]) == ("Tidy", True)
    analyst("POST", f"/feeds/samples/shared/{group['id']}", {"on": False}, expect=200)
    assert [rule["number"] for rule in analyst("GET", BOOK)["rules"]] == [1, 2, 3, 4]
    assert newest(Feed.objects.get(slug="samples")).rules[3]["high"] == ":top"
    library = analyst("GET", "/library", expect=200)
    assert [len(library[name]) for name in ("code_lists", "parameters", "shared", "references")] == [1, 1, 1, 1]


@pytest.mark.parametrize("way", ["undo", "redo"])
def test_nothing_to_undo_or_redo_is_said(browser: Make, way: str, db: None) -> None:
    analyst = browser("ana")
    analyst("POST", "/feeds", {"name": "Fresh"})
    answer = analyst(
        "POST",
        f"/feeds/fresh/rulebook/{way}",
        {"based_on": analyst("GET", "/feeds/fresh/rulebook")["revision"]["number"]},
    )
    assert (answer["status"], f"nothing to {way}" in answer["detail"]) == (422, True)
