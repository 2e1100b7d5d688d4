"""Derived feeds: what they are made from, and where released tables come from."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from pravin_core.rules.base import Part
from pravin_core.rules.rulebook import opened
from pravin_server.accounts.access import reader
from pravin_server.common.errors import NotFound
from pravin_server.common.schemas import PROBLEMS, JobOut, Slug
from pravin_server.derived import lineage, plans
from pravin_server.derived.graph import made_from
from pravin_server.derived.making import is_current, newest_of
from pravin_server.derived.models import DerivedPlan
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.feeds.models import Feed
from pravin_server.releases.queries import released_table

router = Router(tags=["derived feeds"], auth=reader)


class StepsIn(Schema):
    """The feed (its slug) whose released records come first, and the steps: corrections as in a rulebook, which name other feeds by
    their slugs as `reference`.
    """

    base: str = Field(min_length=1, max_length=80)
    steps: list[dict[str, Any]] = Field([], max_length=60)


class DerivedPlanIn(StepsIn):
    """A plan to keep; `version`: that of the plan which was changed, 0 where there was none."""

    version: int = Field(0, ge=0)


class PlanStepOut(Schema):
    """A step: the rule and its sentence."""

    rule: dict[str, Any]
    title: str
    sentence: list[Part]


class DerivedPlanOut(Schema):
    """What a feed is made from, and how it last went; `delivery`: its newest one that was made; `is_current`: made from what is
    released now.
    """

    base: str
    steps: list[PlanStepOut]
    sources: list[str]
    version: int
    last_at: datetime | None
    last_said: str
    last_failed: bool
    delivery: int | None
    is_current: bool


class SourceTable(Schema):
    """A feed that can be a source: what is released of it (no columns: nothing is)."""

    slug: str
    name: str
    records: int
    columns: list[str]


class DerivedFromOut(Schema):
    """The plan of a feed (none: its deliveries come from outside) and the feeds that it can be made from."""

    plan: DerivedPlanOut | None
    tables: list[SourceTable]


class PlanColumn(Schema):
    name: str
    type: str


class TriedPlanOut(Schema):
    """Steps tried on all that is released now: the columns before the first step and after each, the records likewise, the first
    records of the result. Where they do not go on: the step (0: the whole) and why.
    """

    sentences: list[list[Part]]
    columns: list[list[PlanColumn]]
    records: list[int]
    rows: list[list[str | None]]
    problem: str
    advice: str
    step: int


class FileOfFeed(Schema):
    """A source (its id) of a delivery."""

    id: int
    name: str
    delivery: int


class ReleaseOfFeed(Schema):
    """A release that stands: of which delivery (its number and id), by which revision of the rulebook with how many rules."""

    number: int
    delivery: int
    delivery_id: int
    records: int
    revision: int
    rules: int


class FeedInLineage(Schema):
    """A feed: how many feeds deep it is made from others, what is released of it and from which files. `is_current`: what is
    released was made from what is released of its sources now.
    """

    slug: str
    name: str
    depth: int
    is_derived: bool
    is_current: bool
    said: str
    records: int
    columns: list[str]
    view: str
    files: list[FileOfFeed]
    more_files: int
    releases: list[ReleaseOfFeed]


class LineageWay(Schema):
    """That a feed is made from another, and by which steps; `used`: the numbers of the releases that its released table was made of."""

    source: str
    target: str
    said: list[str]
    used: list[int]


class LineageOut(Schema):
    """A feed, those it is made from and those made from it."""

    feeds: list[FeedInLineage]
    ways: list[LineageWay]


class LineagePlace(Schema):
    """A column at a place: `released` or `delivered` (where: the feed's slug, id: of the release), `file` (its name, the id of the
    source), `library` (the table's name, 0).
    """

    at: str
    where: str
    column: str
    id: int


class LineageLine(LineagePlace):
    """A place, and those that its values come from."""

    before: list[LineagePlace]


def _out(plan: DerivedPlan) -> dict[str, Any]:
    made = newest_of(plan.feed)
    return {
        "base": plan.base.slug,
        "steps": [
            {"rule": stored, "title": rule.title, "sentence": plans.in_words(rule)}
            for stored, rule in zip(plan.steps, opened(plan.steps).rules, strict=True)
        ],
        "sources": list(plan.sources.order_by("name").values_list("slug", flat=True)),
        "delivery": made.delivery_id if made else None,
        "is_current": is_current(plan, made),
        **{name: getattr(plan, name) for name in ("version", "last_at", "last_said", "last_failed")},
    }


@router.get("/feeds/{slug}/derived-from", response={200: DerivedFromOut, **PROBLEMS})
def derived_from(request: HttpRequest, slug: str = Slug) -> Any:
    """What a feed is made from, and what it could be made from."""
    feed = feed_or_404(slug)
    plan = DerivedPlan.objects.select_related("feed", "base").filter(feed=feed).first()
    tables = []
    for each in Feed.objects.exclude(pk__in=made_from(feed)):
        table = released_table(each)
        tables.append({
            "slug": each.slug, "name": each.name, "records": table.records if table else 0, "columns": table.columns if table else [],
        })  # fmt: skip
    return {"plan": _out(plan) if plan else None, "tables": tables}


@router.put("/feeds/{slug}/derived-from", response={200: DerivedPlanOut, **PROBLEMS})
def keep_plan(request: HttpRequest, body: DerivedPlanIn, slug: str = Slug) -> Any:
    """Say what a feed is made from: it is delivered anew whenever a source is released or withdrawn."""
    return _out(plans.keep_plan(request.user, feed_or_404(slug), body.base, body.steps, body.version))


@router.delete("/feeds/{slug}/derived-from", response={204: None, **PROBLEMS})
def drop_plan(request: HttpRequest, slug: str = Slug) -> Any:
    """The feed is not made from others any more; its deliveries stay."""
    plans.drop_plan(request.user, feed_or_404(slug))
    return 204, None


@router.post("/feeds/{slug}/derived-from/try", response={200: TriedPlanOut, **PROBLEMS})
def try_plan(request: HttpRequest, body: StepsIn, slug: str = Slug) -> Any:
    """Try steps on all that is released now, without keeping anything."""
    tried = plans.try_plan(feed_or_404(slug), body.base, body.steps)
    columns = [[{"name": name, "type": kind} for name, kind in step] for step in tried.columns]
    return {
        **{name: getattr(tried, name) for name in ("records", "rows", "problem", "advice", "step")},
        "sentences": [plans.in_words(rule) for rule in tried.steps],
        "columns": columns,
    }


@router.post("/feeds/{slug}/derived-from/deliver", response={200: JobOut, **PROBLEMS})
def deliver(request: HttpRequest, slug: str = Slug) -> Any:
    """Make the table anew, if its sources changed."""
    return plans.deliver_now(request.user, feed_or_404(slug))


@router.get("/feeds/{slug}/lineage", response={200: LineageOut, **PROBLEMS})
def lineage_of(request: HttpRequest, slug: str = Slug) -> Any:
    """Where what is released of a feed comes from, and what is made from it."""
    return lineage.lineage_of(feed_or_404(slug))


@router.get("/feeds/{slug}/lineage/column", response={200: list[LineageLine], **PROBLEMS})
def lineage_of_column(
    request: HttpRequest, slug: str = Slug, name: str = Query(..., max_length=2000, description="a released column")
) -> Any:
    """The places that the values of a released column came through, from the rules themselves."""
    feed = feed_or_404(slug)
    table = released_table(feed)
    if table is None or name not in table.columns:
        raise NotFound(f"The released table of {feed.name} has no column “{name}”.")
    lines = lineage.trace_column(feed, name)
    return [{**asdict(place), "before": [asdict(each) for each in before]} for place, before in lines.items()]
