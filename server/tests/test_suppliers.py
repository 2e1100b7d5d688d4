"""What came from whom, counted by hand."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from conftest import Browser, do_work
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.monitoring.models import ArrivalPlan
from pravin_server.workspace.suppliers import suppliers

UTC = ZoneInfo("UTC")
RULES = [{"kind": "in-range", "id": "range", "columns": ["ph"], "low": "0", "high": "14"}]


def arrive(person: Browser, slug: str, at: datetime, **files: bytes) -> int:
    delivery: int = person.upload(slug, **files)["id"]
    do_work()
    Delivery.objects.filter(pk=delivery).update(received=at)
    return delivery


def run(person: Browser, delivery: int) -> None:
    person("POST", f"/deliveries/{delivery}/runs", {"purpose": "run"}, expect=201)
    do_work()


@pytest.fixture
def analyst(db: None) -> Browser:
    person = Browser("ana")
    for name, supplier in (("Water", "Agency"), ("Soil", "Agency"), ("Air", "Office & <Sons>"), ("Own", "")):
        person("POST", "/feeds", {"name": name, "supplier": supplier}, expect=201)
    person("PUT", "/feeds/water/rulebook", {"based_on": 0, "change": "first", "rules": RULES}, expect=200)
    return person


def numbers(person: Browser, asked: str = "first=2026-01-01&days=90") -> dict[str, dict[str, Any]]:
    told = person("GET", f"/suppliers?{asked}", expect=200)
    return {feed["slug"]: feed for supplier in told for feed in supplier["feeds"]}


def test_suppliers_stand_with_their_feeds(analyst: Browser) -> None:
    told = analyst("GET", "/suppliers", expect=200)
    assert [(each["name"], [feed["slug"] for feed in each["feeds"]]) for each in told] == [
        ("Agency", ["soil", "water"]),
        ("Office & <Sons>", ["air"]),
    ]
    assert {feed["deliveries"] for each in told for feed in each["feeds"]} == {0}


def test_what_a_supplier_brought_is_counted(analyst: Browser) -> None:
    analyst("PUT", "/feeds/water/arrival-plan", {"plan": {"every": "month", "on": 3, "tolerance": 24}}, expect=200)
    ArrivalPlan.objects.update(begun=datetime(2025, 12, 20, tzinfo=UTC))
    first = arrive(analyst, "water", datetime(2026, 1, 3, 8, tzinfo=UTC), a=b"id|ph\n1|7\n2|99\n3|6\n")
    late = arrive(analyst, "water", datetime(2026, 2, 9, tzinfo=UTC), b=b"id|ph\n1|7\n2|98\nbroken\n")
    arrive(analyst, "water", datetime(2026, 2, 10, tzinfo=UTC), c=b"id|ph\n1|7\n")
    arrive(analyst, "water", datetime(2026, 4, 1, tzinfo=UTC), d=b"id|ph\n1|8\n")  # after the 90 days
    arrive(analyst, "soil", datetime(2026, 1, 1, tzinfo=UTC), e=b"")
    for delivery in (first, late):
        run(analyst, delivery)
    body = {"kind": "return", "records": [2], "justification": "out of range"}
    returned = analyst("POST", f"/deliveries/{first}/decisions", body, expect=201)["decision"]
    do_work()
    water = numbers(analyst)["water"]
    kept = ("deliveries", "late", "again", "failed", "incomplete", "repeated", "returned", "answered", "questions")
    assert {name: water[name] for name in kept} == {
        "deliveries": 3, "late": 1, "again": 1, "failed": 0, "incomplete": 0, "repeated": 0, "returned": 1, "answered": 0, "questions": 0
    }  # fmt: skip
    assert (water["balance"]["delivered"], water["balance"]["quarantined"], water["balance"]["rejected"]) == (7, 2, 1)
    assert water["newest"].startswith("2026-02-10")
    assert numbers(analyst)["soil"]["failed"] == 1
    assert numbers(analyst, "first=2026-04-01&days=1")["water"]["deliveries"] == 1
    analyst("POST", f"/deliveries/{first}/decisions/{returned}/undo", expect=201)
    assert numbers(analyst)["water"]["returned"] == 0


def test_the_page_for_a_supplier_stands_alone(analyst: Browser) -> None:
    arrive(analyst, "air", datetime(2026, 1, 3, 8, tzinfo=UTC), a=b"id|no\n1|7\n2|99\n")
    answer = analyst.client.get("/api/feeds/air/supplier.html?first=2026-01-01&days=31")
    text = answer.content.decode()
    assert "<h1>Office &amp; &lt;Sons&gt;</h1>" in text
    assert "What arrived from 2026-01-01 to 2026-01-31" in text
    assert '<th scope="row">Records delivered</th><td>2</td>' in text
    assert "could not be read</th>" not in text  # of what went wrong only what did
    assert not any(each in text for each in ("http:", "https:", "<script", "Water"))
    own = analyst.client.get("/api/feeds/own/supplier.html").content.decode()
    assert "<h1>Own</h1>" in own


@pytest.mark.parametrize("asked", ["days=0", "days=732", "first=0001-01-01", "first=9999-01-01", "first=x"])
def test_a_time_that_cannot_be_is_refused(analyst: Browser, asked: str) -> None:
    analyst("GET", f"/suppliers?{asked}", expect=422)


def test_many_feeds_take_as_many_queries_as_one(analyst: Browser) -> None:
    def queries() -> int:
        with CaptureQueriesContext(connection) as noted:
            suppliers(date(2026, 1, 1), 90)
        return len(noted)

    arrive(analyst, "water", datetime(2026, 1, 3, tzinfo=UTC), a=b"id|ph\n1|7\n")
    few = queries()
    for number in range(4):
        analyst("POST", "/feeds", {"name": f"More {number}", "supplier": f"S{number}"}, expect=201)
        arrive(analyst, f"more-{number}", datetime(2026, 1, 3, tzinfo=UTC) + timedelta(days=number), a=b"id|ph\n1|7\n")
    assert Feed.objects.count() == 8
    assert queries() == few
