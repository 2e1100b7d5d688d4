"""When a feed is expected: a plan that a person wrote or that is learned from arrivals, and what is late by it.

Due times are on the clock of a place (its time zone). Where clocks are put forward over a time it is that much later, where they are put
back the first of both. An arrival belongs to the due time that it is nearest to: what comes a day late is not taken for the next.

A feed may also follow another: then it is due whenever a delivery of the other came, and an arrival belongs to the newest of these.
"""

from __future__ import annotations

import calendar
from bisect import bisect_right
from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from itertools import pairwise
from statistics import median
from typing import Literal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

LEAST_ARRIVALS = 4  # from which a plan is learned
DAY = timedelta(days=1)
LONGEST = 62 * DAY  # between two due times, holidays included
NEVER = datetime.max.replace(tzinfo=UTC)
Every = Literal["day", "weekday", "week", "month", "feed"]


def clock_of(zone: str) -> ZoneInfo:
    """The clock of a time zone (IANA). Raises ValueError when there is none of that name."""
    try:
        return ZoneInfo(zone)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise ValueError(f"There is no time zone “{zone}”. Write one such as Europe/Vienna or UTC.") from error


class Plan(BaseModel):
    """When deliveries are expected. `on`: of a week the day (1 Monday to 7 Sunday), of a month the day (in a shorter month its last).
    `at`: the time of the day in `zone` (IANA). It is late `tolerance` hours after that. On holidays nothing comes: a day's delivery
    falls out, that of a week or month comes on the next day that is none. Every "feed": whenever a delivery of another feed came; `on`,
    `at` and holidays mean nothing then.
    """

    model_config = ConfigDict(frozen=True)

    every: Every
    on: int = Field(1, ge=1, le=31)
    at: time = time(9, 0)
    zone: str = "UTC"
    tolerance: int = Field(24, ge=0, le=24 * 31)

    @field_validator("zone")
    @classmethod
    def _known(cls, zone: str) -> str:
        clock_of(zone)
        return zone

    @model_validator(mode="after")
    def _a_day_of_the_week(self) -> Plan:
        if self.every == "week" and self.on > 7:
            raise ValueError("A week has seven days: 1 is Monday, 7 Sunday.")
        return self


@dataclass(frozen=True)
class Standing:
    """How a feed stands by its plan: when a delivery is expected next (None: once another feed's comes), whether it is late, and how many
    are missing by now.
    """

    expected: datetime | None
    is_late: bool
    missing: int


def due_days(plan: Plan, first: date, holidays: Collection[date] = ()) -> Iterator[date]:
    """The days on which deliveries are due, from a day on, in order and each once; without end."""
    last = None
    for day in _days(plan, first):
        while day in holidays:
            if plan.every in ("day", "weekday"):
                break
            day += DAY
        if day not in holidays and (last is None or day > last):
            last = day
            yield day


def _days(plan: Plan, first: date) -> Iterator[date]:
    if plan.every == "month":
        month = first.year * 12 + first.month - 1
        while True:
            year, of_year = divmod(month, 12)
            day = date(year, of_year + 1, min(plan.on, calendar.monthrange(year, of_year + 1)[1]))
            if day >= first:
                yield day
            month += 1
    day = first
    while True:
        fits = {"day": True, "weekday": day.weekday() < 5, "week": day.isoweekday() == plan.on}
        if fits[plan.every]:
            yield day
        day += DAY


def moment_of(plan: Plan, day: date) -> datetime:
    """The due time of a day, in UTC."""
    zone = ZoneInfo(plan.zone)
    local = datetime.combine(day, plan.at, tzinfo=zone)
    return local.astimezone(UTC)  # of a time that clocks skip, by the offset before: so much later


def due_after(plan: Plan, moment: datetime, holidays: Collection[date] = ()) -> Iterator[datetime]:
    """The due times after a moment, in order."""
    first = moment.astimezone(ZoneInfo(plan.zone)).date() - DAY
    for day in due_days(plan, first, holidays):
        if (due := moment_of(plan, day)) > moment:
            yield due


@dataclass(frozen=True)
class Due:
    """A time at which a delivery was due, and the arrivals that belong to it, in order. `is_missing`: none came, and it should have;
    `is_late`: the first came after the tolerance. Neither is told of times before the plan held.
    """

    at: datetime
    came: tuple[datetime, ...]
    is_missing: bool
    is_late: bool


