"""Plans by the clock: month ends, leap days, clocks that are put forward and back, time zones, holidays; what is late; what is learned."""

from __future__ import annotations

import calendar
from datetime import UTC, date, datetime, time, timedelta
from itertools import islice, pairwise, takewhile
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from pravin_core.monitoring.plans import Plan, Standing, due_after, due_days, dues, learn, moment_of, standing


def days(plan: Plan, first: str, count: int, holidays: tuple[str, ...] = ()) -> list[str]:
    off = {date.fromisoformat(each) for each in holidays}
    return [each.isoformat() for each in islice(due_days(plan, date.fromisoformat(first), off), count)]


@pytest.mark.parametrize(
    ("plan", "first", "expected"),
    [
        ({"every": "day"}, "2024-02-28", ["2024-02-28", "2024-02-29", "2024-03-01"]),
        ({"every": "day"}, "2026-02-28", ["2026-02-28", "2026-03-01", "2026-03-02"]),
        ({"every": "weekday"}, "2026-12-04", ["2026-12-04", "2026-12-07", "2026-12-08"]),
        ({"every": "week", "on": 7}, "2026-12-01", ["2026-12-06", "2026-12-13", "2026-12-20"]),
        ({"every": "month", "on": 31}, "2026-01-31", ["2026-01-31", "2026-02-28", "2026-03-31", "2026-04-30"]),
        ({"every": "month", "on": 29}, "2024-02-01", ["2024-02-29", "2024-03-29"]),
        ({"every": "month", "on": 3}, "2026-12-04", ["2027-01-03", "2027-02-03"]),
    ],
)
def test_days_that_are_due(plan: dict[str, Any], first: str, expected: list[str]) -> None:
    assert days(Plan.model_validate(plan), first, len(expected)) == expected


@pytest.mark.parametrize(
    ("plan", "holidays", "expected"),
    [
        ({"every": "weekday"}, ("2026-12-25",), ["2026-12-24", "2026-12-28"]),
        ({"every": "week", "on": 5}, ("2026-12-25", "2026-12-26"), ["2026-12-27", "2027-01-01"]),
        ({"every": "month", "on": 25}, ("2026-12-25",), ["2026-12-26", "2027-01-25"]),
        ({"every": "week", "on": 5}, tuple(f"2026-12-{day}" for day in range(25, 32)), ["2027-01-01", "2027-01-08"]),
    ],
)
def test_nothing_is_due_on_holidays(plan: dict[str, Any], holidays: tuple[str, ...], expected: list[str]) -> None:
    assert days(Plan.model_validate(plan), "2026-12-24", len(expected), holidays) == expected


@pytest.mark.parametrize(
    ("zone", "at", "day", "expected"),
    [
        ("UTC", "09:00", "2026-03-29", "2026-03-29T09:00"),
        ("Europe/Vienna", "09:00", "2026-03-28", "2026-03-28T08:00"),
        ("Europe/Vienna", "09:00", "2026-03-29", "2026-03-29T07:00"),  # the same on the clock
        ("Europe/Vienna", "02:30", "2026-03-29", "2026-03-29T01:30"),  # is skipped: half past three
        ("Europe/Vienna", "02:30", "2026-10-25", "2026-10-25T00:30"),  # comes twice: the first
        ("Pacific/Auckland", "06:00", "2026-12-02", "2026-12-01T17:00"),
        ("Asia/Kathmandu", "00:00", "2026-12-02", "2026-12-01T18:15"),
    ],
)
def test_due_times_are_on_the_clock_of_a_place(zone: str, at: str, day: str, expected: str) -> None:
    plan = Plan(every="day", at=time.fromisoformat(at), zone=zone)
    assert moment_of(plan, date.fromisoformat(day)).isoformat() == f"{expected}:00+00:00"


PLANS = st.builds(
    Plan,
    every=st.sampled_from(["day", "weekday", "week", "month"]),
    on=st.integers(1, 7),
    at=st.times().map(lambda each: each.replace(second=0, microsecond=0)),
    zone=st.sampled_from(["UTC", "Europe/Vienna", "America/St_Johns", "Pacific/Auckland", "Pacific/Apia"]),
)


@given(PLANS, st.datetimes(datetime(2020, 1, 1), datetime(2030, 1, 1)))
def test_due_times_come_in_order_and_after_the_moment(plan: Plan, moment: datetime) -> None:
    now = moment.replace(tzinfo=UTC)
    dues = list(islice(due_after(plan, now), 8))
    assert all(earlier < later for earlier, later in pairwise([now, *dues]))
    longest = {"day": 1, "weekday": 3, "week": 7, "month": 31}[plan.every]
    assert all(later - earlier <= timedelta(days=longest, hours=2) for earlier, later in pairwise([now, *dues]))
    for due in dues:
        local = due.astimezone(ZoneInfo(plan.zone))
        fits = {"day": True, "weekday": local.weekday() < 5, "week": local.isoweekday() == plan.on}
        assert fits.get(plan.every, local.day == min(plan.on, calendar.monthrange(local.year, local.month)[1]))


