"""Filters of records kept under a name."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Field, Router, Schema
from pydantic import ValidationError

from pravin_core.records.filters import AnyFilter, offered, read_filter
from pravin_core.records.filters.base import Takes
from pravin_server.accounts.access import reader
from pravin_server.common.schemas import PROBLEMS, Id
from pravin_server.deliveries.models import NamedFilter
from pravin_server.deliveries.services import filtering
from pravin_server.feeds import masking
from pravin_server.feeds.lookups import feed_or_404

router = Router(tags=["deliveries"], auth=reader)


class NamedFilterIn(Schema):
    """Filters and the name they are kept under."""

    name: str = Field(min_length=1, max_length=100, pattern=r"\S")
    filters: list[AnyFilter] = Field(min_length=1, max_length=50)


class NamedFilterOut(Schema):
    """Filters saved for all deliveries of a feed; `problem` instead of `filters` when they cannot be used (any more)."""

    id: int
    name: str
    filters: list[AnyFilter]
    problem: str = ""


class TestOut(Schema):
    """A test on a column that a form offers, with what it asks for beside the column."""

    test: str
    takes: Takes
    about: str


@router.get("/filter-tests", response={200: list[TestOut], **PROBLEMS})
def filter_tests(request: HttpRequest) -> Any:
    """The tests that records can be filtered by, column by column."""
    return offered()


@router.get("/feeds/{slug}/filters", response={200: list[NamedFilterOut], **PROBLEMS})
def named_filters(request: HttpRequest, slug: str) -> Any:
    """The filters kept for a feed."""
    feed = feed_or_404(slug)
    hidden = masking.hidden_columns(request.user, feed)
    offered_ = (_out(kept) for kept in feed.filters.all())
    return [kept for kept in offered_ if not masking.named_by(hidden, kept.filters)]


def _out(kept: NamedFilter) -> NamedFilterOut:
    try:
        return NamedFilterOut(id=kept.pk, name=kept.name, filters=[read_filter(filter_) for filter_ in kept.filters])
    except (ValidationError, TypeError):
        return NamedFilterOut(id=kept.pk, name=kept.name, filters=[], problem="These filters cannot be used any more.")


@router.put("/feeds/{slug}/filters", response={200: NamedFilterOut, **PROBLEMS})
def keep_filter(request: HttpRequest, slug: str, body: NamedFilterIn) -> Any:
    """Keep filters under a name."""
    return _out(filtering.keep_filter(request.user, feed_or_404(slug), body.name, body.filters))


@router.delete("/feeds/{slug}/filters/{filter_id}", response={204: None, **PROBLEMS})
def drop_filter(request: HttpRequest, slug: str, filter_id: int = Id) -> Any:
    """Delete saved filters."""
    filtering.drop_filter(request.user, feed_or_404(slug), filter_id)
    return 204, None
