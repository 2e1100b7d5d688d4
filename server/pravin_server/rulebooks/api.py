"""Rulebooks."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Field, Router, Schema

from pravin_core.rules.base import Part
from pravin_core.rules.registry import AnyRule, describe
from pravin_core.rules.rulebook import Rulebook
from pravin_server.accounts.access import reader
from pravin_server.common.errors import NotFound
from pravin_server.common.schemas import PROBLEMS, Slug
from pravin_server.feeds import masking
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.rulebooks import services
from pravin_server.rulebooks.models import Revision
from pravin_server.rulebooks.reading_rules import make_reading_rules

router = Router(tags=["rulebooks"], auth=reader)


class KindOut(Schema):
    """A rule kind: what its form and help are made from."""

    kind: str
    title: str
    group: str
    about: str
    synonyms: list[str]
    is_check: bool
    reads_types: bool
    repairs_text: bool
    fields: dict[str, Any]


class RuleOut(Schema):
    """A rule with its sentence; `number` is its place among all rules that run, shared ones too."""

    number: int
    rule: AnyRule  # type: ignore[valid-type]
    sentence: list[Part]
    is_check: bool


class RevisionOut(Schema):
    number: int
    change: str
    author: str
    at: datetime
    published: bool
    rules: int


class SharedHere(Schema):
    """A group of shared rules that is meant for the feed."""

    id: int
    name: str
    place: str
    on: bool
    sentences: list[list[Part]]


class RulebookOut(Schema):
    """The draft of a feed's rulebook, with the shared rules that are meant for it."""

    undo: str | None
    redo: str | None
    shared: list[SharedHere]
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
        "author": revision.author.shown if revision.author else "", "published": revision.published is not None, "rules": len(revision.rules),
    }  # fmt: skip


def _rulebook(revision: Revision) -> dict[str, Any]:
    published = revision.feed.revisions.filter(published__isnull=False).values_list("number", flat=True).first()
    feed, own = revision.feed, services.rulebook_of(revision).rules
    numbers = {rule.id: at for at, rule in enumerate(services.with_shared(feed, revision), start=1)}
    rules = [
        {"number": numbers[rule.id], "rule": rule, "sentence": rule.describe(), "is_check": rule.is_check}
        for rule in own
    ]
    edit = feed.revisions.filter(number=revision.content_of).first()
    again = feed.revisions.filter(number=revision.redo[0]).first() if revision.redo else None
    return {
        "revision": _revision(revision), "published": published, "rules": rules, "shared": services.shared_here(feed),
        "undo": edit.change if edit and edit.before is not None else None, "redo": again.change if again else None,
    }  # fmt: skip


@router.get("/rule-kinds", response={200: list[KindOut], **PROBLEMS})
def kinds(request: HttpRequest) -> Any:
    """All kinds of rules."""
    return describe()


@router.get("/feeds/{slug}/rulebook", response={200: RulebookOut, **PROBLEMS})
def rulebook(request: HttpRequest, slug: str = Slug) -> Any:
    """The newest revision of a feed's rulebook."""
    feed = feed_or_404(slug)
    told = _rulebook(services.newest(feed))
    if masking.hidden_columns(request.user, feed):
        told["rules"] = [{**line, "rule": masking.without_key(line["rule"].model_dump())} for line in told["rules"]]
    return told


@router.put("/feeds/{slug}/rulebook", response={200: RulebookOut, **PROBLEMS})
def change(request: HttpRequest, body: RulebookIn, slug: str = Slug) -> Any:
    """Keep a new revision."""
    rulebook_ = Rulebook.model_validate({"rules": [rule.model_dump() for rule in body.rules]})
    return _rulebook(services.change_rules(request.user, feed_or_404(slug), rulebook_, body.based_on, body.change))


@router.get("/feeds/{slug}/revisions", response={200: list[RevisionOut], **PROBLEMS})
def revisions(request: HttpRequest, slug: str = Slug) -> Any:
    """The history of a rulebook, newest first (at most 200)."""
    return [_revision(r) for r in feed_or_404(slug).revisions.select_related("author")[:200]]


class StepIn(Schema):
    """The revision that is seen, so that nobody's newer change is undone unseen."""

    based_on: int = Field(ge=0, le=10**9)


class GoBackIn(StepIn):
    """The revision whose rules are wanted again."""

    number: int = Field(ge=0, le=10**9)


class DifferenceOut(Schema):
    """One rule that differs between two revisions, with its sentences then and now."""

    what: str
    id: str
    number: int
    before: list[Part] | None
    after: list[Part] | None


@router.post("/feeds/{slug}/rulebook/undo", response={200: RulebookOut, **PROBLEMS})
def undo(request: HttpRequest, body: StepIn, slug: str = Slug) -> Any:
    """Take the newest change back, whoever made it and however long ago."""
    return _rulebook(services.undo(request.user, feed_or_404(slug), body.based_on))


@router.post("/feeds/{slug}/rulebook/redo", response={200: RulebookOut, **PROBLEMS})
def redo(request: HttpRequest, body: StepIn, slug: str = Slug) -> Any:
    """Do again what was taken back last."""
    return _rulebook(services.redo(request.user, feed_or_404(slug), body.based_on))


@router.post("/feeds/{slug}/rulebook/go-back", response={200: RulebookOut, **PROBLEMS})
def go_back(request: HttpRequest, body: GoBackIn, slug: str = Slug) -> Any:
    """Bring the rules of a former revision back, as a change."""
    return _rulebook(services.go_back(request.user, feed_or_404(slug), body.number, body.based_on))


@router.get("/feeds/{slug}/revisions/{one}/{other}", response={200: list[DifferenceOut], **PROBLEMS})
def compare(request: HttpRequest, one: int, other: int, slug: str = Slug) -> Any:
    """What makes one revision another."""
    feed = feed_or_404(slug)
    revisions = {revision.number: revision for revision in feed.revisions.filter(number__in=[one, other])}
    if missing := [number for number in (one, other) if number not in revisions]:
        raise NotFound(f"The rulebook has no revision {missing[0]}.")
    return [
        {
            **difference,
            "before": services.describe(difference["before"]),
            "after": services.describe(difference["after"]),
        }
        for difference in services.differences(services.rules_of(revisions[one]), services.rules_of(revisions[other]))
    ]


class RulesMade(Schema):
    """The revision that was made."""

    revision: int
    change: str


@router.post("/feeds/{slug}/columns/rules", response={200: RulesMade, **PROBLEMS})
def make_rules(request: HttpRequest, slug: str = Slug) -> Any:
    """Put rules at the head of the rulebook that read the columns as they are described."""
    revision = make_reading_rules(request.user, feed_or_404(slug))
    return {"revision": revision.number, "change": revision.change}
