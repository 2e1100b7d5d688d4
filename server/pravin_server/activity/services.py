"""Write the activity record, and verify it."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from typing import Any

from django.db import connection, transaction
from django.utils import timezone

from pravin_server.activity.models import Event

LONGEST = 400  # characters of an entry; what is longer stands whole among its details
_LOCK = 7_236_001  # advisory lock: entries are written one after the other, or the chain would fork


def note(user: Any, what: str, feed: str = "", delivery: int | None = None, **details: Any) -> Event:
    """Append one entry, in the caller's transaction. `what` continues "N. N. ...", in the past tense."""
    if len(what) > LONGEST:
        what, details = f"{what[: LONGEST - 1]}…", {**details, "whole": what}
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_xact_lock(%s)", [_LOCK])
        last = Event.objects.order_by("-id").values_list("hash", flat=True).first() or ""
        event = Event(
            at=timezone.now(),
            user=user if getattr(user, "pk", None) else None,
            what=what,
            feed=feed,
            delivery=delivery,
            details=details,
            previous=last,
        )
        event.hash = _hash(event)
        event.save()
        return event


def _hash(event: Event) -> str:
    serialized = json.dumps(
        [event.previous, event.at.isoformat(), event.user_id, event.what, event.feed, event.delivery, event.details],
        sort_keys=True,
    )
    return hashlib.sha256(serialized.encode()).hexdigest()


@dataclass(frozen=True)
class PlanBuilder:
    """What a look at the whole record found: how many entries there are, and the first that does not fit (None: all do)."""

    entries: int
    broken: int | None = None
    why: str = ""
    newest: str = ""  # the hash of the last entry: written down elsewhere, it tells whether entries at the end are gone


def verify() -> PlanBuilder:
    """Look at every entry, in order: whether it is what its hash says, and follows the one before."""
    previous, count = "", 0
    for event in Event.objects.order_by("id").iterator():
        count += 1
        if event.previous != previous:
            return PlanBuilder(count, event.pk, "an entry before it was taken away or put in")
        if event.hash != _hash(event):
            return PlanBuilder(count, event.pk, "it was changed after it was written")
        previous = event.hash
    return PlanBuilder(count, newest=previous)


def first_broken() -> int | None:
    """The id of the first entry that does not fit the chain; None when all do."""
    return verify().broken
