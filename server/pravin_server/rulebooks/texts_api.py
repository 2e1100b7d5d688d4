"""The rulebook as text, through the API."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Field, Router, Schema

from pravin_core.rules.from_text import rulebook_from_text
from pravin_core.rules.rulebook import Rulebook
from pravin_server.accounts.access import reader
from pravin_server.common.errors import NotFound
from pravin_server.common.schemas import PROBLEMS, Id, Slug
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.rulebooks import ports, services, texts
from pravin_server.rulebooks.models import Revision

router = Router(tags=["rulebooks"], auth=reader)


class StepOut(Schema):
    """A step of the chain: its rule (0 for none), what it does, its name and its SQL."""

    rule: int
    says: str
    name: str
    sql: str


class TextIn(Schema):
    """A rulebook as text to take over; `based_on` is the revision that it replaces."""

    text: str = Field(max_length=8_000_000)
    based_on: int = Field(ge=0, le=10**9)


class TakenOver(Schema):
    """The revision that was made."""

    revision: int


def _revision(slug: str, number: int | None) -> Revision:
    feed = feed_or_404(slug)
    if number is None:
        return services.newest(feed)
    revision = feed.revisions.select_related("author", "feed").filter(number=number).first()
    if revision is None:
        raise NotFound(f"The rulebook has no revision {number}.")
    return revision


def _file(text: str, kind: str, name: str, inline: bool = False) -> HttpResponse:
    answer = HttpResponse(text, content_type=f"{kind}; charset=utf-8")
    answer["Content-Disposition"] = f'{"inline" if inline else "attachment"}; filename="{name}"'
    return answer


@router.get("/rulebook-schema", response={200: dict[str, Any], **PROBLEMS})
def schema(request: HttpRequest) -> Any:
    """The JSON Schema of exported rulebooks."""
    return texts.schema()


@router.get("/feeds/{slug}/rulebook.{form}", response={200: None, **PROBLEMS})
def text(
    request: HttpRequest,
    form: Literal["json", "yaml", "html"],
    slug: str = Slug,
    revision: int | None = None,
    delivery: int | None = None,
) -> Any:
    """A revision (the newest) as JSON, as YAML, or as a page to print with the effects of its newest run on a delivery."""
    found_revision = _revision(slug, revision)
    if form == "html":
        run = ports.newest_run_of(found_revision, delivery) if delivery else None
        return _file(texts.document(found_revision, run), "text/html", f"{slug}-rulebook.html", inline=True)
    text = texts.as_json(found_revision) if form == "json" else texts.as_yaml(found_revision)
    return _file(
        text,
        "application/json" if form == "json" else "application/yaml",
        f"{slug}-rulebook-{found_revision.number}.{form}",
    )


@router.post("/feeds/{slug}/rulebook-text", response={200: TakenOver, **PROBLEMS})
def take_over(request: HttpRequest, body: TextIn, slug: str = Slug) -> Any:
    """Take a rulebook over from JSON or YAML text, as a new revision. The same rules again make none."""
    rules = rulebook_from_text(body.text)
    return {"revision": services.take_over(request.user, feed_or_404(slug), rules, body.based_on).number}


def _rules(slug: str, revision: int | None) -> Rulebook:
    return services.rulebook_of(_revision(slug, revision))


@router.get("/deliveries/{delivery_id}/sql", response={200: list[StepOut], **PROBLEMS})
def sql_steps(request: HttpRequest, delivery_id: int = Id, revision: int | None = None) -> Any:
    """The SQL of each step of the rulebook over a delivery."""
    delivery = delivery_or_404(delivery_id)
    return [asdict(step) for step in texts.sql_steps(delivery, _rules(delivery.feed.slug, revision))]


@router.get("/deliveries/{delivery_id}/rulebook.sql", response={200: None, **PROBLEMS})
def sql_file(
    request: HttpRequest,
    delivery_id: int = Id,
    dialect: Literal["duckdb", "postgres"] = "duckdb",
    revision: int | None = None,
) -> Any:
    """The SQL of the whole rulebook, to be executed."""
    delivery = delivery_or_404(delivery_id)
    text = texts.sql_of(delivery, _rules(delivery.feed.slug, revision), dialect)
    return _file(text, "application/sql", f"{delivery.feed.slug}-{dialect}.sql")


@router.get("/deliveries/{delivery_id}/rulebook.py", response={200: None, **PROBLEMS})
def script(request: HttpRequest, delivery_id: int = Id, only_checks: bool = False, revision: int | None = None) -> Any:
    """A script that cleans such a delivery without Pravin, or one that only checks the result."""
    delivery = delivery_or_404(delivery_id)
    rules = _rules(delivery.feed.slug, revision)
    text = texts.checks_of(delivery, rules) if only_checks else texts.script_of(delivery, rules)
    return _file(text, "text/x-python", f"{delivery.feed.slug}-{'check' if only_checks else 'clean'}.py")
