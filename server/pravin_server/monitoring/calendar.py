"""The calendar of feeds: what came, what is late or missing, and what is expected, day by day."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from django.utils import timezone

from pravin_core.monitoring.plans import Due, Plan, dues
from pravin_server.feeds.models import Feed
from pravin_server.monitoring.arrivals import RECENT, Arrivals, Arrived
from pravin_server.monitoring.models import ArrivalPlan

DAY = timedelta(days=1)


def calendar(first: date, days: int, usual: ZoneInfo, now: datetime | None = None) -> list[dict[str, Any]]:
    """The feeds that have a plan or a delivery in so many days from the first on, by name, with what happened or is to happen (`entries`,
    in order). Days are on the clock of a feed's plan, of those without a plan on the `usual` one.
    """
    now = now or timezone.now()
    plans = {plan.feed_id: plan for plan in ArrivalPlan.objects.select_related("after")}
    feeds = list(Feed.objects.select_related("owner"))
    begin = datetime.combine(first, time(), ZoneInfo("UTC"))
    arrivals = Arrivals(list(plans.values()), [feed.pk for feed in feeds], begin - RECENT, begin + days * DAY + RECENT)
    lines = []
    for feed in feeds:
        plan = plans.get(feed.pk)
        clock = ZoneInfo(plan.content["zone"]) if plan and plan.content["every"] != "feed" else usual
        since = datetime.combine(first, time(), clock)
        entries = _entries(arrivals.of_feed.get(feed.pk, []), _dues(plan, arrivals, since, days, now), clock)
        shown = [entry for entry in entries if first <= entry["day"] < first + days * DAY]
        if plan or shown:
            lines.append(
                {
                    "slug": feed.slug, "name": feed.name, "supplier": feed.supplier, "owner": feed.owner.shown if feed.owner else "",
                    "zone": str(clock), "plan": plan.content if plan else None, "after": plan.after.name if plan and plan.after else "",
                    "entries": sorted(shown, key=lambda entry: entry["at"]),
                }
            )  # fmt: skip
    return sorted(lines, key=lambda line: (line["name"].casefold(), line["slug"]))


def _dues(plan: ArrivalPlan | None, arrivals: Arrivals, since: datetime, days: int, now: datetime) -> list[Due]:
    if plan is None:
        return []
    own, others = arrivals.times(plan.feed_id), arrivals.times(plan.after_id)
    until, off = since + (days + 1) * DAY, arrivals.holidays(plan)
    return dues(Plan.model_validate(plan.content), plan.begun, own, now, since - DAY, until, off, others)


def _entries(came: list[Arrived], planned: list[Due], clock: ZoneInfo) -> list[dict[str, Any]]:
    sorts: dict[datetime, tuple[str, datetime]] = {}
    entries = []
    for due in planned:
        if not due.came:
            entries.append(_entry(due.at, "missing" if due.is_missing else "due", clock, due.at))
        for place, moment in enumerate(due.came):
            sorts[moment] = ("again" if place else "late" if due.is_late else "came", due.at)
    for each in came:
        sort, due_at = sorts.get(each.at, ("came", None))
        entries.append(_entry(each.at, sort, clock, due_at, each))
    return entries


def _entry(
    at: datetime, sort: str, clock: ZoneInfo, due: datetime | None, came: Arrived | None = None
) -> dict[str, Any]:
    return {
        "day": at.astimezone(clock).date(), "at": at, "sort": sort, "due": due, "delivery": came.id if came else None,
        "number": came.number if came else None, "state": came.state if came else "",
    }  # fmt: skip
