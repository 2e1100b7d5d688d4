"""Releases: what would be released, publish, withdraw, download."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from pravin_core.releases.adding_up import AddingUp
from pravin_core.releases.outputs import OutputForm
from pravin_server.accounts.access import reader
from pravin_server.common.errors import Conflict, NotFound
from pravin_server.common.files import file_response
from pravin_server.common.schemas import PROBLEMS, Balance, FeedRef, Id, Slug, Started
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.feeds.models import Feed
from pravin_server.releases import contracts, proposals, released_table, services
from pravin_server.releases.downloads import output_of
from pravin_server.releases.gates.registry import judge
from pravin_server.releases.history import history_of
from pravin_server.releases.models import Release
from pravin_server.releases.packages import package_of
from pravin_server.releases.queries import release_before

router = Router(tags=["releases"], auth=reader)


class GateOut(Schema):
    name: str
    met: bool
    evidence: str


class ReleaseOut(Schema):
    id: int
    feed: FeedRef
    delivery: int
    delivery_number: int
    number: int
    state: str
    records: int
    view: str
    table: str
    who: str
    asked: datetime
    published: datetime | None
    withdrawn: datetime | None
    replaced_by: int | None
    manifest: dict[str, Any]
    error: dict[str, Any] | None


class ReleaseColumns(Schema):
    """The names of a release's columns, in order."""

    id: int
    number: int
    columns: list[str]


class RemovedBy(Schema):
    rule: int
    sentence: str
    records: int


class Difference(Schema):
    """A count against the last release."""

    what: str
    before: int
    now: int


class BreachOut(Schema):
    """What breaks the contract: a column, the sentence, how many records (0: the column itself), the numbers of the first."""

    column: str
    sentence: str
    records: int
    first: list[int]


class ProposalOut(Schema):
    """What would be released: `run` is the run it would release, None before the first. `follow_up`: the delivery is released, and
    was run again since.
    """

    run: int | None
    balance: Balance | None
    discarded: int
    accepted: int
    removed_by: list[RemovedBy]
    gates: list[GateOut]
    against: int | None
    against_id: int | None
    breaches: list[BreachOut]
    warnings: list[str]
    key: list[str]
    differences: list[Difference]
    release: ReleaseOut | None
    follow_up: bool


class ReleaseIn(Schema):
    """The run to release; `word`: what the approver says of it."""

    run: int = Field(ge=1, le=2**62)
    word: str = Field("", max_length=2000)


class WithdrawIn(Schema):
    justification: str = Field(max_length=2000)
    ends_view: bool = Field(False, description="the view may end where nothing else is released")


class WithdrawalOut(Schema):
    """What readers would see without a release; `returning` are the numbers of former releases that would show again."""

    records: int
    records_after: int
    returning: list[int]
    ends_view: bool


class ReleasedColumnOut(Schema):
    name: str
    database_name: str
    type: str


class ReleasedTablePart(Schema):
    """What a release contributes to the released table; `superseded` records are not shown, since a newer delivery has their key."""

    release: ReleaseOut
    records: int
    superseded: int


class ReleasedTableOut(Schema):
    """The released table of a feed. `records` are those of its view."""

    view: str
    adds_up: AddingUp
    shows_origin: bool
    second_person: bool
    key: list[str]
    records: int
    columns: list[ReleasedColumnOut]
    parts: list[ReleasedTablePart]


class ReleasedTableIn(Schema):
    """`second_person`: whoever proposed a release or decided on its records may not approve it; without it that stays as it is."""

    adds_up: AddingUp
    shows_origin: bool = True
    second_person: bool | None = None


def _out(release: Release) -> dict[str, Any]:
    return {
        "id": release.pk, "feed": release.feed, "delivery": release.delivery_id,
        "delivery_number": release.delivery.number, "number": release.number, "state": release.state,
        "records": release.records, "view": release.manifest.get("view", ""), "table": release.table,
        "who": release.asked_by.shown if release.asked_by else "", "asked": release.asked,
        "published": release.published, "withdrawn": release.withdrawn, "manifest": release.manifest,
        "error": release.error, "replaced_by": release.replaced_by.number if release.replaced_by else None,
    }  # fmt: skip


class HistoryLine(Schema):
    """A release in the history of its feed. `more`: how many records more (fewer: below 0) it has than the one published before."""

    release: ReleaseOut
    balance: Balance
    bytes: int
    more: int | None
    columns: int
    proposed_by: str
    word: str
    approval: str
    withdrawn_why: str


def _released(feed: Feed) -> dict[str, Any]:
    told = released_table.tell(feed)
    return {**told, "parts": [{**part, "release": _out(part["release"])} for part in told["parts"]]}


def _release(release_id: int) -> Release:
    release = (
        Release.objects.select_related(
            "feed", "delivery", "asked_by", "replaced_by", "contract", "run__revision", "run__delivery__feed"
        )
        .filter(pk=release_id)
        .first()
    )
    if release is None:
        raise NotFound(f"There is no release {release_id}.")
    return release


