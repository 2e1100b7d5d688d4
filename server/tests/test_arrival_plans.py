"""Plans of arrivals: kept, judged, told on the board, learned from what arrived."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from conftest import Browser, do_work
from pravin_server.deliveries.models import Delivery
from pravin_server.library.models import CodeList, CodeListVersion
from pravin_server.monitoring import arrivals
from pravin_server.monitoring.models import ArrivalPlan

UTC = ZoneInfo("UTC")
DAILY = {"every": "day", "at": "00:00", "tolerance": 3}


@pytest.fixture
def analyst(db: None) -> Browser:
    person = Browser("ana")
    person("POST", "/feeds", {"name": "Water"}, expect=201)
    return person


def keep(person: Browser, plan: dict[str, Any], holidays: str = "", expect: int = 200) -> Any:
    return person("PUT", "/feeds/water/arrival-plan", {"plan": plan, "holidays": holidays}, expect=expect)


def begun(days: int) -> None:
    ArrivalPlan.objects.update(begun=timezone.now() - timedelta(days=days))


def arrive(person: Browser, at: datetime) -> None:
    made = Delivery.objects.count()
    delivery = person.upload("water", **{f"day{made}.txt": b"id|ph\n%d|7\n" % made})["id"]
    do_work()
    Delivery.objects.filter(pk=delivery).update(received=at)


def line(person: Browser) -> Any:
    return person("GET", "/feeds", expect=200)[0]


def test_without_a_plan_nothing_is_late(analyst: Browser) -> None:
    assert (line(analyst)["expected"], line(analyst)["is_late"], line(analyst)["waiting"]) == (None, False, "")
    told = analyst("GET", "/feeds/water/arrival-plan", expect=200)
    assert told == {"plan": None, "holidays": "", "standing": None, "learned": None}


def test_what_is_late_is_told_on_the_board_until_it_comes(analyst: Browser) -> None:
    kept = keep(analyst, DAILY)
    assert kept["standing"]["is_late"] is False
    begun(days=2)
    assert line(analyst)["is_late"] is True
    assert line(analyst)["waiting"] == "2 deliveries are late"
    arrive(analyst, timezone.now())
    told = line(analyst)
    assert (told["is_late"], told["waiting"]) == (False, "delivery 1 is new")
    assert datetime.fromisoformat(told["expected"]) > timezone.now()


def test_what_is_late_stands_before_what_else_waits(analyst: Browser) -> None:
    arrive(analyst, timezone.now() - timedelta(days=2, hours=1))
    keep(analyst, {**DAILY, "tolerance": 0})
    begun(days=1)
    assert line(analyst)["waiting"] == "a delivery is late; delivery 1 is new"


def test_holidays_are_a_code_list_of_days(analyst: Browser) -> None:
    now = timezone.now()
    days = [[(now - timedelta(days=ago)).date().isoformat(), "rest"] for ago in range(5)]
    for name, codes in {"rest days": days, "analytes": [["ph", "acidity"]]}.items():
        CodeListVersion.objects.create(list=CodeList.objects.create(name=name), number=1, codes=codes, change="first")
    keep(analyst, DAILY, "rest days")
    begun(days=3)
    assert line(analyst)["is_late"] is False
    assert analyst("GET", "/feeds/water/arrival-plan", expect=200)["holidays"] == "rest days"
    assert "no day such as" in keep(analyst, DAILY, "analytes", expect=422)["detail"]
    assert "no code list" in keep(analyst, DAILY, "nothing", expect=422)["detail"]
    keep(analyst, DAILY)
    begun(days=3)
    assert line(analyst)["is_late"] is True


@pytest.mark.parametrize(
    "plan",
    [{"every": "hour"}, {"every": "week", "on": 9}, {"every": "day", "zone": "Nowhere"}, {"every": "month", "on": 0}],
)
def test_a_plan_that_cannot_be_is_refused(analyst: Browser, plan: dict[str, Any]) -> None:
    answer = keep(analyst, plan, expect=422)
    assert answer["detail"]
    assert "pydantic" not in str(answer).lower()
    assert not ArrivalPlan.objects.exists()


def test_a_plan_is_learned_from_what_arrived(analyst: Browser) -> None:
    for month in range(1, 7):
        arrive(analyst, datetime(2026, month, 2, 6, 10 + month, tzinfo=UTC))
    learned = analyst("GET", "/feeds/water/arrival-plan", expect=200)["learned"]
    assert (learned["every"], learned["on"], learned["at"][:5], learned["zone"]) == ("month", 2, "06:16", "UTC")
    kept = keep(analyst, learned)
    assert kept["plan"] == learned
    analyst("DELETE", "/feeds/water/arrival-plan", expect=204)
    assert analyst("GET", "/feeds/water/arrival-plan", expect=200)["plan"] is None


def test_many_feeds_take_as_many_queries_as_one(analyst: Browser) -> None:
    keep(analyst, DAILY)
    for number in range(5):
        analyst("POST", "/feeds", {"name": f"Other {number}"}, expect=201)
        analyst("PUT", f"/feeds/other-{number}/arrival-plan", {"plan": DAILY}, expect=200)
    with CaptureQueriesContext(connection) as queries:
        told = arrivals.standings(list(ArrivalPlan.objects.values_list("feed", flat=True)))
    assert len(told) == 6
    assert len(queries) <= 4  # one of them is this test's own
