"""The board of feeds, and the quarantine over all of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from django.contrib.postgres.expressions import ArraySubquery
from django.db.models import F, OuterRef, QuerySet, Subquery
from django.utils import timezone

from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.library.tables import tables_of_feeds
from pravin_server.monitoring.arrivals import standings as standings_by_plan
from pravin_server.quarantine.listing import first_reasons
from pravin_server.quarantine.overview import Trends, standings
from pravin_server.releases.models import ReleaseProposal
from pravin_server.runs.models import Run
from pravin_server.workspace.summaries import summaries

SHOWN = 12  # deliveries of a feed
MOST_REASONS = 5


def board() -> list[dict[str, Any]]:
    """One line for each feed, those that wait for a person first."""
    return sorted(_lines(Feed.objects.all()), key=lambda line: (not line["waiting"], line["name"].casefold()))


def feed_line(feed: Feed) -> dict[str, Any]:
    """A feed with its last dozen deliveries in time order, and what waits for a person."""
    return _lines(Feed.objects.filter(pk=feed.pk))[0]


def deliveries_before(feed: Feed | None, delivery: int, limit: int) -> list[dict[str, Any]]:
    """The deliveries, of one feed or of all, that were made before a delivery: the newest first, at most `limit`."""
    made = Delivery.objects.filter(pk__lt=delivery)
    if feed is not None:
        made = made.filter(feed=feed)
    ids = list(made.order_by("-pk").values_list("pk", flat=True)[:limit])
    known = summaries(ids)
    return [known[pk] for pk in ids]


def _lines(feeds: QuerySet[Feed]) -> list[dict[str, Any]]:
    of_feed = Delivery.objects.filter(feed=OuterRef("pk")).order_by("-received", "-id").values("pk")[:SHOWN]
    ids = {feed: newest[::-1] for feed, newest in feeds.values_list("pk", ArraySubquery(of_feed))}
    known = summaries([number for some in ids.values() for number in some])
    lines = list(feeds.select_related("owner"))
    expected = standings_by_plan([feed.pk for feed in lines])
    return [_line(feed, [known[number] for number in ids.get(feed.pk, [])], expected.get(feed.pk)) for feed in lines]


def _line(feed: Feed, deliveries: list[dict[str, Any]], standing: dict[str, Any] | None) -> dict[str, Any]:
    waits = waiting_in(deliveries)
    return {
        "id": feed.pk,
        "slug": feed.slug,
        "name": feed.name,
        "supplier": feed.supplier,
        "about": feed.about,
        "owner": feed.owner.shown if feed.owner else "",
        "columns": feed.columns,
        "deliveries": deliveries,
        "expected": standing["expected"] if standing else None,
        "is_late": bool(standing and standing["is_late"]),
        "missing": standing["missing"] if standing else 0,
        "waits": waits,
        "waiting": "; ".join(filter(None, [late_in_words(standing), waits.says if waits else ""])),
    }


def late_in_words(standing: dict[str, Any] | None) -> str:
    """What is late, in words."""
    if standing is None or not standing["is_late"]:
        return ""
    missing = standing["missing"]
    return "a delivery is late" if missing == 1 else f"{missing} deliveries are late"


class Waiting(NamedTuple):
    """What a person is needed for with a delivery: of which sort it is, and in words. `key` is another when it is another thing: a second
    proposal is not the first.
    """

    sort: str
    delivery: int
    says: str
    key: str


def waiting_in(deliveries: Sequence[dict[str, Any]]) -> Waiting | None:
    """What a person is needed for, of the newest delivery for which one is."""
    for delivery in reversed(deliveries):
        if needed := _needed(delivery):
            sort, says = needed
            proposal = f":{delivery['proposal_id']}" if sort in ("proposal", "declined") else ""
            return Waiting(sort, delivery["id"], says, f"{sort}:{delivery['id']}{proposal}")
    return None


def _needed(delivery: dict[str, Any]) -> tuple[str, str] | None:
    number, unsettled = delivery["number"], delivery["unsettled"]
    if delivery["state"] == Delivery.State.FAILED:
        return "failed", f"delivery {number} could not be read"
    if delivery["published"]:
        return None
    if unsettled:
        return "design", f"{unsettled} design change{'s' * (unsettled > 1)} to settle in delivery {number}"
    if not delivery["has_run"]:
        return "new", f"delivery {number} is new"
    if delivery["news"] and not delivery["proposal"]:
        return "news", f"{delivery['news']} new in delivery {number}"
    if delivery["proposal"] == ReleaseProposal.State.WAITING:
        return "proposal", f"the release of delivery {number} waits for an approver"
    if delivery["proposal"] == ReleaseProposal.State.DECLINED:
        return "declined", f"the release of delivery {number} was declined"
    if delivery["held"]:
        return "quarantine", f"{delivery['held']:,} quarantined in delivery {number}"
    return "release", f"delivery {number} can be released"


def quarantine_everywhere(person: Any) -> list[dict[str, Any]]:
    """Deliveries with records in quarantine, over all feeds: first those with records whose day is past, then those that wait the
    longest. Told of each: how many are a person's own, with their supplier, and what waits for them.
    """
    counting = Run.objects.filter(purpose=Run.Purpose.RUN, state="done", snapshot_key=F("delivery__snapshot_key"))
    newest = counting.order_by("delivery_id", "-id").distinct("delivery_id").values("pk")
    runs = (
        Run.objects.filter(pk__in=Subquery(newest), cases__waiting__gt=0)
        .select_related("revision", "cases", "delivery__feed")
        .defer("outcome", "decisions", "context", "cases__opened", "cases__ended")
        .prefetch_related("reasons")
        .order_by("-delivery__received", "-delivery_id")
    )
    known = summaries([run.delivery_id for run in runs])
    trends = Trends([run.delivery.feed_id for run in runs])
    tables = tables_of_feeds()
    held = standings(list(runs), person)
    lines = [
        {
            "delivery": known[run.delivery_id], "records": known[run.delivery_id]["held"],
            "reasons": [
                {**reason, "trend": trends.of(run.delivery.feed_id, reason["rule_id"])} for reason in first_reasons(run, MOST_REASONS)
            ],
            "since": run.cases.oldest, "blocks": blocks(_release_of(known[run.delivery_id]), tables.get(run.delivery.feed_id, [])),
            "owner": person.pk, **held[run.pk],
        }
        for run in runs
    ]  # fmt: skip
    return sorted(lines, key=lambda line: (not line["overdue"], line["since"] or timezone.now()))


def _release_of(delivery: dict[str, Any]) -> str:
    return "" if delivery["published"] else "its release"


def blocks(release: str, tables: Sequence[str]) -> list[str]:
    """What cannot go on before: a release, in words (empty: none), and the tables that others look into."""
    return [*filter(None, [release]), *(f"the reference table {name}" for name in tables)]