MONTHLY = Plan(every="month", on=3, at=time(9), tolerance=48)


def at(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


@pytest.mark.parametrize(
    ("arrivals", "now", "expected", "is_late", "missing"),
    [
        ([], "2026-01-02", "2026-01-03T09:00", False, 0),
        ([], "2026-01-05T08:59", "2026-01-03T09:00", False, 0),  # within its tolerance
        ([], "2026-01-05T09:01", "2026-01-03T09:00", True, 1),
        ([], "2026-03-20", "2026-01-03T09:00", True, 3),
        (["2026-01-03T08:00"], "2026-01-20", "2026-02-03T09:00", False, 0),
        (["2026-01-09T08:00"], "2026-01-20", "2026-02-03T09:00", False, 0),  # late, and not taken for the next
        (["2025-12-29T08:00"], "2026-01-20", "2026-02-03T09:00", False, 0),  # early
        (["2026-01-03", "2026-01-04", "2026-01-05"], "2026-02-20", "2026-02-03T09:00", True, 1),  # three are one
        (["2026-03-03"], "2026-03-20", "2026-04-03T09:00", False, 0),  # the months before are not waited for
        (["2026-01-03"], "2026-04-20", "2026-02-03T09:00", True, 3),
    ],
)
def test_what_is_late(arrivals: list[str], now: str, expected: str, is_late: bool, missing: int) -> None:
    found = standing(MONTHLY, at("2025-12-20"), [at(each) for each in arrivals], at(now))
    assert found == Standing(at(expected), is_late, missing)


def test_a_plan_does_not_look_back_before_it_was_made() -> None:
    found = standing(MONTHLY, at("2026-05-10"), [at("2024-01-03")], at("2026-05-20"))
    assert found == Standing(at("2026-06-03T09:00"), False, 0)


def test_on_holidays_nothing_is_late() -> None:
    plan = Plan(every="weekday", at=time(9), tolerance=2)
    off = [date(2026, 12, 25)]
    came = [at("2026-12-24T08:30")]
    assert standing(plan, at("2026-12-01"), came, at("2026-12-27"), off) == Standing(at("2026-12-28T09:00"), False, 0)
    assert standing(plan, at("2026-12-01"), came, at("2026-12-27")).is_late


FOLLOWING = Plan(every="feed", tolerance=24)


@pytest.mark.parametrize(
    ("others", "arrivals", "now", "expected"),
    [
        ([], [], "2026-01-20", Standing(None, False, 0)),
        (["2026-01-10"], [], "2026-01-10T12:00", Standing(at("2026-01-10"), False, 0)),
        (["2026-01-10"], [], "2026-01-11T01:00", Standing(at("2026-01-10"), True, 1)),
        (["2026-01-10"], ["2026-01-10"], "2026-01-12", Standing(None, False, 0)),  # at the same moment is after it
        (["2026-01-10"], ["2026-01-09T23:59"], "2026-01-12", Standing(at("2026-01-10"), True, 1)),
        (["2026-01-10"], ["2026-03-01"], "2026-03-02", Standing(None, False, 0)),
        (["2026-01-10", "2026-01-12"], ["2026-01-11"], "2026-01-20", Standing(at("2026-01-12"), True, 1)),
        (["2026-01-10", "2026-01-12"], [], "2026-01-12T12:00", Standing(at("2026-01-10"), True, 1)),
        (["2026-01-10", "2026-01-10"], [], "2026-02-12", Standing(at("2026-01-10"), True, 1)),
        (["2025-12-01"], [], "2026-02-12", Standing(None, False, 0)),  # before the plan
    ],
)
def test_what_follows_another_feed(others: list[str], arrivals: list[str], now: str, expected: Standing) -> None:
    came = [at(each) for each in arrivals]
    found = standing(FOLLOWING, at("2025-12-20"), came, at(now), others=[at(each) for each in others])
    assert found == expected


@pytest.mark.parametrize(
    ("arrivals", "now", "expected"),
    [
        ([], "2026-02-28", [("2026-02-03T09:00", [], True)]),
        ([], "2026-02-05T09:00", [("2026-02-03T09:00", [], False)]),
        (["2026-02-08", "2026-02-02"], "2026-02-28", [("2026-02-03T09:00", ["2026-02-02", "2026-02-08"], False)]),
        # the next month's came early, and that of the month before late
        (["2026-02-27"], "2026-02-28", [("2026-02-03T09:00", [], True), ("2026-03-03T09:00", ["2026-02-27"], False)]),
        (["2026-02-01", "2026-01-15"], "2026-02-28", [("2026-02-03T09:00", ["2026-02-01"], False)]),
    ],
)
def test_what_was_due_in_a_month(arrivals: list[str], now: str, expected: list[tuple[str, list[str], bool]]) -> None:
    came = [at(each) for each in arrivals]
    told = dues(MONTHLY, at("2025-12-20"), came, at(now), at("2026-02-01"), at("2026-03-01"))
    assert [(due.at, due.came, due.is_missing) for due in told] == [
        (at(due), tuple(at(each) for each in its), missing) for due, its, missing in expected
    ]


@pytest.mark.parametrize(
    ("begun", "arrivals", "is_late"),
    [
        ("2025-12-20", ["2026-02-05T09:00"], False),  # within the tolerance of two days
        ("2025-12-20", ["2026-02-05T09:01"], True),
        ("2025-12-20", ["2026-02-02", "2026-02-08"], False),  # the first is what was waited for
        ("2026-02-04", ["2026-02-08"], False),  # the plan did not hold then
        ("2025-12-20", [], False),
    ],
)
def test_what_came_late(begun: str, arrivals: list[str], is_late: bool) -> None:
    came = [at(each) for each in arrivals]
    told = dues(MONTHLY, at(begun), came, at("2026-02-28"), at("2026-02-01"), at("2026-03-01"))
    assert [due.is_late for due in told if due.came or due.at >= at(begun)] == [is_late]


def test_before_a_plan_only_what_came_was_due() -> None:
    came = [at("2026-01-03"), at("2026-03-03")]
    told = dues(MONTHLY, at("2026-03-20"), came, at("2026-05-20"), at("2026-01-01"), at("2026-06-01"))
    assert [(due.at.month, len(due.came), due.is_missing) for due in told] == [
        (1, 1, False), (3, 1, False), (4, 0, True), (5, 0, True),
    ]  # fmt: skip


@given(
    plan=st.sampled_from([MONTHLY, Plan(every="week", on=2, zone="Europe/Vienna"), Plan(every="weekday", at=time(22))]),
    hours=st.lists(st.integers(0, 24 * 120), max_size=12),
    now=st.integers(0, 24 * 130),
)
def test_every_arrival_belongs_to_the_due_time_that_is_nearest(plan: Plan, hours: list[int], now: int) -> None:
    since, until = at("2026-02-01"), at("2026-06-01")
    came = [since + timedelta(hours=each) for each in hours if since + timedelta(hours=each) < until]
    moment = since + timedelta(hours=now)
    told = dues(plan, since, came, moment, since, until)
    all_due = list(takewhile(lambda due: due < until + timedelta(days=70), due_after(plan, since - timedelta(days=70))))
    assert sorted(each for due in told for each in due.came) == sorted(came)
    for due in told:
        assert due.is_missing == (not due.came and moment > due.at + timedelta(hours=plan.tolerance))
        for each in due.came:
            assert abs(due.at - each) == min(abs(other - each) for other in all_due)
    assert {due.at for due in told} >= {due for due in all_due if since <= due < until}


@pytest.mark.parametrize("seed", range(5))
@pytest.mark.parametrize(
    "plan",
    [
        Plan(every="day", at=time(6)), Plan(every="weekday", at=time(6)), Plan(every="week", on=3, at=time(6)),
        Plan(every="month", on=31, at=time(6)), Plan(every="month", on=5, at=time(6)),
    ],
    ids=lambda plan: f"{plan.every}-{plan.on}",
)  # fmt: skip
def test_a_plan_is_learned_from_arrivals(plan: Plan, seed: int) -> None:
    draw = np.random.default_rng(seed)
    dues = islice(due_after(plan, at("2026-01-01")), 16)
    arrivals = [due - timedelta(minutes=int(draw.integers(0, 90))) for due in dues]
    learned = learn(arrivals)
    assert learned is not None
    assert learned.every == plan.every
    if plan.every in ("week", "month"):
        assert learned.on == plan.on
    late = standing(learned, arrivals[0], arrivals, arrivals[-1] + timedelta(minutes=1))
    assert not late.is_late


@pytest.mark.parametrize("seed", range(5))
def test_no_plan_is_learned_from_few_or_irregular_arrivals(seed: int) -> None:
    draw = np.random.default_rng(seed)
    arrivals = [at("2026-01-01") + timedelta(days=float(each)) for each in np.cumsum(draw.exponential(17, 20))]
    assert learn(arrivals) is None
    assert learn(arrivals[:3]) is None


@pytest.mark.parametrize(
    ("plan", "says"),
    [
        ({"every": "week", "on": 8}, "A week has seven days"),
        ({"every": "day", "zone": "Mars/Olympus"}, "There is no time zone “Mars/Olympus”"),
        ({"every": "day", "zone": "../../etc/passwd"}, "There is no time zone"),
        ({"every": "hour"}, "every"),
        ({"every": "month", "on": 32}, "on"),
    ],
)
def test_a_plan_that_cannot_be_is_refused(plan: dict[str, Any], says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        Plan.model_validate(plan)