@router.get("/deliveries/{delivery_id}/release", response={200: ProposalOut, **PROBLEMS})
def proposal(request: HttpRequest, delivery_id: int = Id) -> Any:
    """What would be released, whether the gates are met, and how it differs from the last release."""
    delivery = delivery_or_404(delivery_id)
    case = services.case_of(delivery)
    release = delivery.releases.select_related("feed", "delivery", "asked_by", "replaced_by").first()
    last = release_before(delivery, case.run if case else None)
    if case is None:
        return {
            "run": None, "balance": None, "discarded": 0, "accepted": 0, "removed_by": [], "gates": [],
            "against": None, "against_id": None, "breaches": [], "warnings": [], "key": delivery.feed.key, "differences": [], "release": _out(release) if release else None, "follow_up": False,
        }  # fmt: skip
    version = contracts.newest(delivery.feed)
    removed = [
        {"rule": effect.number, "sentence": sentence, "records": effect.removed}
        for effect, sentence in zip(case.outcome.effects, services.sentences(case), strict=True)
        if effect.removed
    ]
    return {
        "run": case.run.pk, "balance": case.outcome.reconciliation.model_dump(),
        "discarded": case.outcome.discarded, "accepted": case.outcome.accepted, "removed_by": removed,
        "gates": [gate.__dict__ for gate in judge(case)], "against": last.number if last else None,
        "breaches": contracts.breaches(version, case.run) if version else [],
        "warnings": contracts.warnings(case.outcome.columns, delivery, case.run),
        "against_id": last.pk if last else None, "key": delivery.feed.key,
        "differences": services.differences(case, last) if last else [], "release": _out(release) if release else None,
        "follow_up": services.is_follow_up(case),
    }  # fmt: skip


@router.post("/deliveries/{delivery_id}/release", response={201: Started, **PROBLEMS})
def publish(request: HttpRequest, body: ReleaseIn, delivery_id: int = Id) -> Any:
    """Publish the ready records of a run; where it was proposed, that approves it. The answer's id is the release's."""
    release, job = proposals.approve(request.user, delivery_or_404(delivery_id), body.run, body.word)
    return 201, {"id": release.pk, "job": job}


@router.get("/releases", response={200: list[ReleaseOut], **PROBLEMS})
def releases(request: HttpRequest, limit: int = Query(200, ge=1, le=1000)) -> Any:
    """All releases, newest first."""
    return [_out(r) for r in Release.objects.select_related("feed", "delivery", "asked_by", "replaced_by")[:limit]]


@router.get("/feeds/{slug}/released", response={200: ReleasedTableOut, **PROBLEMS})
def released(request: HttpRequest, slug: str = Slug) -> Any:
    """The released table of a feed: how deliveries add up, its columns, what each release contributes."""
    return _released(feed_or_404(slug))


@router.get("/feeds/{slug}/releases", response={200: list[HistoryLine], **PROBLEMS})
def history(request: HttpRequest, slug: str = Slug) -> Any:
    """The releases of a feed in time, newest first."""
    return [{**line, "release": _out(line["release"])} for line in history_of(feed_or_404(slug))]


@router.put("/feeds/{slug}/released", response={200: ReleasedTableOut, **PROBLEMS})
def set_released(request: HttpRequest, body: ReleasedTableIn, slug: str = Slug) -> Any:
    """Say how deliveries add up, whether the view tells each record's delivery and number, and who may approve."""
    feed = released_table.set_adding_up(
        request.user, feed_or_404(slug), body.adds_up, body.shows_origin, body.second_person
    )
    return _released(feed)


@router.get("/releases/{release_id}", response={200: ReleaseColumns, **PROBLEMS})
def release(request: HttpRequest, release_id: int = Id) -> Any:
    """The columns of a release."""
    found = _release(release_id)
    return {"id": found.pk, "number": found.number, "columns": [c["name"] for c in found.manifest.get("columns", [])]}


@router.get("/releases/{release_id}/withdrawal", response={200: WithdrawalOut, **PROBLEMS})
def would_withdraw(request: HttpRequest, release_id: int = Id) -> Any:
    """What readers would see if a release were withdrawn."""
    release = _release(release_id)
    if release.state != Release.State.PUBLISHED:
        raise Conflict("Only a published release can be withdrawn.")
    return released_table.would_withdraw(release)


@router.post("/releases/{release_id}/withdraw", response={200: ReleaseOut, **PROBLEMS})
def withdraw(request: HttpRequest, body: WithdrawIn, release_id: int = Id) -> Any:
    """Withdraw a release; the view shows the one before."""
    return _out(services.withdraw(request.user, _release(release_id), body.justification, body.ends_view))


@router.get("/releases/{release_id}/data", response={200: None, **PROBLEMS})
def download(request: HttpRequest, release_id: int = Id, form: OutputForm = Query(...)) -> Any:
    """The data of a release as a file. `defused`: texts that a spreadsheet would run get an apostrophe (CSV and TSV)."""
    release = _release(release_id)
    if not release.data:
        raise NotFound("This release is not published.")
    name = f"{release.feed.slug}-release-{release.number}.{form.form}"
    return file_response(request, output_of(release, form), name)


@router.get("/releases/{release_id}/package", response={200: None, **PROBLEMS})
def package(request: HttpRequest, release_id: int = Id) -> Any:
    """A release as a ZIP archive: data, what its columns are in open standards, rules, reconciliation, checksums."""
    release = _release(release_id)
    if not release.data:
        raise NotFound("This release is not published.")
    name = f"{release.feed.slug}-release-{release.number}.zip"
    return file_response(request, package_of(release), name)
