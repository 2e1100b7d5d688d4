"""Ways in: resumable uploads, the drop folder, fetching."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from pravin_server.accounts.access import reader
from pravin_server.arrivals import fetching, uploads
from pravin_server.arrivals.models import FetchPlan, Upload
from pravin_server.common.schemas import PROBLEMS, JobOut, Slug, Started
from pravin_server.feeds import folders
from pravin_server.feeds.lookups import feed_or_404

router = Router(tags=["arrivals"], auth=reader)


class UploadIn(Schema):
    name: str = Field(min_length=1, max_length=255)
    size: int = Field(ge=0, le=2**50)
    sha256: str = Field(
        "", pattern="^([0-9a-f]{64})?$", description="of the whole file; its bytes are compared with it"
    )


class UploadOut(Schema):
    """A file on its way: `received` of `size` bytes are here."""

    key: UUID
    name: str
    size: int
    received: int


class TakeIn(Schema):
    """Complete uploads that make a delivery. `again`: also when the same bytes were delivered before."""

    uploads: list[UUID] = Field(min_length=1, max_length=200)
    again: bool = False


class PlanIn(Schema):
    """Where deliveries are fetched from; `minutes` between fetches, 0 for only when asked."""

    kind: Literal["page", "database"]
    address: str = Field(min_length=1, max_length=1000)
    query: str = Field("", max_length=100_000)
    password: str = Field("", max_length=200)
    minutes: int = Field(0, ge=0, le=525_600)


class PlanOut(Schema):
    kind: str
    address: str
    query: str
    has_password: bool
    minutes: int
    due: datetime | None
    last_at: datetime | None
    last_said: str
    last_failed: bool

    @staticmethod
    def resolve_has_password(plan: FetchPlan) -> bool:
        """The password itself is never shown."""
        return bool(plan.password)


class WaysOut(Schema):
    """The ways in of a feed besides uploads."""

    folder: str
    waiting: list[str]
    plan: PlanOut | None


@router.post("/feeds/{slug}/uploads", response={201: UploadOut, **PROBLEMS})
def begin(request: HttpRequest, body: UploadIn, slug: str = Slug) -> Any:
    """Begin to send a file, or find where an earlier try ended."""
    return 201, uploads.begin(request.user, feed_or_404(slug), body.name, body.size, body.sha256)


@router.get("/uploads/{key}", response={200: UploadOut, **PROBLEMS})
def upload(request: HttpRequest, key: UUID) -> Any:
    """How far an upload is."""
    return uploads.of(request.user, key)


@router.put("/uploads/{key}", response={200: UploadOut, **PROBLEMS})
def add(request: HttpRequest, key: UUID, offset: int = Query(..., ge=0, le=2**50)) -> Any:
    """Add a piece: the body is the bytes from `offset`, at most 16 MiB. A wrong offset is answered with 409."""
    upload_: Upload = uploads.of(request.user, key)
    uploads.add(upload_, offset, request.body)
    return upload_


@router.delete("/uploads/{key}", response={200: UploadOut, **PROBLEMS})
def give_up(request: HttpRequest, key: UUID) -> Any:
    """Give an upload up."""
    upload_ = uploads.of(request.user, key)
    state = {"key": upload_.key, "name": upload_.name, "size": upload_.size, "received": 0}
    uploads.forget(upload_)
    return state


@router.post("/feeds/{slug}/deliveries/of-uploads", response={201: Started, **PROBLEMS})
def take(request: HttpRequest, body: TakeIn, slug: str = Slug) -> Any:
    """Make a delivery of complete uploads. The answer's id is the delivery's."""
    delivery, job = uploads.take(request.user, feed_or_404(slug), body.uploads, body.again)
    return 201, {"id": delivery.pk, "job": job}


@router.get("/feeds/{slug}/ways-in", response={200: WaysOut, **PROBLEMS})
def ways(request: HttpRequest, slug: str = Slug) -> Any:
    """The drop folder, what waits in it, and where deliveries are fetched from."""
    feed = feed_or_404(slug)
    return {
        "folder": str(folders.drop_folder(feed)),
        "waiting": [f"{sighting.name}" for sighting in feed.sightings.order_by("name")],
        "plan": FetchPlan.objects.filter(feed=feed).first(),
    }


@router.put("/feeds/{slug}/fetch-plan", response={200: PlanOut, **PROBLEMS})
def keep_plan(request: HttpRequest, body: PlanIn, slug: str = Slug) -> Any:
    """Say where deliveries are fetched from, and how often."""
    return fetching.keep_plan(request.user, feed_or_404(slug), **body.model_dump())


@router.delete("/feeds/{slug}/fetch-plan", response={200: WaysOut, **PROBLEMS})
def drop_plan(request: HttpRequest, slug: str = Slug) -> Any:
    """Do not fetch any more."""
    fetching.drop_plan(request.user, feed_or_404(slug))
    return ways(request, slug)


@router.post("/feeds/{slug}/fetch", response={200: JobOut, **PROBLEMS})
def fetch(request: HttpRequest, slug: str = Slug) -> Any:
    """Fetch now."""
    return fetching.ask_fetch(request.user, feed_or_404(slug))
