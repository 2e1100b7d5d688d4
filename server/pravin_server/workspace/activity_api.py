"""The activity record."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Query, Router, Schema

from pravin_server.accounts.access import reader
from pravin_server.activity import services
from pravin_server.activity.models import Event
from pravin_server.common.schemas import PROBLEMS
from pravin_server.feeds import masking
from pravin_server.feeds.models import Feed

router = Router(tags=["activity"], auth=reader)


class EventOut(Schema):
    id: int
    at: datetime
    who: str
    what: str
    feed: str
    delivery: int | None
    details: dict[str, Any]


class EventsOut(Schema):
    total: int
    events: list[EventOut]


class ChainOut(Schema):
    """Whether the record is whole: the first entry that does not fit and why, or none; the hash of the newest entry."""

    entries: int
    broken: int | None
    why: str
    newest: str


@router.get("/activity/check", response={200: ChainOut, **PROBLEMS})
def check(request: HttpRequest) -> Any:
    """Look at the whole record: whether anything in it was changed, taken away or put in."""
    return services.verify()


@router.get("/activity", response={200: EventsOut, **PROBLEMS})
def activity(
    request: HttpRequest,
    feed: str = Query("", max_length=80),
    search: str = Query("", max_length=200),
    offset: int = Query(0, ge=0, le=10**9),
    limit: int = Query(100, ge=1, le=500),
    after: int | None = Query(None, ge=0, le=2**62, description="only what came after this entry, the oldest first"),
) -> Any:
    """What was done, newest first. A program that follows it asks for what came `after` the last entry that it knows."""
    filter_ = Event.objects.select_related("user")
    if after is not None:
        filter_ = filter_.filter(pk__gt=after).order_by("pk")
    if feed:
        filter_ = filter_.filter(feed=feed)
    if search:
        filter_ = filter_.filter(what__icontains=search)
    page = list(filter_[offset : offset + limit])
    feeds = Feed.objects.filter(slug__in={e.feed for e in page}) if not masking.works_on_records(request.user) else ()
    covered = {each.slug for each in feeds if masking.hidden_columns(request.user, each)}
    events = [
        {
            "id": e.pk, "at": e.at, "who": e.user.shown if e.user else "Pravin", "what": e.what,
            "feed": e.feed, "delivery": e.delivery, "details": {} if e.feed in covered else e.details,
        }
        for e in page
    ]  # fmt: skip
    return {"total": filter_.count(), "events": events}