def _windows(
    plan: Plan, moment: datetime, holidays: Collection[date], others: Collection[datetime]
) -> Iterator[tuple[datetime, datetime, datetime]]:
    """Due times after a moment, each with the time (after, until) within which what arrives belongs to it."""
    if plan.every == "feed":
        known = sorted({each for each in others if each > moment})
        for due, following in pairwise([*known, NEVER]):
            yield due, due - timedelta.resolution, following - timedelta.resolution
        return
    coming = due_after(plan, moment, holidays)
    before, due = next(coming), next(coming)
    for following in coming:
        yield due, before + (due - before) / 2, due + (following - due) / 2
        before, due = due, following


def _within(came: Sequence[datetime], earliest: datetime, latest: datetime) -> tuple[datetime, ...]:
    """Those of the arrivals, in order, that lie in a window."""
    return tuple(came[bisect_right(came, earliest) : bisect_right(came, latest)])


def standing(
    plan: Plan,
    begun: datetime,
    arrivals: Sequence[datetime],
    now: datetime,
    holidays: Collection[date] = (),
    others: Collection[datetime] = (),
) -> Standing:
    """How a feed stands. `begun`: from when on the plan holds; `arrivals` in any order; `others`: those of the feed that it follows. What is
    missing before a delivery that came is not waited for any more.
    """
    came = sorted(arrivals)
    start = max([begun, *(each - LONGEST for each in came[-1:])])
    missing: list[datetime] = []
    for due, earliest, latest in _windows(plan, start - LONGEST, holidays, others):
        if _within(came, earliest, latest):
            missing = []
        elif due >= begun:
            if now <= due + timedelta(hours=plan.tolerance):
                return Standing(missing[0] if missing else due, bool(missing), len(missing))
            missing.append(due)
    return Standing(missing[0] if missing else None, bool(missing), len(missing))


def dues(
    plan: Plan,
    begun: datetime,
    arrivals: Sequence[datetime],
    now: datetime,
    since: datetime,
    until: datetime,
    holidays: Collection[date] = (),
    others: Collection[datetime] = (),
) -> list[Due]:
    """The due times between two moments, and those whose arrivals lie between them. Before the plan held nothing is missing, and only due
    times to which something came are given.
    """
    came = sorted(arrivals)
    told = []
    for due, earliest, latest in _windows(plan, since - 2 * LONGEST, holidays, others):
        if earliest >= until:
            break
        its, holds, last = _within(came, earliest, latest), begun <= due, due + timedelta(hours=plan.tolerance)
        if (since <= due < until and (its or holds)) or any(since <= each < until for each in its):
            told.append(Due(due, its, not its and now > last, holds and bool(its) and its[0] > last))
    return told


def learn(arrivals: Sequence[datetime], zone: str = "UTC") -> Plan | None:
    """The plan that arrivals follow, None where they follow none: every day or weekday, a day of the week, a day of the month."""
    local = sorted(each.astimezone(ZoneInfo(zone)) for each in arrivals)
    if len(local) < LEAST_ARRIVALS:
        return None
    days = [each.date() for each in local]
    gaps = [(later - earlier).days for earlier, later in pairwise(days)]
    at = max(each.time().replace(second=0, microsecond=0) for each in local)
    usual = median(gaps)
    if usual <= 1.5:
        every: Every = "day" if any(day.weekday() > 4 for day in days) else "weekday"
        return _if_followed(Plan(every=every, at=at, zone=zone, tolerance=6), local)
    if 6 <= usual <= 8:
        on = Counter(day.isoweekday() for day in days).most_common(1)[0][0]
        return _if_followed(Plan(every="week", on=on, at=at, zone=zone, tolerance=24), local)
    if 27 <= usual <= 32:
        return _if_followed(Plan(every="month", on=_day_of_month(days), at=at, zone=zone, tolerance=48), local)
    return None


def _day_of_month(days: Sequence[date]) -> int:
    """The latest day on which the delivery of a month usually came; 31 where that is the end of the month."""
    if all(day.day == calendar.monthrange(day.year, day.month)[1] for day in days):
        return 31
    late = sorted(day.day for day in days)
    return late[int(0.9 * (len(late) - 1))]


def _if_followed(plan: Plan, local: Sequence[datetime]) -> Plan | None:
    """A plan, if most arrivals came within its tolerance of a due time, and most due times brought one."""
    span = local[-1] - local[0]
    dues = []
    for due in due_after(plan, local[0].astimezone(UTC) - timedelta(days=4)):
        if due > local[-1].astimezone(UTC) + timedelta(days=4):
            break
        dues.append(due)
    near = sum(any(abs(each - due) <= timedelta(hours=plan.tolerance + 24) for due in dues) for each in local)
    expected = span / max(1, len(dues) - 1) if len(dues) > 1 else span
    return plan if near >= 0.9 * len(local) and len(local) >= 0.6 * span / max(expected, DAY) else None
