"""What changed between two releases, or from a release to what would be released now."""

from __future__ import annotations

from typing import Any, Literal

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from pravin_core.releases.distributions import Distributions
from pravin_server.accounts.access import reader
from pravin_server.common.errors import Invalid, NotFound
from pravin_server.common.schemas import PROBLEMS, Slug
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.feeds.models import Feed
from pravin_server.releases import changes
from pravin_server.releases.changes import Compared, of_delivery, of_release
from pravin_server.releases.models import Release

router = Router(tags=["releases"], auth=reader)


class Sides(Schema):
    """What is compared: a release, and a later one or a delivery as it would be released now."""

    before: int = Field(ge=1, le=2**62, description="the id of the earlier release")
    after: int | None = Field(None, ge=1, le=2**62, description="the id of the later release")
    delivery: int | None = Field(
        None, ge=1, le=2**62, description="instead of it: a delivery, as it would be released now"
    )


class ComparedOut(Schema):
    """A table that is compared: its name and the id of its delivery."""

    name: str
    delivery: int


class ChangedColumn(Schema):
    name: str
    records: int


class ChangesOut(Schema):
    """Records by what became of them, told apart by `key`. `repeated`: records, of both, that share their key with another."""

    before: ComparedOut
    after: ComparedOut
    key: list[str]
    types: dict[str, str]
    added: int
    gone: int
    changed: int
    same: int
    repeated: int
    columns: list[ChangedColumn]
    columns_added: list[str]
    columns_gone: list[str]


class ChangedRecord(Schema):
    """A record that was added, is gone, or changed in `columns`: its numbers and values, by column, before and after."""

    before: int | None
    after: int | None
    columns: list[str]
    values_before: dict[str, str | None] | None
    values_after: dict[str, str | None] | None


@router.get("/feeds/{slug}/changes", response={200: ChangesOut, **PROBLEMS})
def changes_between(
    request: HttpRequest,
    slug: str = Slug,
    sides: Sides = Query(...),
) -> Any:
    """What changed: counts of records added, gone and changed, by column, told apart by the feed's key."""
    feed, earlier, later = _asked(slug, sides)
    found = changes.changes(feed, earlier, later)
    types = {name: kind.value for side in (earlier.side, later.side) for name, kind in side.columns}
    return {**found.model_dump(), "before": earlier, "after": later, "key": feed.key, "types": types}


@router.get("/feeds/{slug}/changes/records", response={200: list[ChangedRecord], **PROBLEMS})
def changed_records(
    request: HttpRequest,
    slug: str = Slug,
    sides: Sides = Query(...),
    kind: Literal["added", "gone", "changed"] = "changed",
    column: str = Query("", max_length=200, description="only records of which this column changed"),
    offset: int = Query(0, ge=0, le=2**40),
    limit: int = Query(100, ge=1, le=500),
) -> Any:
    """The records that were added, are gone or changed, with their values before and after."""
    feed, earlier, later = _asked(slug, sides)
    return changes.changed_page(feed, earlier, later, kind, column, offset, limit)


@router.get("/feeds/{slug}/distributions", response={200: Distributions, **PROBLEMS})
def distributions_between(
    request: HttpRequest,
    slug: str = Slug,
    sides: Sides = Query(...),
) -> Any:
    """How the values of each column are distributed in two tables, the most different first."""
    _, earlier, later = _asked(slug, sides)
    return changes.distributions_of(earlier, later)


def _asked(slug: str, sides: Sides) -> tuple[Feed, Compared, Compared]:
    feed = feed_or_404(slug)
    if (sides.after is None) == (sides.delivery is None):
        raise Invalid(f"Say with what release {sides.before} is compared: `after`, a release, or `delivery`.")
    earlier = of_release(_release(feed, sides.before))
    if sides.after is not None:
        return feed, earlier, of_release(_release(feed, sides.after))
    found = Delivery.objects.select_related("feed").filter(feed=feed, pk=sides.delivery or 0).first()
    if found is None:
        raise NotFound(f"{feed.name} has no delivery {sides.delivery}.")
    return feed, earlier, of_delivery(found)


def _release(feed: Feed, release_id: int) -> Release:
    release = Release.objects.select_related("delivery", "run__revision", "run__delivery").filter(
        feed=feed, pk=release_id
    )
    if (found := release.first()) is None:
        raise NotFound(f"{feed.name} has no release {release_id}.")
    return found
