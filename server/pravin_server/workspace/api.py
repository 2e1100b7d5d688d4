"""The board, the head of a delivery, and the quarantine over all feeds."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Field, Query, Router, Schema

from pravin_server.accounts.access import reader
from pravin_server.common.schemas import PROBLEMS, Balance, FeedRef, Id, JobOut, RunOut, Slug, as_json
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.feeds import masking
from pravin_server.feeds import services as feed_services
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.quarantine.schemas import ReasonCountOut
from pravin_server.workspace import board, suppliers
from pravin_server.workspace.head import head

router = Router(tags=["workspace"], auth=reader)


class DeliverySummary(Schema):
    """A delivery in a list. `news`: how much is new in it and not answered."""

    id: int
    feed: FeedRef
    number: int
    state: str
    received: datetime
    files: int
    balance: Balance
    release: str
    has_run: bool
    news: int


class FeedOut(Schema):
    """One line of the board. `waiting` says what a person is needed for; empty when nothing. `expected`: by its plan, if it has one."""

    slug: str
    name: str
    supplier: str
    about: str
    owner: str
    columns: list[str]
    deliveries: list[DeliverySummary]
    expected: datetime | None
    is_late: bool
    waiting: str


class FeedIn(Schema):
    """A feed to create."""

    name: str = Field(min_length=1, max_length=120)
    supplier: str = Field("", max_length=120)
    about: str = Field("", max_length=2000)


class WorkspaceOut(DeliverySummary):
    """The frame of a delivery. `masked`: columns whose values the person who asks may only see masked."""

    error: dict[str, Any] | None
    arrived: str
    changes_open: int
    totals_wrong: int
    columns: list[str]
    records: int
    balance_of: str
    run: RunOut | None
    trial: RunOut | None
    speaking: int | None
    revision: int
    rules: int
    findings: int
    quarantined: int
    decided: int
    gates_open: int | None
    job: JobOut | None
    last_job: JobOut | None
    masked: list[str] = []


class ReasonTrend(ReasonCountOut):
    """With how many records its rule set apart in the last deliveries of the feed, oldest first."""

    trend: list[int]


class QuarantineLine(Schema):
    """A delivery with records in quarantine, and the first reasons. Of the records `mine` are the asking person's (`owner`), `overdue`
    are those whose day is past, `returned` with their supplier; `answers` of suppliers wait. `blocks`: what they are missing in.
    """

    delivery: DeliverySummary
    records: int
    reasons: list[ReasonTrend]
    since: datetime | None
    mine: int
    owner: int
    overdue: int
    returned: int
    answers: int
    blocks: list[str]


class SupplierFeed(Schema):
    """What one feed brought; see `suppliers`."""

    slug: str
    name: str
    owner: str
    deliveries: int
    newest: datetime | None
    balance: Balance
    late: int
    missing: int
    again: int
    failed: int
    incomplete: int
    repeated: int
    changes: int
    returned: int
    answered: int
    questions: int


class Supplier(Schema):
    """Who delivers, with their feeds."""

    name: str
    feeds: list[SupplierFeed]


First = Query(None, ge=date(1990, 1, 1), le=date(2200, 1, 1))
Days = Query(365, ge=1, le=731)


@router.get("/suppliers", response={200: list[Supplier], **PROBLEMS})
def suppliers_with_numbers(request: HttpRequest, first: date | None = First, days: int = Days) -> Any:
    """What came from whom in so many days from the first on, else in those up to today: how much, how good, how late, how often returned."""
    return suppliers.suppliers(first or _so_long_ago(days), days)


@router.get("/feeds/{slug}/supplier.html", response={200: None, **PROBLEMS})
def supplier_page(request: HttpRequest, slug: str = Slug, first: date | None = First, days: int = Days) -> Any:
    """The same of the supplier of a feed, as a page that stands alone, to be sent to them."""
    text = suppliers.page(feed_or_404(slug), first or _so_long_ago(days), days)
    return HttpResponse(text, content_type="text/html; charset=utf-8")


def _so_long_ago(days: int) -> date:
    return timezone.now().date() - timedelta(days=days - 1)


@router.get("/feeds", response={200: list[FeedOut], **PROBLEMS})
def feeds(request: HttpRequest) -> Any:
    """The board: all feeds, those that wait for a person first."""
    # written as it is: to look at each of thousands of deliveries once more would take longer than to find them
    names = FeedOut.model_fields.keys() - {"deliveries"}
    lines = [
        {**{name: line[name] for name in names}, "deliveries": [_listed(each) for each in line["deliveries"]]}
        for line in board.board()
    ]
    return as_json(lines)


def _listed(delivery: dict[str, Any]) -> dict[str, Any]:
    """What lists show of a delivery, of all that is known."""
    balance = {name: delivery["balance"][name] for name in Balance.model_fields}
    return {**{name: delivery[name] for name in DeliverySummary.model_fields}, "balance": balance}


@router.post("/feeds", response={201: FeedOut, **PROBLEMS})
def make_feed(request: HttpRequest, body: FeedIn) -> Any:
    """Create a feed."""
    return 201, board.feed_line(feed_services.make_feed(request.user, **body.model_dump()))


@router.get("/feeds/{slug}", response={200: FeedOut, **PROBLEMS})
def feed(request: HttpRequest, slug: str = Slug) -> Any:
    """One feed."""
    return board.feed_line(feed_or_404(slug))


@router.get("/deliveries", response={200: list[DeliverySummary], **PROBLEMS})
def deliveries(
    request: HttpRequest,
    feed: str = Query("", max_length=120, description="the slug of a feed; empty: of all feeds"),
    before: int = Query(2**31 - 1, ge=1, le=2**31 - 1, description="only deliveries with lower ids"),
    limit: int = Query(100, ge=1, le=1000),
) -> Any:
    """Deliveries, the newest first, a page at a time."""
    return as_json(
        [_listed(each) for each in board.deliveries_before(feed_or_404(feed) if feed else None, before, limit)]
    )


@router.get("/deliveries/{delivery_id}", response={200: WorkspaceOut, **PROBLEMS})
def workspace(request: HttpRequest, delivery_id: int = Id) -> Any:
    """A delivery as its frame shows it."""
    told = head(delivery_id)
    if masking.works_on_records(request.user):
        return told
    return {**told, "masked": sorted(masking.hidden_columns(request.user, delivery_or_404(delivery_id).feed))}


@router.get("/quarantine", response={200: list[QuarantineLine], **PROBLEMS})
def quarantine_everywhere(request: HttpRequest) -> Any:
    """All deliveries with records in quarantine."""
    return board.quarantine_everywhere(request.user)
