"""What came from whom: how much, how good, how late, how often returned and answered."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from django.db.models import Count, F, QuerySet, Sum
from django.template.loader import render_to_string
from django.utils import timezone

from pravin_server.deliveries.models import Delivery, DesignChange
from pravin_server.feeds.models import Feed
from pravin_server.monitoring.calendar import calendar
from pravin_server.monitoring.models import Memory, NewsAnswer
from pravin_server.quarantine.models import Decision
from pravin_server.workspace.summaries import summaries

UTC = ZoneInfo("UTC")
PARTS = ("delivered", "added", "ready", "corrected", "quarantined", "removed", "rejected")


def suppliers(first: date, days: int) -> list[dict[str, Any]]:
    """Every supplier that is named, with their feeds and what these brought in so many days from the first on (UTC).

    Of each feed: `deliveries`, `balance` of all of them as last run, how many came `late`, are `missing`, came `again` for the same due
    time, `failed` to be read, were `incomplete` or `repeated`; `changes` of design; records `returned` (once for each act) and `answered`,
    `questions` about what was new.
    """
    lines: dict[str, list[dict[str, Any]]] = {}
    for feed, numbers in _with_numbers(Feed.objects.exclude(supplier=""), first, days):
        lines.setdefault(feed.supplier, []).append(numbers)
    return [{"name": name, "feeds": of_supplier} for name, of_supplier in lines.items()]


def _with_numbers(chosen: QuerySet[Feed], first: date, days: int) -> Iterator[tuple[Feed, dict[str, Any]]]:
    feeds = list(chosen.select_related("owner").order_by("supplier", "name", "slug"))
    begin = datetime.combine(first, time(), UTC)
    came = Delivery.objects.filter(
        feed__in=[feed.pk for feed in feeds], received__gte=begin, received__lt=begin + timedelta(days=days)
    )
    numbers = _Numbers(came, first, days)
    for feed in feeds:
        owner = feed.owner.shown if feed.owner else ""
        yield feed, {"slug": feed.slug, "name": feed.name, "owner": owner, **numbers.of(feed)}


class _Numbers:
    """What is counted of the deliveries of feeds, in a fixed number of queries."""

    def __init__(self, came: QuerySet[Delivery], first: date, days: int) -> None:
        self._balances: dict[int, Counter[str]] = {}
        rows = list(came.values_list("pk", "feed", "state", "received"))
        known = summaries([pk for pk, *_ in rows])
        for pk, feed, _, _ in rows:
            self._balances.setdefault(feed, Counter()).update(known[pk]["balance"])
        self._deliveries = Counter(feed for _, feed, _, _ in rows)
        self._failed = Counter(feed for _, feed, state, _ in rows if state == Delivery.State.FAILED)
        self._newest = {feed: at for at, feed in sorted((at, feed) for _, feed, _, at in rows)}
        self._sorts = {
            line["slug"]: Counter(entry["sort"] for entry in line["entries"]) for line in calendar(first, days, UTC)
        }
        memories = Memory.objects.filter(delivery__in=came)
        self._told = {
            kind: _by_feed(memories.filter(news__contains=[{"kind": kind}]), Count("pk"))
            for kind in ("incomplete", "delivered before")
        }
        holding = Decision.objects.filter(delivery__in=came, undone_at=None)
        self._changes = _by_feed(DesignChange.objects.filter(delivery__in=came), Count("pk"))
        self._returned = _by_feed(holding.filter(kind=Decision.Kind.RETURN), Sum("records"))
        self._answered = _by_feed(holding.filter(details__has_key="returned"), Sum("records"))
        asked = NewsAnswer.objects.filter(delivery__in=came, answer=NewsAnswer.Answer.ASKED)
        self._questions = _by_feed(asked, Count("pk"))

    def of(self, feed: Feed) -> dict[str, Any]:
        """The numbers of one feed."""
        balance, sorts = self._balances.get(feed.pk, Counter()), self._sorts.get(feed.slug, Counter())
        return {
            "deliveries": self._deliveries[feed.pk], "newest": self._newest.get(feed.pk),
            "balance": {part: balance[part] for part in PARTS}, "failed": self._failed[feed.pk],
            "late": sorts["late"], "missing": sorts["missing"], "again": sorts["again"],
            "incomplete": self._told["incomplete"].get(feed.pk, 0), "repeated": self._told["delivered before"].get(feed.pk, 0),
            "changes": self._changes.get(feed.pk, 0), "returned": self._returned.get(feed.pk, 0),
            "answered": self._answered.get(feed.pk, 0), "questions": self._questions.get(feed.pk, 0),
        }  # fmt: skip


def _by_feed(rows: QuerySet[Any], number: Count | Sum) -> dict[int, int]:
    counted: Iterable[tuple[int, int]] = (
        rows.order_by().values(of=F("delivery__feed")).annotate(number=number).values_list("of", "number")
    )
    return dict(counted)


def page(feed: Feed, first: date, days: int) -> str:
    """What the supplier of a feed brought, with all their feeds, as one HTML page without anything from outside, to be sent to them."""
    theirs = Feed.objects.filter(supplier=feed.supplier) if feed.supplier else Feed.objects.filter(pk=feed.pk)
    return render_to_string(
        "workspace/supplier.html",
        {
            "name": feed.supplier or feed.name,
            "feeds": [{**numbers, "lines": list(_in_words(numbers))} for _, numbers in _with_numbers(theirs, first, days)],
            "first": first, "last": first + timedelta(days=days - 1), "made": f"{timezone.now():%Y-%m-%d %H:%M}",
        },
    )  # fmt: skip


def _in_words(feed: dict[str, Any]) -> Iterator[tuple[str, str]]:
    """The numbers of a feed, as its supplier reads them; of what went wrong only what did."""
    balance = feed["balance"]
    yield "Deliveries", f"{feed['deliveries']:,}"
    yield "Records delivered", f"{balance['delivered']:,}"
    yield "Lines that could not be read as records", f"{balance['rejected']:,}"
    yield "Records in quarantine now", _of(balance["quarantined"], balance["delivered"])
    for part, words in _WHERE_ANY.items():
        if feed[part]:
            yield words, f"{feed[part]:,}"


def _of(part: int, whole: int) -> str:
    return f"{part:,}" + (f" ({part / whole:.2%})" if part else "")


_WHERE_ANY = {
    "late": "Deliveries that came late",
    "missing": "Deliveries that are missing",
    "again": "Deliveries that came again for the same date",
    "failed": "Deliveries that could not be read",
    "incomplete": "Deliveries that lacked a file or table",
    "repeated": "Deliveries with files that came before",
    "changes": "Changes of columns",
    "returned": "Records returned to you",
    "answered": "Records that you answered",
    "questions": "Questions asked about what was new",
}
