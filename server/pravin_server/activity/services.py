"""Write the activity record, and verify it."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from django.db import connection, transaction
from django.utils import timezone

from pravin_server.activity.models import Event

_LOCK = 7_236_001  # advisory lock: entries are written one after the other, or the chain would fork


def note(user: Any, what: str, feed: str = "", delivery: int | None = None, **details: Any) -> Event:
    """Append one entry, in the caller's transaction. `what` continues "N. N. ...", in the past tense."""
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
    said = json.dumps(
        [event.previous, event.at.isoformat(), event.user_id, event.what, event.feed, event.delivery, event.details],
        sort_keys=True,
    )
    return hashlib.sha256(said.encode()).hexdigest()


def first_broken() -> int | None:
    """The id of the first entry that does not fit the chain; None when all do."""
    previous = ""
    for event in Event.objects.order_by("id").iterator():
        if event.previous != previous or event.hash != _hash(event):
            return event.pk
        previous = event.hash
    return None
