"""The key of a feed: proposed from a delivery, agreed by a person."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from pravin_core.cases.keys import Candidate, Key, measure_key, propose_keys
from pravin_core.releases.adding_up import AddingUp
from pravin_core.tables.types import Role
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Conflict, Invalid, NotYet
from pravin_server.common.locks import lock_rows
from pravin_server.deliveries.models import Delivery, DeliveryProfile
from pravin_server.deliveries.snapshots import snapshot_of
from pravin_server.feeds.models import Feed
from pravin_server.quarantine.matching import match_feed


def proposed(delivery: Delivery) -> list[dict[str, Any]]:
    """Keys that tell the records of a delivery apart; the agreed one first, with what it does here."""
    profile = DeliveryProfile.objects.filter(delivery=delivery, snapshot_key=delivery.snapshot_key).first()
    if profile is None:
        raise NotYet("The delivery is not profiled yet. Wait until it is; keys are proposed from its profile.")
    candidates = [
        Candidate(column["name"], column["distinct"], column["missing"], column["role"] == Role.IDENTIFIER)
        for column in profile.content["columns"]
    ]
    agreed = [name for name in delivery.feed.key if name in delivery.columns]

    def proposals() -> list[Key]:
        snapshot = snapshot_of(delivery)
        known = propose_keys(snapshot, candidates, cache.spills(), cache.limits())
        if len(agreed) == len(delivery.feed.key) and agreed and tuple(agreed) not in {key.columns for key in known}:
            known.insert(0, measure_key(snapshot, agreed, cache.spills(), cache.limits()))
        return known

    return [
        {"columns": list(key.columns), "records": delivery.records, "different": key.different, "missing": key.missing}
        for key in cache.even_if_deleted(proposals)
    ]


@transaction.atomic
def agree_key(user: Any, feed: Feed, columns: Sequence[str]) -> Feed:
    """Agree the columns that tell a record of a feed apart (none: no key); waiting records are met with later deliveries anew."""
    person = may_work(user, "agree the key of a feed")
    feed = lock_rows(Feed).get(pk=feed.pk)
    if len(set(columns)) != len(columns):
        raise Invalid("A column stands in the key twice.", field="columns")
    known = set(feed.columns)
    for delivery in feed.deliveries.filter(state=Delivery.State.READ):
        known |= set(delivery.columns)
    if unknown := [name for name in columns if name not in known]:
        raise Invalid(f"The feed has no column {unknown[0]!r}.", field="columns")
    if feed.adds_up == AddingUp.NEWEST and list(columns) != feed.key:
        raise Conflict(
            "In the released table of this feed the newest record of each key stands, so the key cannot change. Say on the feed's "
            "page that deliveries add up in another way, change the key, and choose this way again."
        )
    feed.key = list(columns)
    feed.save(update_fields=["key"])
    said = f"agreed the key of {feed.name}: {', '.join(columns)}" if columns else f"removed the key of {feed.name}"
    note(person, said, feed.slug)
    match_feed(feed)
    return feed
