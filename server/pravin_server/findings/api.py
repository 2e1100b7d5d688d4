"""Findings of a delivery."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Field, Router, Schema

from pravin_core.profiling.findings import registry
from pravin_core.profiling.model import Finding
from pravin_core.rules.base import Part
from pravin_server.common.access import reader
from pravin_server.common.schemas import PROBLEMS
from pravin_server.deliveries.api import Id, delivery_or_404
from pravin_server.findings import queries, services

router = Router(tags=["findings"], auth=reader)


class FindingKindOut(Schema):
    """A kind of finding and how it is judged."""

    name: str
    method: str


class FindingOut(Schema):
    """A finding, its proposed rule in words, and what was decided about it."""

    finding: Finding
    sentence: list[Part]
    state: str
    reason: str
    by: str
    at: datetime | None
    rule_id: str


class FindingsIn(Schema):
    """Findings by id."""

    ids: list[str] = Field(min_length=1, max_length=1000)
    reason: str = Field("", max_length=1000)


class AcceptedOut(Schema):
    revision: int


@router.get("/finding-kinds", response={200: list[FindingKindOut], **PROBLEMS})
def finding_kinds(request: HttpRequest) -> Any:
    """All kinds of findings with their definitions."""
    return [{"name": kind.name, "method": kind.method} for kind in registry.kinds()]


@router.get("/deliveries/{delivery_id}/findings", response={200: list[FindingOut], **PROBLEMS})
def findings(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The worklist: all findings, worst first."""
    return queries.worklist(delivery_or_404(delivery_id))


@router.post("/deliveries/{delivery_id}/findings/accept", response={200: AcceptedOut, **PROBLEMS})
def accept(request: HttpRequest, body: FindingsIn, delivery_id: int = Id) -> Any:
    """Make rules of findings."""
    return {"revision": services.accept(request.user, delivery_or_404(delivery_id), body.ids).number}


@router.post("/deliveries/{delivery_id}/findings/dismiss", response={204: None, **PROBLEMS})
def dismiss(request: HttpRequest, body: FindingsIn, delivery_id: int = Id) -> Any:
    """Set findings aside with a reason."""
    services.dismiss(request.user, delivery_or_404(delivery_id), body.ids, body.reason)
    return 204, None


@router.post("/deliveries/{delivery_id}/findings/reopen", response={204: None, **PROBLEMS})
def reopen(request: HttpRequest, body: FindingsIn, delivery_id: int = Id) -> Any:
    """Take decisions about findings back."""
    services.reopen(request.user, delivery_or_404(delivery_id), body.ids)
    return 204, None
