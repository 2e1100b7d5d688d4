"""Findings of a delivery."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from pravin_core.profiling.definitions import DEFINITIONS
from pravin_core.profiling.findings import registry
from pravin_core.profiling.model import Finding, ValueCount
from pravin_core.profiling.variants.groups import METHODS
from pravin_core.profiling.variants.values import variants_of
from pravin_core.profiling.words import Words, words_of
from pravin_core.rules.base import Part
from pravin_core.rules.corrections.values.translate import Code
from pravin_server.accounts.access import reader
from pravin_server.common import cache
from pravin_server.common.schemas import PROBLEMS, Id, Table
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.feeds import masking
from pravin_server.findings import queries, services
from pravin_server.runs.tables_after import snapshot_at

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
    """Findings by id; `table`: of the table as rules left it."""

    ids: list[str] = Field(min_length=1, max_length=1000)
    reason: str = Field("", max_length=1000)
    table: int | None = Field(None, ge=1, le=2**62)


class AcceptedOut(Schema):
    revision: int


@router.get("/finding-kinds", response={200: list[FindingKindOut], **PROBLEMS})
def finding_kinds(request: HttpRequest) -> Any:
    """All kinds of findings with their definitions."""
    return [{"name": kind.name, "method": kind.method} for kind in registry.kinds()]


@router.get("/measures", response={200: dict[str, str], **PROBLEMS})
def measures(request: HttpRequest) -> Any:
    """What each measure of a profile is, by the name it has on screen."""
    return DEFINITIONS


@router.get("/deliveries/{delivery_id}/findings", response={200: list[FindingOut], **PROBLEMS})
def findings(request: HttpRequest, delivery_id: int = Id, table: int | None = Table) -> Any:
    """All findings, worst first."""
    delivery = delivery_or_404(delivery_id)
    hidden = masking.hidden_columns(request.user, delivery.feed)
    return queries.findings_by_severity(delivery, table, hidden)


@router.post("/deliveries/{delivery_id}/findings/accept", response={200: AcceptedOut, **PROBLEMS})
def accept(request: HttpRequest, body: FindingsIn, delivery_id: int = Id) -> Any:
    """Make rules of findings."""
    return {"revision": services.accept(request.user, delivery_or_404(delivery_id), body.ids, body.table).number}


@router.post("/deliveries/{delivery_id}/findings/dismiss", response={204: None, **PROBLEMS})
def dismiss(request: HttpRequest, body: FindingsIn, delivery_id: int = Id) -> Any:
    """Set findings aside with a reason."""
    services.dismiss(request.user, delivery_or_404(delivery_id), body.ids, body.reason, body.table)
    return 204, None


@router.post("/deliveries/{delivery_id}/findings/reopen", response={204: None, **PROBLEMS})
def reopen(request: HttpRequest, body: FindingsIn, delivery_id: int = Id) -> Any:
    """Take decisions about findings back."""
    services.reopen(request.user, delivery_or_404(delivery_id), body.ids, body.table)
    return 204, None


class VariantGroupOut(Schema):
    """Spellings that a method joins, most frequent first, and the proposed form."""

    preferred: str
    members: list[ValueCount]


class VariantsOut(Schema):
    """The groups of a column; `all` is false when only the 50,000 most frequent values were compared."""

    groups: list[VariantGroupOut]
    distinct: int
    all: bool


class MethodOut(Schema):
    name: str
    about: str


class JoinIn(Schema):
    """A column and which spelling becomes which form."""

    column: str = Field(max_length=2000)
    codes: list[Code] = Field(min_length=1, max_length=20_000)
    table: int | None = Field(None, ge=1, le=2**62)


@router.get("/variant-methods", response={200: list[MethodOut], **PROBLEMS})
def variant_methods(request: HttpRequest) -> Any:
    """The methods that find variants."""
    return [{"name": name, "about": about} for name, about in METHODS.items()]


@router.get("/deliveries/{delivery_id}/variants", response={200: VariantsOut, **PROBLEMS})
def variants(
    request: HttpRequest,
    delivery_id: int = Id,
    column: str = Query(..., max_length=2000),
    method: str = Query("spelling", max_length=40),
    table: int | None = Table,
) -> Any:
    """Groups of spelling variants of a column (the 2,000 with the most cells)."""
    delivery = delivery_or_404(delivery_id)

    def find() -> Any:
        with cache.scratch() as scratch:
            return variants_of(snapshot_at(delivery, table), column, method, scratch, cache.limits())

    groups, distinct, all_ = cache.even_if_deleted(find)
    shown = [
        {"preferred": group.preferred, "members": [{"value": v, "count": n} for v, n in group.members]}
        for group in groups[:2000]
    ]
    return {"groups": shown, "distinct": distinct, "all": all_}


@router.get("/deliveries/{delivery_id}/words", response={200: Words, **PROBLEMS})
def words(
    request: HttpRequest, delivery_id: int = Id, column: str = Query(..., max_length=2000), table: int | None = Table
) -> Any:
    """The most frequent words and characters of a column."""
    delivery = delivery_or_404(delivery_id)

    def find() -> Words:
        with cache.scratch() as scratch:
            return words_of(snapshot_at(delivery, table), column, scratch, cache.limits())

    return cache.even_if_deleted(find)


@router.post("/deliveries/{delivery_id}/variants", response={200: AcceptedOut, **PROBLEMS})
def join_variants(request: HttpRequest, body: JoinIn, delivery_id: int = Id) -> Any:
    """Make one code list of chosen groups."""
    delivery = delivery_or_404(delivery_id)
    return {"revision": services.join_variants(request.user, delivery, body.column, body.codes, body.table).number}
