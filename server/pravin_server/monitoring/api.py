"""What is new in a delivery, measures over time, and the policies by which feeds run themselves."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Literal

from django.http import HttpRequest, StreamingHttpResponse
from django.utils.http import content_disposition_header
from ninja import Field, Path, Query, Router, Schema

from pravin_core.monitoring.novelties import Novelty
from pravin_core.monitoring.plans import Plan, clock_of
from pravin_server.accounts.access import reader
from pravin_server.accounts.services import may_work
from pravin_server.common.errors import Invalid
from pravin_server.common.schemas import PROBLEMS, Id, Slug
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.feeds import masking
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.monitoring import arrivals, calendar, news, overview, policy
from pravin_server.monitoring.models import ArrivalPlan, FeedPolicy, PolicyStep

router = Router(tags=["monitoring"], auth=reader)
NoveltyId = Path(..., max_length=12)


class AnsweredNovelty(Novelty):
    """Something new, and what a person answered ("" where nobody did)."""

    answer: str
    word: str
    by: str
    at: datetime | None


class OpenFinding(Schema):
    """A finding of high or middle severity that no rule treats and nobody decided about."""

    id: str
    kind: str
    columns: list[str]
    severity: str
    says: str


class PolicyStepOut(Schema):
    """What the policy of the feed did with the delivery, or why it called a person."""

    did: str
    reasons: list[str]
    at: datetime


class NewsOut(Schema):
    """What is new in a delivery. `past`: against how many deliveries before; below `needed` no limits are known. `judged`: how many
    measures were compared. `usual`: what is new but usual for its column. `changes`: design changes that wait.
    """

    past: int
    needed: int
    judged: int
    changes: int
    news: list[AnsweredNovelty]
    usual: list[AnsweredNovelty]
    findings: list[OpenFinding]
    steps: list[PolicyStepOut]


class AnswerIn(Schema):
    answer: Literal["expected", "ignored", "asked"]
    word: str = Field("", max_length=1000)


class MeasurePoint(Schema):
    """A measure of one delivery, with the limits that the deliveries before gave it. `expected`: its level was said to be expected."""

    number: int
    received: datetime
    value: float
    low: float | None
    high: float | None
    outside: bool
    expected: bool


class MeasureOut(Schema):
    column: str
    measure: str
    scale: str
    points: list[MeasurePoint]


class PolicyIn(Schema):
    """How a feed runs itself. `quarantined`: the share of the records that may be in quarantine; `least`, `most`: of records."""

    then: Literal["nothing", "propose", "publish"] = "nothing"
    quarantined: float = Field(0.05, ge=0, le=1)
    least: int | None = Field(None, ge=0, le=2**62)
    most: int | None = Field(None, ge=0, le=2**62)


class PolicyOut(Schema):
    then: str
    quarantined: float
    least: int | None
    most: int | None
    by: str
    at: datetime | None

    @staticmethod
    def resolve_by(kept: FeedPolicy) -> str:
        """In whose name it acts."""
        return kept.by.shown if kept.by else ""


class FeedPolicyOut(Schema):
    """The policy of a feed; none where it waits for a person. `steps`: how often it did what, over all deliveries."""

    policy: PolicyOut | None
    steps: dict[str, int]


class PastDelivery(Schema):
    """A delivery, and why a policy would have called a person to it; no reasons: it would have passed."""

    delivery: int
    number: int
    received: datetime
    reasons: list[str]


class PlanOfArrivalsIn(Schema):
    """When deliveries are expected; `holidays`: the name of a code list of days, "" for none; `after`: the slug of the feed that it
    follows, where the plan says that it follows one.
    """

    plan: Plan
    holidays: str = Field("", max_length=200)
    after: str = Field("", max_length=200)


class ArrivalStanding(Schema):
    """When a delivery is expected next (None: once that of another feed comes); whether it is late, and how many are missing by now."""

    expected: datetime | None
    is_late: bool
    missing: int


class PlanOfArrivalsOut(Schema):
    """The plan of a feed (None: none), how it stands by it, and the plan that its arrivals follow (None: no certain one)."""

    plan: Plan | None
    holidays: str
    after: str
    standing: ArrivalStanding | None
    learned: Plan | None


class CalendarEntry(Schema):
    """What happened or is to happen on a day: a delivery that came in time ("came"), late, or again for the same due time, one that is
    missing, or one that is due. `due`: when it was to come, None without a plan.
    """

    day: date
    at: datetime
    sort: Literal["came", "late", "again", "missing", "due"]
    due: datetime | None
    delivery: int | None
    number: int | None
    state: str


class CalendarLine(Schema):
    """A feed in the calendar; `zone`: the clock that its days are told on; `after`: the feed that it follows."""

    slug: str
    name: str
    supplier: str
    owner: str
    zone: str
    plan: Plan | None
    after: str
    entries: list[CalendarEntry]


@router.get("/calendar", response={200: list[CalendarLine], **PROBLEMS})
def calendar_of_feeds(
    request: HttpRequest,
    first: date | None = Query(None, ge=date(1990, 1, 1), le=date(2200, 1, 1)),
    days: int = Query(31, ge=1, le=62),
    zone: str = Query("UTC", max_length=64),
) -> Any:
    """What came, what is late or missing and what is due, of all feeds on some days from the first (else this day) on."""
    try:
        clock = clock_of(zone)
    except ValueError as error:
        raise Invalid(str(error), field="zone") from error
    return calendar.calendar(first or datetime.now(clock).date(), days, clock)


@router.get("/deliveries/{delivery_id}/news", response={200: NewsOut, **PROBLEMS})
def what_is_new(request: HttpRequest, delivery_id: int = Id) -> Any:
    """What a delivery has that the ones before had not."""
    delivery = delivery_or_404(delivery_id)
    return news.news_of(delivery, masking.hidden_columns(request.user, delivery.feed))


@router.get("/deliveries/{delivery_id}/news/{novelty}/measure", response={200: MeasureOut, **PROBLEMS})
def measure(request: HttpRequest, delivery_id: int = Id, novelty: str = NoveltyId) -> Any:
    """A measure over the deliveries up to this one."""
    delivery = delivery_or_404(delivery_id)
    return news.measure_over_time(delivery, novelty, masking.hidden_columns(request.user, delivery.feed))


@router.put("/deliveries/{delivery_id}/news/{novelty}", response={204: None, **PROBLEMS})
def answer(request: HttpRequest, body: AnswerIn, delivery_id: int = Id, novelty: str = NoveltyId) -> Any:
    """Say that something new is expected from now on or to be ignored this time, or put a question about it where its supplier finds it."""
    may_work(request.user, "answer to what is new")
    news.answer(request.user, delivery_or_404(delivery_id), novelty, body.answer, body.word)
    return 204, None


@router.delete("/deliveries/{delivery_id}/news/{novelty}", response={204: None, **PROBLEMS})
def take_back(request: HttpRequest, delivery_id: int = Id, novelty: str = NoveltyId) -> Any:
    """Take an answer back."""
    may_work(request.user, "answer to what is new")
    news.take_back(request.user, delivery_or_404(delivery_id), novelty)
    return 204, None


class RememberedDelivery(Schema):
    """A delivery in a feed's memory: the revision of its newest run (None: not run), whether it is released."""

    id: int
    number: int
    received: datetime
    revision: int | None
    released: bool


