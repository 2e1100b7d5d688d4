"""Rulebooks."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Field, Router, Schema

from pravin_core.rules.base import Part
from pravin_core.rules.registry import AnyRule, describe
from pravin_core.rules.rulebook import Rulebook
from pravin_server.common.access import reader
from pravin_server.common.schemas import PROBLEMS
from pravin_server.feeds.api import Slug, feed_or_404
from pravin_server.rulebooks import services
from pravin_server.rulebooks.models import Revision

router = Router(tags=["rulebooks"], auth=reader)


class KindOut(Schema):
    """A rule kind: what its form and help are made from."""

    kind: str
    title: str
    group: str
    about: str
    is_check: bool
    fields: dict[str, Any]


class RuleOut(Schema):
    """A rule with its sentence."""

    rule: AnyRule  # type: ignore[valid-type]
    sentence: list[Part]
    is_check: bool


class RevisionOut(Schema):
    number: int
    change: str
    author: str
    at: datetime
    published: bool


class RulebookOut(Schema):
    """The draft of a feed's rulebook."""

    revision: RevisionOut
    published: int | None
    rules: list[RuleOut]


class RulebookIn(Schema):
    """A changed rulebook: `based_on` is the revision that was edited, `change` says what was done."""

    based_on: int = Field(ge=0, le=10**9)
    change: str = Field("", max_length=400)
    rules: list[AnyRule] = Field(max_length=2000)  # type: ignore[valid-type]


def _revision(revision: Revision) -> dict[str, Any]:
    return {
        "number": revision.number, "change": revision.change, "at": revision.at,
        "author": revision.author.shown if revision.author else "", "published": revision.published is not None,
    }  # fmt: skip


def _rulebook(revision: Revision) -> dict[str, Any]:
    published = revision.feed.revisions.filter(published__isnull=False).values_list("number", flat=True).first()
    rules = [
        {"rule": rule, "sentence": rule.said(), "is_check": rule.is_check}
        for rule in services.rulebook_of(revision).rules
    ]
    return {"revision": _revision(revision), "published": published, "rules": rules}


@router.get("/rule-kinds", response={200: list[KindOut], **PROBLEMS})
def kinds(request: HttpRequest) -> Any:
    """All kinds of rules."""
    return describe()


@router.get("/feeds/{slug}/rulebook", response={200: RulebookOut, **PROBLEMS})
def rulebook(request: HttpRequest, slug: str = Slug) -> Any:
    """The newest revision of a feed's rulebook."""
    return _rulebook(services.newest(feed_or_404(slug)))


@router.put("/feeds/{slug}/rulebook", response={200: RulebookOut, **PROBLEMS})
def change(request: HttpRequest, body: RulebookIn, slug: str = Slug) -> Any:
    """Keep a new revision."""
    wanted = Rulebook.model_validate({"rules": [rule.model_dump() for rule in body.rules]})
    return _rulebook(services.change_rules(request.user, feed_or_404(slug), wanted, body.based_on, body.change))


@router.get("/feeds/{slug}/revisions", response={200: list[RevisionOut], **PROBLEMS})
def revisions(request: HttpRequest, slug: str = Slug) -> Any:
    """The history of a rulebook, newest first (at most 200)."""
    return [_revision(r) for r in feed_or_404(slug).revisions.select_related("author")[:200]]
