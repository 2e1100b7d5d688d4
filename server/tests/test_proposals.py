"""Releases that an analyst proposes and an approver approves, declines or asks about."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from conftest import Browser, do_work
from pravin_server.activity.models import Event
from pravin_server.common.errors import Invalid
from pravin_server.releases import services
from pravin_server.releases.models import ReleaseProposal

Make = Callable[[str | None], Browser]
RULES = [
    {"kind": "to-number", "id": "n", "columns": ["level"]},
    {"kind": "in-range", "id": "r", "columns": ["level"], "low": "0", "high": "9"},
]
FIRST = b"gauge|level\nA|1\nB|2\nC|3\nD|70\n"
SECOND = b"gauge|level\nA|1\nB|8\nC|8\nE|90\nF|95\n"


@pytest.fixture
def people(browser: Make, db: None) -> tuple[Browser, Browser]:
    """An analyst and an approver; the feed is there."""
    analyst, approver = browser("ana"), browser("app")
    analyst("POST", "/feeds", {"name": "Gauges"}, expect=201)
    analyst("PUT", "/feeds/gauges/rulebook", {"based_on": 0, "change": "x", "rules": RULES}, expect=200)
    return analyst, approver


def arrived(analyst: Browser, file: bytes = FIRST) -> int:
    delivery: int = analyst.upload("gauges", **{f"m{len(file)}": file})["id"]
    do_work()
    run_again(analyst, delivery)
    return delivery


def run_again(analyst: Browser, delivery: int) -> None:
    analyst("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()


def run_of(person: Browser, delivery: int) -> int:
    run: int = person("GET", f"/deliveries/{delivery}/release", expect=200)["run"]
    return run


def propose(analyst: Browser, delivery: int, word: str = "", expect: int = 201) -> Any:
    body = {"run": run_of(analyst, delivery), "word": word}
    return analyst("POST", f"/deliveries/{delivery}/proposal", body, expect=expect)


def approve(person: Browser, delivery: int, expect: int = 201) -> Any:
    body = {"run": run_of(person, delivery), "word": "looks right"}
    answer = person("POST", f"/deliveries/{delivery}/release", body, expect=expect)
    do_work()
    return answer


def waiting_of(person: Browser) -> str:
    (line,) = [line for line in person("GET", "/feeds", expect=200) if line["slug"] == "gauges"]
    said: str = line["waiting"]
    return said


def test_proposed_asked_declined_corrected_proposed_approved(people: tuple[Browser, Browser]) -> None:
    analyst, approver = people
    delivery = arrived(analyst)
    here = propose(analyst, delivery, "  March, with the late gauges ")
    proposal = here["proposal"]
    assert (proposal["state"], proposal["word"], proposal["who"]) == ("waiting", "March, with the late gauges", "Ana")
    assert here["is_own"] is True
    assert approver("GET", f"/deliveries/{delivery}/proposal", expect=200)["is_own"] is False
    (listed,) = approver("GET", "/proposals", expect=200)
    assert (listed["id"], listed["delivery"], listed["who"]) == (proposal["id"], delivery, "Ana")
    assert "waits for an approver" in waiting_of(analyst)
    assert "proposed already" in propose(analyst, delivery, expect=409)["detail"]

    approver("POST", f"/proposals/{proposal['id']}/remarks", {"text": "Why is D out?"}, expect=201)
    answered = analyst("POST", f"/proposals/{proposal['id']}/remarks", {"text": "It read 70."}, expect=201)
    told = [(remark["who"], remark["text"]) for remark in answered["proposal"]["remarks"]]
    assert told == [("App", "Why is D out?"), ("Ana", "It read 70.")]
    analyst("POST", f"/proposals/{proposal['id']}/remarks", {"text": " "}, expect=422)

    assert "Say why" in approver("POST", f"/proposals/{proposal['id']}/decline", {"reason": " "}, expect=422)["detail"]
    approver("POST", f"/proposals/{proposal['id']}/decline", {"reason": "D is 7.0"}, expect=200)
    assert approver("GET", "/proposals", expect=200) == []
    assert "was declined" in waiting_of(analyst)
    gone = approver("POST", f"/proposals/{proposal['id']}/decline", {"reason": "again"}, expect=409)
    assert "waits no more" in gone["detail"]

    amend = {"kind": "amend", "records": [4], "values": {"level": "7"}, "justification": "7.0, says the gauge"}
    analyst("POST", f"/deliveries/{delivery}/decisions", amend, expect=201)
    run_again(analyst, delivery)
    declined = analyst("GET", f"/deliveries/{delivery}/proposal", expect=200)["proposal"]
    assert (declined["answer"], declined["decided_by"], declined["outdated"]) == ("D is 7.0", "App", True)
    propose(analyst, delivery, "corrected")
    approve(approver, delivery)
    done = analyst("GET", f"/deliveries/{delivery}/proposal", expect=200)["proposal"]
    assert (done["state"], done["decided_by"], done["answer"]) == ("approved", "App", "looks right")
    assert waiting_of(analyst) == ""
    (line,) = approver("GET", "/feeds/gauges/releases", expect=200)
    assert (line["proposed_by"], line["word"], line["approval"]) == ("Ana", "corrected", "looks right")
    did = list(Event.objects.filter(delivery=delivery).order_by("id").values_list("what", flat=True))
    said = [what.split(" delivery")[0] for what in did if "release" in what or "proposal" in what]
    assert [what for what in said if "said" not in what][:4] == [
        "proposed the release of", "declined the release of", "proposed the release of", "approved the release of",
    ]  # fmt: skip


def test_a_run_after_the_proposal_needs_another(people: tuple[Browser, Browser]) -> None:
    analyst, approver = people
    delivery = arrived(analyst)
    first = propose(analyst, delivery)["proposal"]["id"]
    run_again(analyst, delivery)
    assert analyst("GET", f"/deliveries/{delivery}/proposal")["proposal"]["outdated"] is True
    assert approver("GET", "/proposals", expect=200) == []
    propose(analyst, delivery)
    states = dict(ReleaseProposal.objects.values_list("id", "state"))
    assert states.pop(first) == "replaced"
    assert list(states.values()) == ["waiting"]


def test_what_no_gate_lets_through_cannot_be_proposed(people: tuple[Browser, Browser]) -> None:
    analyst, _ = people
    delivery = arrived(analyst, b"gauge|level\nD|70\n")
    assert propose(analyst, delivery, expect=422)["detail"]
    assert ReleaseProposal.objects.count() == 0
    stale = {"run": run_of(analyst, delivery) + 1}
    assert "run again" in analyst("POST", f"/deliveries/{delivery}/proposal", stale, expect=409)["detail"]


def test_cancelled_by_who_proposed(people: tuple[Browser, Browser]) -> None:
    analyst, _ = people
    delivery = arrived(analyst)
    id_ = propose(analyst, delivery)["proposal"]["id"]
    assert analyst("POST", f"/proposals/{id_}/cancel", expect=200)["proposal"] is None
    propose(analyst, delivery)


def test_a_second_person_where_the_feed_asks_for_one(people: tuple[Browser, Browser]) -> None:
    analyst, approver = people
    asked = {"adds_up": "replaces", "second_person": True}
    assert approver("PUT", "/feeds/gauges/released", asked, expect=200)["second_person"] is True
    kept = approver("PUT", "/feeds/gauges/released", {"adds_up": "adds"}, expect=200)
    assert kept["second_person"] is True  # who does not say it changes nothing

    own = arrived(analyst)
    propose(approver, own)
    assert approver("GET", f"/deliveries/{own}/proposal")["why_not"] == "You proposed this release."
    assert "second person" in approve(approver, own, expect=409)["detail"]

    decided = arrived(analyst, SECOND)
    accept = {"kind": "accept", "records": [4], "justification": "flood"}
    approver("POST", f"/deliveries/{decided}/decisions", accept, expect=201)
    run_again(analyst, decided)
    propose(analyst, decided)
    assert "You decided on 1 of its records" in approve(approver, decided, expect=409)["detail"]
    approver("PUT", "/feeds/gauges/released", {"adds_up": "adds", "second_person": False}, expect=200)
    approve(approver, decided)


def test_a_release_that_fails_lets_its_proposal_wait_again(
    people: tuple[Browser, Browser], monkeypatch: pytest.MonkeyPatch
) -> None:
    analyst, approver = people
    delivery = arrived(analyst)
    propose(analyst, delivery)

    def fails(*_: Any) -> None:
        raise Invalid("The disk is full.")

    with monkeypatch.context() as patched:
        patched.setattr(services, "show", fails)
        approve(approver, delivery)
    here = approver("GET", f"/deliveries/{delivery}/proposal", expect=200)["proposal"]
    assert (here["state"], here["decided_by"]) == ("waiting", "")
    approve(approver, delivery)
    assert approver("GET", f"/deliveries/{delivery}/proposal")["proposal"]["state"] == "approved"


def test_what_people_changed_since_the_last_release(people: tuple[Browser, Browser]) -> None:
    analyst, approver = people
    first = arrived(analyst)
    assert analyst("GET", f"/deliveries/{first}/release/since", expect=200)["rules"] is None
    approve(approver, first)
    rules = [RULES[0], {**RULES[1], "high": "10"}, {"kind": "required", "id": "q", "columns": ["gauge"]}]
    analyst("PUT", "/feeds/gauges/rulebook", {"based_on": 1, "change": "y", "rules": rules}, expect=200)
    second = arrived(analyst, SECOND)
    accept = {"kind": "accept", "records": [4], "justification": "flood", "until": "2999-01-01"}
    analyst("POST", f"/deliveries/{second}/decisions", accept, expect=201)
    run_again(analyst, second)
    since = approver("GET", f"/deliveries/{second}/release/since", expect=200)
    assert [(rule["what"], rule["id"], rule["number"]) for rule in since["rules"]] == [
        ("changed", "r", 2), ("added", "q", 3),
    ]  # fmt: skip
    sentence = "".join(part["text"] for part in since["rules"][0]["after"])
    assert "10" in sentence
    (decision,) = since["decisions"]
    assert (decision["kind"], decision["records"], decision["who"]) == ("accept", 1, "Ana")
    assert (decision["justification"], decision["until"]) == ("flood", "2999-01-01")
    release = approver("GET", f"/deliveries/{first}/release")["release"]["id"]
    told = approver("GET", f"/feeds/gauges/distributions?before={release}&delivery={second}", expect=200)
    assert (told["records_before"], told["records_after"]) == (3, 4)
    level = next(column for column in told["columns"] if column["name"] == "level")
    assert {part["label"]: (part["before"], part["after"]) for part in level["classes"]} == {
        "up to 1": (1, 1), "above 1, up to 2": (1, 0), "above 2, up to 3": (1, 0), "above 3": (0, 3),
    }  # fmt: skip

    approve(approver, second)
    follow = {"kind": "discard", "records": [5], "justification": "twice"}
    analyst("POST", f"/deliveries/{second}/decisions", follow, expect=201)
    run_again(analyst, second)
    since = approver("GET", f"/deliveries/{second}/release/since", expect=200)
    assert [(each["kind"], each["records"]) for each in since["decisions"]] == [("discard", 1)]
    assert since["rules"] == []


def test_the_history_of_a_feed(people: tuple[Browser, Browser]) -> None:
    analyst, approver = people
    assert approver("GET", "/feeds/gauges/releases", expect=200) == []
    approve(approver, arrived(analyst))
    second = arrived(analyst, SECOND)
    approve(approver, second)
    withdrawn = approver("GET", f"/deliveries/{second}/release")["release"]["id"]
    approver("POST", f"/releases/{withdrawn}/withdraw", {"justification": " B is not 8 "}, expect=200)
    approve(approver, second)
    lines = approver("GET", "/feeds/gauges/releases", expect=200)
    told = [
        (line["release"]["number"], line["release"]["state"], line["release"]["records"], line["more"])
        for line in lines
    ]
    assert told == [(3, "published", 3, 0), (2, "withdrawn", 3, 0), (1, "published", 3, None)]
    assert [line["withdrawn_why"] for line in lines] == ["", "B is not 8", ""]
    assert [line["balance"]["delivered"] for line in lines] == [5, 5, 4]
    assert all(line["bytes"] > 100 and line["columns"] == 2 for line in lines)
