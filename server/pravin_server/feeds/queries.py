"""The board of feeds."""

from __future__ import annotations

from typing import Any

from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.queries import summary
from pravin_server.feeds.models import Feed
from pravin_server.runs.queries import counting_run

SHOWN = 12


def board() -> list[dict[str, Any]]:
    """One line for each feed, those that wait for a person first."""
    lines = [feed_line(feed) for feed in Feed.objects.select_related("owner").all()]
    return sorted(lines, key=lambda line: (not line["waiting"], line["name"].casefold()))


def feed_line(feed: Feed) -> dict[str, Any]:
    """A feed with its last dozen deliveries in time order, and what waits for a person."""
    deliveries = list(feed.deliveries.select_related("feed")[:SHOWN])[::-1]
    return {
        "slug": feed.slug,
        "name": feed.name,
        "supplier": feed.supplier,
        "about": feed.about,
        "owner": feed.owner.shown if feed.owner else "",
        "columns": feed.columns,
        "deliveries": [summary(delivery) for delivery in deliveries],
        "waiting": _waiting(deliveries),
    }


def _waiting(deliveries: list[Delivery]) -> str:
    """What a person is needed for, of the newest delivery for which one is."""
    for delivery in reversed(deliveries):
        if delivery.state == Delivery.State.FAILED:
            return f"delivery {delivery.number} could not be read"
        if delivery.releases.filter(state="published").exists():
            continue
        run = counting_run(delivery)
        unsettled = delivery.changes.filter(choice="").count()
        if unsettled:
            return f"{unsettled} design change{'s' * (unsettled > 1)} to settle in delivery {delivery.number}"
        if run is None:
            return f"delivery {delivery.number} is new"
        held = run.quarantined.count()
        if held:
            return f"{held:,} quarantined in delivery {delivery.number}"
        return f"delivery {delivery.number} can be released"
    return ""
