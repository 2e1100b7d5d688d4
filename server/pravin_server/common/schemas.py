"""Shapes that several parts of the API share."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Any

from django.http import HttpResponse
from ninja import Path, Query, Schema
from ninja.responses import NinjaJSONEncoder

Id = Path(..., ge=1, le=2**62)
Slug = Path(..., max_length=80)
Table = Query(None, ge=1, le=2**62, description="the table as rules left it; without it as delivered")


class Problem(Schema):
    """Problem details (RFC 9457)."""

    type: str
    status: int
    title: str
    detail: str
    advice: str | None = None
    where: dict[str, Any] | None = None
    errors: list[dict[str, Any]] | None = None


class JobOut(Schema):
    """Work in the background: state is waiting, working, done, failed or cancelled; share goes from 0 to 1."""

    id: int
    kind: str
    target: int
    state: str
    step: str
    share: float
    error: dict[str, Any] | None


class Balance(Schema):
    """The reconciliation."""

    delivered: int
    added: int
    ready: int
    corrected: int
    quarantined: int
    removed: int
    rejected: int


class FeedRef(Schema):
    """A feed by its name."""

    slug: str
    name: str


class EffectOut(Schema):
    """What a rule did."""

    rule: str
    number: int
    kind: str
    enabled: bool
    cells: int
    unconverted: int
    records: int
    removed: int
    broken: int
    columns: int = 0
    added: int = 0
    seen: str = ""


class OutcomeOut(Schema):
    """What a run found."""

    reconciliation: Balance
    discarded: int
    accepted: int
    effects: list[EffectOut]
    stopped_by: list[str]


class RunOut(Schema):
    """A trial or a run."""

    id: int
    purpose: str
    revision: int
    state: str
    seconds: float | None
    ended: datetime | None
    error: dict[str, Any] | None
    outcome: OutcomeOut | None


class Started(Schema):
    """Work that was asked for: the job to watch, and what it is for."""

    job: JobOut
    id: int


def as_json(data: Any) -> HttpResponse:
    """Data as an answer without another look at it: for long lists that are of their schema for sure."""
    return HttpResponse(json.dumps(data, cls=NinjaJSONEncoder), content_type="application/json; charset=utf-8")


PROBLEMS = {401: Problem, 403: Problem, 404: Problem, 409: Problem, 422: Problem, 503: Problem}
