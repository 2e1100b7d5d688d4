"""Readers of released tables: where and how they connect, what they may read, who is connected."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db import connection
from django.http import HttpRequest
from ninja import Field, Path, Router, Schema

from pravin_server.accounts.access import reader as anybody
from pravin_server.common.schemas import PROBLEMS
from pravin_server.feeds.models import Feed
from pravin_server.readers import roles, services
from pravin_server.readers.models import DatabaseReader
from pravin_server.releases.tables import SCHEMA

router = Router(tags=["readers"], auth=anybody)
ReaderId = Path(..., ge=1, le=2**62)


class ConnectionOut(Schema):
    """A connection that stands."""

    since: datetime
    address: str
    program: str
    asked: datetime | None


class ReaderOut(Schema):
    """A reader: its role in the database, the feeds (slugs) that it may read, since when its password holds, who is connected."""

    id: int
    name: str
    role: str
    feeds: list[str]
    made: datetime
    made_by: str
    password_at: datetime
    connections: list[ConnectionOut]


class ReadableFeed(Schema):
    slug: str
    name: str
    view: str
    is_released: bool


class ReadersOut(Schema):
    """Where the database is, the feeds that can be read there, and the readers."""

    host: str
    port: int
    database: str
    feeds: list[ReadableFeed]
    readers: list[ReaderOut]


class ReaderFeedsIn(Schema):
    feeds: list[str] = Field(max_length=5000)


class ReaderIn(ReaderFeedsIn):
    name: str = Field(min_length=1, max_length=120, pattern=r"\S")


class ReaderMade(Schema):
    """A reader's password, which is shown this once."""

    id: int
    role: str
    password: str


@router.get("/readers", response={200: ReadersOut, **PROBLEMS})
def readers(request: HttpRequest) -> Any:
    """All readers, and how one connects."""
    known = list(DatabaseReader.objects.select_related("made_by").prefetch_related("feeds"))
    where = connection.settings_dict
    standing: dict[str, list[roles.Session]] = {}
    for session in roles.sessions([reader.role for reader in known if reader.role]):
        standing.setdefault(session.role, []).append(session)
    feeds = Feed.objects.order_by("name")
    shown = set(Feed.objects.filter(releases__state="published").values_list("pk", flat=True))
    return {
        "host": where["HOST"] or "127.0.0.1",
        "port": int(where["PORT"] or 5432),
        "database": where["NAME"],
        "feeds": [
            {"slug": feed.slug, "name": feed.name, "view": f"{SCHEMA}.{feed.view}", "is_released": feed.pk in shown}
            for feed in feeds
        ],
        "readers": [_out(reader, standing.get(reader.role or "", [])) for reader in known],
    }


@router.post("/readers", response={201: ReaderMade, **PROBLEMS})
def make_reader(request: HttpRequest, body: ReaderIn) -> Any:
    """Make a reader; the answer holds its password."""
    made, password = services.make_reader(request.user, body.name, body.feeds)
    return 201, {"id": made.pk, "role": made.role, "password": password}


@router.put("/readers/{reader_id}", response={200: ReaderOut, **PROBLEMS})
def set_feeds(request: HttpRequest, body: ReaderFeedsIn, reader_id: int = ReaderId) -> Any:
    """Say which feeds a reader may read."""
    reader = services.set_feeds(request.user, reader_id, body.feeds)
    return _out(reader, roles.sessions([reader.role or ""]))


@router.post("/readers/{reader_id}/password", response={200: ReaderMade, **PROBLEMS})
def give_password(request: HttpRequest, reader_id: int = ReaderId) -> Any:
    """Give a reader another password; the answer holds it."""
    reader, password = services.give_password(request.user, reader_id)
    return {"id": reader.pk, "role": reader.role, "password": password}


@router.delete("/readers/{reader_id}", response={204: None, **PROBLEMS})
def end_reader(request: HttpRequest, reader_id: int = ReaderId) -> Any:
    """End a reader and its connections."""
    services.end_reader(request.user, reader_id)
    return 204, None


def _out(reader: DatabaseReader, connections: list[roles.Session]) -> dict[str, Any]:
    return {
        "id": reader.pk,
        "name": reader.name,
        "role": reader.role or "",
        "feeds": [feed.slug for feed in reader.feeds.all()],
        "made": reader.made,
        "made_by": reader.made_by.shown if reader.made_by else "",
        "password_at": reader.password_at,
        "connections": connections,
    }
