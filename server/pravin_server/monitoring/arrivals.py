"""When deliveries of feeds are expected, and which are late."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import asdict, dataclass
from datetime import date, datetime, timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from pravin_core.monitoring.plans import Plan, Standing, learn, standing
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Invalid
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.library.models import CodeList, CodeListVersion
from pravin_server.monitoring.models import ArrivalPlan

LOOKED_AT = 400  # arrivals that a plan is learned from
RECENT = timedelta(days=140)  # of arrivals: before that nothing is looked at to tell what is late


@transaction.atomic
def keep_plan(user: Any, feed: Feed, plan: Plan, holidays: str, after: str = "") -> ArrivalPlan:
    """Say when deliveries of a feed are expected, from now on. `after`: the feed that it follows, by its slug. Raises Invalid for a feed
    that it cannot follow, and for a code list of holidays that is none.
    """
    person = may_work(user, "plan when deliveries arrive")
    days = _code_list(holidays) if holidays else None
    other = _followed(feed, after) if plan.every == "feed" else None
    fields = {"content": plan.model_dump(mode="json"), "holidays": days, "after": other, "by": person}
    kept, _ = ArrivalPlan.objects.update_or_create(feed=feed, defaults=fields)
    note(person, f"planned when deliveries of {feed.name} arrive", feed.slug, **plan.model_dump(mode="json"))
    return kept


def _followed(feed: Feed, slug: str) -> Feed:
    other = Feed.objects.filter(slug=slug).first()
    if other is None:
        raise Invalid("Say which feed it follows.", field="after")
    if other.pk == feed.pk:
        raise Invalid("A feed cannot follow itself.", field="after")
    return other


@transaction.atomic
def drop_plan(user: Any, feed: Feed) -> None:
    """Expect deliveries of the feed at no certain time."""
    person = may_work(user, "plan when deliveries arrive")
    if ArrivalPlan.objects.filter(feed=feed).delete()[0]:
        note(person, f"dropped the plan when deliveries of {feed.name} arrive", feed.slug)


def _code_list(name: str) -> CodeList:
    code_list = CodeList.objects.filter(name=name).first()
    if code_list is None:
        raise Invalid(f"There is no code list “{name}” in the library.", field="holidays")
    version = code_list.versions.first()
    codes = [str(code) for code, _ in version.codes] if version else []
    if wrong := [code for code in codes if _as_day(code) is None]:
        raise Invalid(
            f"“{wrong[0]}” in “{name}” is no day such as 2026-12-25. Holidays are a list of days.", field="holidays"
        )
    return code_list


def _as_day(code: str) -> date | None:
    try:
        return date.fromisoformat(code)
    except ValueError:
        return None


def learned(feed: Feed, zone: str = "UTC") -> Plan | None:
    """The plan that the arrivals of a feed follow, None where they follow none."""
    arrivals = feed.deliveries.order_by("-received").values_list("received", flat=True)[:LOOKED_AT]
    return learn(list(arrivals), zone)


@dataclass(frozen=True)
class Arrived:
    """A delivery as it arrived."""

    id: int
    number: int
    at: datetime
    state: str


class Arrivals:
    """What plans are judged by: the deliveries of their feeds and of those that they follow between two moments, and holidays (two
    queries).
    """

    def __init__(
        self, plans: Iterable[ArrivalPlan], feeds: Iterable[int], since: datetime, until: datetime | None = None
    ) -> None:
        self.of_feed: dict[int, list[Arrived]] = {}
        of_interest = {*feeds, *(plan.after_id for plan in plans if plan.after_id)}
        recent = Delivery.objects.filter(feed__in=of_interest, received__gt=since).order_by("received", "pk")
        if until is not None:
            recent = recent.filter(received__lt=until)
        for feed, id_, number, at, state in recent.values_list("feed", "pk", "number", "received", "state"):
            self.of_feed.setdefault(feed, []).append(Arrived(id_, number, at, state))
        self._days = _holidays({plan.holidays_id for plan in plans if plan.holidays_id})

    def times(self, feed: int | None) -> list[datetime]:
        """When the deliveries of a feed arrived."""
        return [each.at for each in self.of_feed.get(feed or 0, [])]

    def holidays(self, plan: ArrivalPlan) -> Collection[date]:
        """The days on which nothing comes."""
        return self._days.get(plan.holidays_id, ())


def standings(feeds: Sequence[int], now: datetime | None = None) -> dict[int, dict[str, Any]]:
    """How feeds with a plan stand, by feed: `expected` next, `is_late`, how many are `missing` (three queries)."""
    plans = list(ArrivalPlan.objects.filter(feed__in=feeds))
    if not plans:
        return {}
    now = now or timezone.now()
    since = min(now, *(plan.begun for plan in plans)) - RECENT
    arrivals = Arrivals(plans, [plan.feed_id for plan in plans], since)
    return {plan.feed_id: asdict(_standing(plan, arrivals, now)) for plan in plans}


def _standing(plan: ArrivalPlan, arrivals: Arrivals, now: datetime) -> Standing:
    own, others = arrivals.times(plan.feed_id), arrivals.times(plan.after_id)
    return standing(Plan.model_validate(plan.content), plan.begun, own, now, arrivals.holidays(plan), others)


def _holidays(lists: set[int]) -> dict[int | None, frozenset[date]]:
    """The days of code lists in their newest version; what is no day any more is left out."""
    newest = (
        CodeListVersion.objects.filter(list__in=lists).order_by("list_id", "-number").distinct("list_id")
        if lists
        else []
    )
    return {
        version.list_id: frozenset(day for code, _ in version.codes if (day := _as_day(str(code))))
        for version in newest
    }
