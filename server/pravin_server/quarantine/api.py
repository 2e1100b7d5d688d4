"""Quarantine: reasons, records, decisions."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema
from pydantic import BaseModel

from pravin_core.rules.base import Part
from pravin_server.common.access import reader
from pravin_server.common.schemas import PROBLEMS, Started
from pravin_server.deliveries.api import Id, delivery_or_404
from pravin_server.deliveries.queries import summary
from pravin_server.deliveries.snapshots import sources_of
from pravin_server.feeds.api import DeliverySummary
from pravin_server.quarantine import queries, services
from pravin_server.runs.queries import counting_run

router = Router(tags=["quarantine"], auth=reader)


class ReasonCount(Schema):
    """A reason and how many records it holds. Rule 0 is a value typed by hand that does not fit."""

    rule: int
    name: str
    phrase: str
    records: int
    sentence: list[Part]


class Reason(BaseModel):
    rule: int
    name: str
    value: str | None
    phrase: str


class HeldOut(BaseModel):
    """A quarantined record; values by column, as text."""

    record: int
    file: int
    line: int
    reasons: list[Reason]
    current: dict[str, str | None]
    original: dict[str, str | None]


class HeldPage(Schema):
    run: int | None
    total: int
    columns: list[str]
    files: list[str]
    rows: list[HeldOut]


class DecisionOut(Schema):
    record: int
    kind: str
    values: dict[str, str | None]
    justification: str
    who: str
    at: datetime


class QuarantineOut(Schema):
    """The quarantine of a delivery; `run` is None before the first run."""

    run: int | None
    since: datetime | None
    total: int
    reasons: list[ReasonCount]
    decisions: list[DecisionOut]


class QuarantineLine(Schema):
    delivery: DeliverySummary
    records: int
    reasons: list[ReasonCount]
    since: datetime | None


class AmendIn(Schema):
    values: dict[str, str | None] = Field(min_length=1, max_length=2000)


class RetryOut(Schema):
    """How a record would stand."""

    state: str
    reasons: list[Reason]
    values: dict[str, str | None]


class DecisionIn(Schema):
    records: list[int] = Field(min_length=1, max_length=100_000)
    kind: Literal["amend", "accept", "discard"]
    values: dict[str, str | None] = {}
    justification: str = Field("", max_length=2000)


class TakeBackIn(Schema):
    records: list[int] = Field(min_length=1, max_length=100_000)


@router.get("/quarantine", response={200: list[QuarantineLine], **PROBLEMS})
def everywhere(request: HttpRequest) -> Any:
    """All deliveries with records in quarantine."""
    return [{**line, "delivery": summary(line["delivery"])} for line in queries.everywhere()]


@router.get("/deliveries/{delivery_id}/quarantine", response={200: QuarantineOut, **PROBLEMS})
def quarantine(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The reasons with counts, and the decisions taken."""
    delivery = delivery_or_404(delivery_id)
    run = counting_run(delivery)
    taken = [
        {
            "record": d.record, "kind": d.kind, "values": d.values, "justification": d.justification,
            "who": d.by.shown if d.by else "", "at": d.at,
        }
        for d in queries.decisions(delivery)[:1000]
    ]  # fmt: skip
    if run is None:
        return {"run": None, "since": None, "total": 0, "reasons": [], "decisions": taken}
    return {
        "run": run.pk, "since": run.ended, "total": queries.total(run), "reasons": queries.reasons(run), "decisions": taken,
    }  # fmt: skip


@router.get("/deliveries/{delivery_id}/quarantine/records", response={200: HeldPage, **PROBLEMS})
def held(
    request: HttpRequest,
    delivery_id: int = Id,
    rule: int | None = Query(None, ge=0, le=10_000),
    name: str = Query("", max_length=2000),
    offset: int = Query(0, ge=0, le=10**10),
    limit: int = Query(100, ge=1, le=500),
) -> Any:
    """The quarantined records, all or for one reason."""
    delivery = delivery_or_404(delivery_id)
    files = [source.name for source in sources_of(delivery)]
    run = counting_run(delivery)
    if run is None or run.outcome is None:
        return {"run": None, "total": 0, "columns": [], "files": files, "rows": []}
    total, rows = queries.page(run, rule, name, offset, limit)
    columns = [column for column, _ in run.outcome["columns"]]
    return {"run": run.pk, "total": total, "columns": columns, "files": files, "rows": rows}


@router.post("/deliveries/{delivery_id}/quarantine/{record}/retry", response={200: RetryOut, **PROBLEMS})
def retry(request: HttpRequest, body: AmendIn, delivery_id: int = Id, record: int = Id) -> Any:
    """Try the checks on a record with other values; changes nothing."""
    return services.retry(request.user, delivery_or_404(delivery_id), record, body.values)


@router.post("/deliveries/{delivery_id}/decisions", response={201: Started, **PROBLEMS})
def decide(request: HttpRequest, body: DecisionIn, delivery_id: int = Id) -> Any:
    """Decide on records; the rulebook is run again. The answer's id is the run's."""
    delivery = delivery_or_404(delivery_id)
    run, job = services.decide(request.user, delivery, body.records, body.kind, body.values, body.justification)
    return 201, {"id": run.pk, "job": job}


@router.post("/deliveries/{delivery_id}/decisions/take-back", response={201: Started, **PROBLEMS})
def take_back(request: HttpRequest, body: TakeBackIn, delivery_id: int = Id) -> Any:
    """Take decisions back; the rulebook is run again."""
    run, job = services.take_back(request.user, delivery_or_404(delivery_id), body.records)
    return 201, {"id": run.pk, "job": job}
