"""Exceptions that hold for a key: taken over where a later delivery brings it again, wrong in the same way."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.utils import timezone
from test_quarantine import agree_key, decide, deliver, feed, numbers, read_header_as_record, standing

from conftest import Browser, do_work
from pravin_server.activity.services import first_broken
from pravin_server.quarantine.models import Decision
from pravin_server.runs.models import Run

__all__ = ["feed"]


def test_an_exception_holds_for_its_keys_in_later_deliveries(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "A", "700"), ("3", "", "5")])
    act: dict[str, Any] = {"records": [1, 2], "justification": "known", "later": True}
    refused = decide(feed, one, "accept", expect=422, **act)
    assert "Agree the key" in refused["detail"]
    agree_key(feed, "id")
    assert "by the key" in decide(feed, one, "discard", expect=422, **act)["detail"]
    exception = decide(feed, one, "accept", **act)["decision"]
    assert standing(feed, one) == (1, 0, 0)
    runs = Run.objects.count()
    two = deliver(feed, [("2", "A", "800"), ("1", "", "900"), ("3", "", "5"), ("4", "A", "5"), ("1", " ", "6")])
    assert Run.objects.count() == runs + 1  # within the same run
    assert numbers(feed, two) == [2, 3]  # a second fault; never accepted
    (taken,) = feed("GET", f"/deliveries/{two}/quarantine", expect=200)["decisions"]
    assert (taken["kind"], taken["records"], taken["justification"]) == ("accept", 2, "known")
    assert taken["details"]["made_in"] == {"decision": exception, "delivery": one, "number": 1}
    head = feed("GET", f"/deliveries/{two}", expect=200)
    assert head["run"]["outcome"]["accepted"] == 2
    # undone there, it is not taken over again; undone where it was made, it holds for no further delivery
    feed("POST", f"/deliveries/{two}/decisions/{taken['id']}/undo", expect=201)
    do_work()
    assert numbers(feed, two) == [1, 2, 3, 5]
    feed("POST", f"/deliveries/{two}/runs", expect=201)
    do_work()
    assert numbers(feed, two) == [1, 2, 3, 5]
    three = deliver(feed, [("2", "A", "900")])
    assert numbers(feed, three) == []
    feed("POST", f"/deliveries/{one}/decisions/{exception}/undo", expect=201)
    do_work()
    assert numbers(feed, deliver(feed, [("2", "A", "901")])) == [1]
    assert first_broken() is None


def test_an_exception_until_a_day_holds_until_then_in_later_deliveries(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5")])
    agree_key(feed, "id")
    day = timezone.localdate() + timedelta(days=3)
    decide(feed, one, "accept", records=[1], justification="known", later=True, until=day.isoformat())
    two = deliver(feed, [("1", "", "6")])
    assert numbers(feed, two) == []
    Decision.objects.update(until=timezone.localdate() - timedelta(days=1))
    assert numbers(feed, deliver(feed, [("1", "", "7")])) == [1]
    feed("POST", f"/deliveries/{two}/runs", expect=201)
    do_work()
    assert standing(feed, two) == (0, 0, 1)


def test_an_exception_undone_in_a_later_delivery_stays_undone_however_both_are_read(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "5")])
    agree_key(feed, "id")
    decide(feed, one, "accept", records=[1, 2], justification="known", later=True)
    two = deliver(feed, [("1", "", "6"), ("2", "", "6")])
    (taken,) = feed("GET", f"/deliveries/{two}/quarantine", expect=200)["decisions"]
    feed("POST", f"/deliveries/{two}/decisions/{taken['id']}/undo", expect=201)
    do_work()
    assert numbers(feed, two) == [1, 2]
    read_header_as_record(feed, one)
    assert numbers(feed, one) == [1]  # the header; the others are accepted still
    feed("POST", f"/deliveries/{two}/runs", expect=201)
    do_work()
    assert numbers(feed, two) == [1, 2]
    read_header_as_record(feed, two)
    assert numbers(feed, two) == [1, 2, 3]
    read_header_as_record(feed, three := deliver(feed, [("2", "", "7")]))
    assert numbers(feed, three) == [1]