class MeasureSeries(Schema):
    """A measure of a column ("" for all records), or of the check of a `rule` (then `name` is its title), over the deliveries; None where
    one has no such. `new`: whether the value was outside its limits, or drifting, when the delivery came. `id` as among news.
    """

    id: str
    name: str
    rule: str
    values: list[float | None]
    new: list[bool]


class FeedMemoryOut(Schema):
    """A measure over the deliveries of a feed, oldest first; `measures`: those that there are."""

    measures: list[str]
    measure: str
    scale: str
    deliveries: list[RememberedDelivery]
    series: list[MeasureSeries]


@router.get("/feeds/{slug}/memory", response={200: FeedMemoryOut, **PROBLEMS})
def memory(request: HttpRequest, slug: str = Slug, measure: str = Query("missing", max_length=60)) -> Any:
    """What a feed remembers: one measure of all its columns over its deliveries."""
    feed = feed_or_404(slug)
    return overview.memory_over_time(feed, measure, masking.hidden_columns(request.user, feed))


@router.get("/feeds/{slug}/memory.csv", response={200: None, **PROBLEMS})
def memory_file(request: HttpRequest, slug: str = Slug) -> Any:
    """All that a feed remembers, as CSV: a measure of a delivery in each line."""
    feed = feed_or_404(slug)
    lines = overview.as_csv(feed, masking.hidden_columns(request.user, feed))
    response = StreamingHttpResponse(lines, content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = content_disposition_header(True, f"{feed.slug}-memory.csv") or ""
    return response


@router.get("/feeds/{slug}/policy", response={200: FeedPolicyOut, **PROBLEMS})
def policy_of(request: HttpRequest, slug: str = Slug) -> Any:
    """How a feed runs itself."""
    feed = feed_or_404(slug)
    steps: dict[str, int] = {}
    for did in PolicyStep.objects.filter(delivery__feed=feed).values_list("did", flat=True):
        steps[did] = steps.get(did, 0) + 1
    return {"policy": FeedPolicy.objects.filter(feed=feed).select_related("by").first(), "steps": steps}


@router.put("/feeds/{slug}/policy", response={200: PolicyOut, **PROBLEMS})
def keep_policy(request: HttpRequest, body: PolicyIn, slug: str = Slug) -> Any:
    """Let a feed run itself from the next delivery on."""
    return policy.keep_policy(request.user, feed_or_404(slug), **body.model_dump())


@router.delete("/feeds/{slug}/policy", response={204: None, **PROBLEMS})
def drop_policy(request: HttpRequest, slug: str = Slug) -> Any:
    """Let a feed wait for a person again."""
    policy.drop_policy(request.user, feed_or_404(slug))
    return 204, None


@router.post("/feeds/{slug}/policy/past", response={200: list[PastDelivery], **PROBLEMS})
def over_the_past(request: HttpRequest, body: PolicyIn, slug: str = Slug) -> Any:
    """What a policy would have done with the deliveries so far, newest first; nothing is kept."""
    return policy.over_the_past(feed_or_404(slug), FeedPolicy(**body.model_dump()))


@router.get("/feeds/{slug}/arrival-plan", response={200: PlanOfArrivalsOut, **PROBLEMS})
def plan_of_arrivals(request: HttpRequest, slug: str = Slug) -> Any:
    """When deliveries of a feed are expected."""
    feed = feed_or_404(slug)
    kept = ArrivalPlan.objects.filter(feed=feed).select_related("holidays", "after").first()
    return {
        "plan": kept.content if kept else None,
        "holidays": kept.holidays.name if kept and kept.holidays else "",
        "after": kept.after.slug if kept and kept.after else "",
        "standing": arrivals.standings([feed.pk]).get(feed.pk),
        "learned": arrivals.learned(feed, kept.content["zone"] if kept else "UTC"),
    }


@router.put("/feeds/{slug}/arrival-plan", response={200: PlanOfArrivalsOut, **PROBLEMS})
def keep_plan_of_arrivals(request: HttpRequest, body: PlanOfArrivalsIn, slug: str = Slug) -> Any:
    """Say when deliveries of a feed are expected, from now on."""
    arrivals.keep_plan(request.user, feed_or_404(slug), body.plan, body.holidays, body.after)
    return plan_of_arrivals(request, slug)


@router.delete("/feeds/{slug}/arrival-plan", response={204: None, **PROBLEMS})
def drop_plan_of_arrivals(request: HttpRequest, slug: str = Slug) -> Any:
    """Expect deliveries of a feed at no certain time."""
    arrivals.drop_plan(request.user, feed_or_404(slug))
    return 204, None
