"""Plans of arrivals: kept, judged, told on the board, learned from what arrived."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from conftest import Browser, do_work
from pravin_server.deliveries.models import Delivery
from pravin_server.library.models import CodeList, CodeListVersion
from pravin_server.monitoring import arrivals, calendar
from pravin_server.monitoring.models import ArrivalPlan

UTC = ZoneInfo("UTC")
DAILY = {"every": "day", "at": "00:00", "tolerance": 0}  # late from midnight on, whatever the time of the day is


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
    assert told == {"plan": None, "holidays": "", "after": "", "standing": None, "learned": None}


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


def following(person: Browser, **more: Any) -> dict[str, Any]:
    """A plan by which Water follows the feed Sites."""
    person("POST", "/feeds", {"name": "Sites"}, expect=201)
    return {"plan": {"every": "feed", "tolerance": 5}, "holidays": "", "after": "sites", **more}


def test_a_feed_that_follows_another_is_late_after_that_came(analyst: Browser) -> None:
    kept = analyst("PUT", "/feeds/water/arrival-plan", following(analyst), expect=200)
    assert (kept["after"], kept["standing"]) == ("sites", {"expected": None, "is_late": False, "missing": 0})
    begun(days=2)
    assert (line(analyst)["expected"], line(analyst)["is_late"]) == (None, False)
    delivery = analyst.upload("sites", file=b"id|name\n1|a\n")["id"]
    came = timezone.now() - timedelta(hours=6)
    Delivery.objects.filter(pk=delivery).update(received=came)
    water = next(each for each in analyst("GET", "/feeds", expect=200) if each["slug"] == "water")
    assert (water["is_late"], water["waiting"]) == (True, "a delivery is late")
    arrive(analyst, came + timedelta(hours=5, minutes=30))
    assert analyst("GET", "/feeds/water/arrival-plan", expect=200)["standing"] == {
        "expected": None, "is_late": False, "missing": 0,
    }  # fmt: skip


@pytest.mark.parametrize(
    ("after", "says"), [("", "Say which feed"), ("none", "Say which feed"), ("water", "follow itself")]
)
def test_a_feed_follows_another_that_is_there(analyst: Browser, after: str, says: str) -> None:
    refused = analyst("PUT", "/feeds/water/arrival-plan", following(analyst, after=after), expect=422)
    assert says in refused["detail"]
    assert not ArrivalPlan.objects.exists()


def entries(person: Browser, first: str, days: int = 31, zone: str = "UTC") -> dict[str, list[tuple[str, str]]]:
    told = person("GET", f"/calendar?first={first}&days={days}&zone={zone}", expect=200)
    return {feed["slug"]: [(entry["day"], entry["sort"]) for entry in feed["entries"]] for feed in told}


def test_the_calendar_says_what_came_what_is_missing_and_what_is_due(analyst: Browser) -> None:
    keep(analyst, {"every": "week", "on": 1, "at": "09:00", "zone": "Europe/Vienna", "tolerance": 24})
    monday = (timezone.now() - timedelta(days=timezone.now().weekday() + 21)).replace(hour=12, minute=0)
    ArrivalPlan.objects.update(begun=monday - timedelta(days=3))
    arrive(analyst, monday)
    arrive(analyst, monday + timedelta(hours=3))
    arrive(analyst, monday + timedelta(days=9))  # of the week after, two days late
    arrive(
        analyst, monday - timedelta(days=7, hours=12) + timedelta(hours=11)
    )  # before the plan, at midnight in Vienna or after
    told = entries(analyst, (monday - timedelta(days=8)).date().isoformat(), 28)["water"]
    expected = [(-7, "came"), (0, "came"), (0, "again"), (9, "late"), (14, "missing")]
    assert told == [((monday + timedelta(days=each)).date().isoformat(), sort) for each, sort in expected]
    ahead = entries(analyst, (timezone.now() + timedelta(days=2)).date().isoformat())["water"]
    assert {sort for _, sort in ahead} == {"due"}
    assert len(ahead) in (4, 5)


def test_the_calendar_is_on_the_clock_of_who_looks_where_nothing_is_planned(analyst: Browser) -> None:
    arrive(analyst, datetime(2026, 3, 1, 2, tzinfo=UTC))
    assert entries(analyst, "2026-03-01", 1) == {"water": [("2026-03-01", "came")]}
    assert entries(analyst, "2026-03-01", 1, "America/New_York") == {}
    assert entries(analyst, "2026-02-28", 1, "America/New_York") == {"water": [("2026-02-28", "came")]}


@pytest.mark.parametrize(
    "asked", ["zone=Nowhere", "zone=../etc", "first=9999-12-31", "first=0001-01-01", "days=0", "days=63"]
)
def test_a_calendar_that_cannot_be_is_refused(analyst: Browser, asked: str) -> None:
    analyst("GET", f"/calendar?{asked}", expect=422)


def test_a_calendar_of_many_feeds_takes_as_many_queries_as_of_one(analyst: Browser) -> None:
    for number in range(5):
        analyst("POST", "/feeds", {"name": f"Other {number}"}, expect=201)
        analyst("PUT", f"/feeds/other-{number}/arrival-plan", {"plan": DAILY}, expect=200)
    with CaptureQueriesContext(connection) as queries:
        assert len(calendar.calendar(date(2026, 3, 1), 31, UTC)) == 5
    assert len(queries) <= 4
