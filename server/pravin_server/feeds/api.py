"""Feeds."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Field, File, Path, Router, Schema
from ninja.files import UploadedFile

from pravin_server.common.access import reader
from pravin_server.common.errors import NotFound
from pravin_server.common.schemas import PROBLEMS, Balance, Started
from pravin_server.deliveries import services as deliveries
from pravin_server.feeds import queries, services
from pravin_server.feeds.models import Feed

router = Router(tags=["feeds"], auth=reader)
Slug = Path(..., max_length=80)


class FeedRef(Schema):
    slug: str
    name: str


class DeliverySummary(Schema):
    id: int
    feed: FeedRef
    number: int
    state: str
    received: datetime
    files: int
    balance: Balance
    release: str
    has_run: bool


class FeedOut(Schema):
    """One line of the board. `waiting` says what a person is needed for; empty when nothing."""

    slug: str
    name: str
    supplier: str
    about: str
    owner: str
    columns: list[str]
    deliveries: list[DeliverySummary]
    waiting: str


class FeedIn(Schema):
    name: str = Field(min_length=1, max_length=120)
    supplier: str = Field("", max_length=120)
    about: str = Field("", max_length=2000)


def feed_or_404(slug: str) -> Feed:
    found = Feed.objects.filter(slug=slug).first()
    if found is None:
        raise NotFound(f"There is no feed {slug!r}.")
    return found


@router.get("/feeds", response={200: list[FeedOut], **PROBLEMS})
def feeds(request: HttpRequest) -> Any:
    """The board: all feeds, those that wait for a person first."""
    return queries.board()


@router.post("/feeds", response={201: FeedOut, **PROBLEMS})
def make_feed(request: HttpRequest, body: FeedIn) -> Any:
    """Create a feed."""
    return 201, queries.feed_line(services.make_feed(request.user, **body.model_dump()))


@router.get("/feeds/{slug}", response={200: FeedOut, **PROBLEMS})
def feed(request: HttpRequest, slug: str = Slug) -> Any:
    """One feed."""
    return queries.feed_line(feed_or_404(slug))


@router.post("/feeds/{slug}/deliveries", response={201: Started, **PROBLEMS})
def receive(request: HttpRequest, slug: str = Slug, files: list[UploadedFile] = File(...)) -> Any:
    """Take a delivery in: one or several files. The answer's id is the delivery's."""
    delivery, job = deliveries.receive(request.user, feed_or_404(slug), files)
    return 201, {"id": delivery.pk, "job": job}
