"""Feeds."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from django.http import HttpRequest
from ninja import Field, File, Path, Router, Schema
from ninja.files import UploadedFile

from pravin_core.intake import schema_files
from pravin_core.intake.design import AgreedColumn
from pravin_server.common.access import reader
from pravin_server.common.errors import NotFound
from pravin_server.common.schemas import PROBLEMS, Balance, Started
from pravin_server.deliveries.services import receiving as deliveries
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


class ColumnsIn(Schema):
    columns: list[AgreedColumn] = Field(min_length=1, max_length=20_000)


class SchemaIn(Schema):
    text: str = Field(max_length=4 * 2**20, description="the schema file")


class RulesMade(Schema):
    revision: int
    change: str


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
def receive(request: HttpRequest, slug: str = Slug, again: bool = False, files: list[UploadedFile] = File(...)) -> Any:
    """Take a delivery in: one or several files. The answer's id is the delivery's.

    Bytes that were delivered before are refused (409) unless they are wanted `again`.
    """
    delivery, job = deliveries.receive(request.user, feed_or_404(slug), files, again)
    return 201, {"id": delivery.pk, "job": job}


@router.get("/feeds/{slug}/columns", response={200: list[AgreedColumn], **PROBLEMS})
def columns(request: HttpRequest, slug: str = Slug) -> Any:
    """The agreed columns: names, types, how their values are written."""
    return feed_or_404(slug).design


@router.put("/feeds/{slug}/columns", response={200: list[AgreedColumn], **PROBLEMS})
def describe_columns(request: HttpRequest, body: ColumnsIn, slug: str = Slug) -> Any:
    """Say what columns are; those that are not named stay as they are."""
    return services.describe_columns(request.user, feed_or_404(slug), body.columns).design


@router.post("/feeds/{slug}/columns/rules", response={200: RulesMade, **PROBLEMS})
def make_rules(request: HttpRequest, slug: str = Slug) -> Any:
    """Put rules at the head of the rulebook that read the columns as they are described."""
    revision = services.make_reading_rules(request.user, feed_or_404(slug))
    return {"revision": revision.number, "change": revision.change}


@router.get("/feeds/{slug}/schema", response={200: dict[str, Any], **PROBLEMS})
def schema(request: HttpRequest, slug: str = Slug, standard: Literal["table-schema", "csvw"] = "table-schema") -> Any:
    """The columns as a schema file: Table Schema or CSV on the Web metadata."""
    feed = feed_or_404(slug)
    return schema_files.schema_file([AgreedColumn.model_validate(one) for one in feed.design], standard, feed.slug)


@router.put("/feeds/{slug}/schema", response={200: list[AgreedColumn], **PROBLEMS})
def read_schema(request: HttpRequest, body: SchemaIn, slug: str = Slug) -> Any:
    """Describe the columns by a schema file of either standard."""
    found = schema_files.read_schema_file(body.text)
    return services.describe_columns(request.user, feed_or_404(slug), found).design
