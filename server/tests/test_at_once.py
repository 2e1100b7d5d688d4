"""Several people, or one with quick fingers, ask at the same time: everybody is answered, and nobody is told of locks."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.db import connections, transaction

from conftest import DATA, RULES, Browser, do_work
from pravin_server.deliveries.models import Delivery
from pravin_server.runs.models import Run
from pravin_server.runs.services import ask_run

ROUNDS = 12


def at_once(*asked: Callable[[], int]) -> list[int]:
    """The status of each answer, all asked at the same moment, each over a connection of its own."""
    statuses = [0] * len(asked)
    begin = threading.Barrier(len(asked))

    def ask(at: int) -> None:
        try:
            begin.wait()
            statuses[at] = asked[at]()
        finally:
            connections.close_all()

    threads = [threading.Thread(target=ask, args=(at,)) for at in range(len(asked))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(12)
    return statuses


def status(person: Browser, method: str, path: str, body: Any = None) -> int:
    sent = "" if body is None else json.dumps(body)
    return int(person.client.generic(method, f"/api{path}", sent, content_type="application/json").status_code)


def taken_in() -> tuple[Browser, int]:
    analyst = Browser("ana")
    analyst("POST", "/feeds", {"name": "Samples"}, expect=201)
    delivery = analyst.upload("samples", field=DATA)["id"]
    analyst("PUT", "/feeds/samples/rulebook", {"based_on": 0, "change": "first", "rules": RULES}, expect=200)
    do_work()
    return analyst, delivery


@pytest.mark.django_db(transaction=True)
def test_a_finding_is_decided_while_a_trial_is_asked_for() -> None:
    """The one locks the feed and refers to the delivery, the other locks the delivery: neither waits for ever."""
    analyst, delivery = taken_in()
    people = [analyst, Browser("app")]
    result = people[0]("GET", f"/deliveries/{delivery}/findings", expect=200)
    ids = [item["finding"]["id"] for item in result if item["finding"]["rule"] and item["state"] == "open"]
    assert ids
    for turn in range(ROUNDS):
        what = ("accept" if turn % 2 == 0 else "reopen", {"ids": ids})
        statuses = at_once(
            lambda what=what: status(people[0], "POST", f"/deliveries/{delivery}/findings/{what[0]}", what[1]),
            lambda: status(people[1], "POST", f"/deliveries/{delivery}/trials"),
        )
        assert set(statuses) <= {200, 201, 204}, (turn, statuses)


@pytest.mark.django_db(transaction=True)
def test_of_two_who_change_one_rulebook_one_is_told() -> None:
    analyst, _ = taken_in()
    people = [analyst, Browser("app")]
    for turn in range(4):
        based = people[0]("GET", "/feeds/samples/rulebook", expect=200)["revision"]["number"]
        rules = [RULES[:-1], RULES] if turn % 2 else [RULES, RULES[:-1]]
        body = [
            {"based_on": based, "rules": [*some, {"kind": "required", "id": f"t{turn}", "columns": ["id"]}]}
            for some in rules
        ]
        statuses = at_once(*(
            lambda person=person, change=change: status(person, "PUT", "/feeds/samples/rulebook", change)
            for person, change in zip(people, body, strict=True)
        ))  # fmt: skip
        assert sorted(statuses) == [200, 409]
        assert people[0]("GET", "/feeds/samples/rulebook")["revision"]["number"] == based + 1


@pytest.mark.django_db(transaction=True)
def test_a_finding_is_accepted_while_a_run_is_still_being_asked_for() -> None:
    """What asks for a run holds the delivery until it is noted; a decision only refers to it, and does not wait for that."""
    analyst, delivery = taken_in()
    result = analyst("GET", f"/deliveries/{delivery}/findings", expect=200)
    ids = [item["finding"]["id"] for item in result if item["finding"]["rule"] and item["state"] == "open"][:1]
    assert ids
    with transaction.atomic():
        person = get_user_model().objects.get(username="ana")
        ask_run(person, Delivery.objects.get(pk=delivery), Run.Purpose.TRIAL)
        path = f"/deliveries/{delivery}/findings/accept"
        assert at_once(lambda: status(analyst, "POST", path, {"ids": ids})) == [200]
    assert Run.objects.count() == 1
