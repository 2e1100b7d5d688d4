"""What is told of quarantine over many deliveries, of cases that ended, and before a run."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import Any
from urllib.parse import urlencode

from django.utils import timezone
from test_quarantine import RULES, Make, decide, deliver, feed, numbers, publish, standing

from conftest import Browser, do_work
from pravin_server.accounts.models import User
from pravin_server.quarantine.models import Decision

__all__ = ["feed"]


def test_over_all_deliveries_what_is_late_is_first_and_everybody_sees_their_own(feed: Browser, browser: Make) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "x"), ("3", "A", "x"), ("4", "A", "5")])
    publish(feed, one)
    two = deliver(feed, [("5", "", "5"), ("6", "", "5"), ("7", "", "5"), ("8", "A", "5")])
    places = [line["delivery"]["id"] for line in feed("GET", "/quarantine", expect=200)]
    assert places == [one, two]  # the longest first
    me = User.objects.get(username="app").pk
    decide(feed, two, "assign", records=[1, 2], owner=me)
    day = timezone.localdate() + timedelta(days=2)
    decide(feed, two, "wait", records=[2, 3], until=day.isoformat())
    decide(feed, two, "return", records=[3], until=day.isoformat())
    Decision.objects.filter(kind="wait").update(until=timezone.localdate() - timedelta(days=1))
    first, second = feed("GET", "/quarantine", expect=200)
    assert (first["delivery"]["id"], first["mine"], first["overdue"], first["returned"]) == (two, 2, 1, 1)
    assert (second["delivery"]["id"], second["mine"], second["overdue"], second["returned"]) == (one, 0, 0, 0)
    assert (first["blocks"], second["blocks"]) == (["its release"], [])
    assert numbers(feed, two, overdue="true") == [2]
    # with how many records each rule set apart in both deliveries, reckoned from their lines
    assert {(reason["name"], reason["records"], tuple(reason["trend"])) for reason in second["reasons"]} == {
        ("site", 2, (2, 3)), ("amount", 2, (2, 0)),
    }  # fmt: skip
    assert [line["mine"] for line in browser("ana")("GET", "/quarantine", expect=200)] == [0, 0]


def test_how_cases_ended_is_told(feed: Browser) -> None:
    one = deliver(feed, [(str(n), "", "5") for n in range(1, 11)])
    decide(feed, one, "amend", records=[1, 2, 3], values={"site": "A"})
    decide(feed, one, "accept", records=[4, 5], justification="known")
    act = decide(feed, one, "discard", records=[6], justification="twice")["decision"]

    def ended() -> dict[str, int]:
        result: dict[str, int] = feed("GET", f"/deliveries/{one}/quarantine", expect=200)["ended"]
        return result

    assert ended() == {"amend": 3, "accept": 2, "discard": 1, "rules": 0}
    feed("POST", f"/deliveries/{one}/decisions/{act}/undo", expect=201)
    do_work()
    assert ended() == {"amend": 3, "accept": 2, "discard": 0, "rules": 0}
    rules = [rule for rule in RULES if rule["id"] != "site"]
    feed("PUT", "/feeds/stock/rulebook", {"based_on": 1, "change": "less", "rules": rules}, expect=200)
    feed("POST", f"/deliveries/{one}/runs", expect=201)
    do_work()
    assert ended() == {"amend": 3, "accept": 2, "discard": 0, "rules": 5}
    assert standing(feed, one) == (0, 0, 0)


def test_before_a_run_the_trial_tells_what_it_would_quarantine(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "x"), ("3", "A", "5")], run=False)

    def told() -> dict[str, Any]:
        result: dict[str, Any] = feed("GET", f"/deliveries/{one}/quarantine", expect=200)
        return result

    assert (told()["trial"], told()["run"]) == (None, None)
    feed("POST", f"/deliveries/{one}/trials", expect=201)
    do_work()
    trial = told()["trial"]
    assert (trial["revision"], trial["records"]) == (1, 2)
    assert {(reason["name"], reason["phrase"], reason["records"]) for reason in trial["reasons"]} == {
        ("site", "is missing", 2), ("amount", "could not be read", 1),
    }  # fmt: skip
    for reason in trial["reasons"]:  # each count opens as many records
        where = [{"on": "state", "value": "quarantined"},
                 {"on": "reason", "value": str(reason["rule"]), "name": reason["name"], "phrase": reason["phrase"]}]  # fmt: skip
        query = urlencode({"where": json.dumps(where), "run": trial["run"]})
        assert feed("GET", f"/deliveries/{one}/records?{query}", expect=200)["total"] == reason["records"]
    feed("POST", f"/deliveries/{one}/runs", expect=201)
    do_work()
    assert (told()["trial"], standing(feed, one)) == (None, (2, 0, 0))
