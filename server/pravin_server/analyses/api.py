"""Analyses: relations, suitability, side by side, looking at several columns, bounds, and the report."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Field, Router, Schema

from pravin_core.profiling.comparison import Comparison
from pravin_core.profiling.cross_filter import CrossFilter, Panel, look
from pravin_core.profiling.relations.relations import Relations
from pravin_core.records.filters import AnyFilter
from pravin_core.records.pages import Stage
from pravin_core.rules.base import Part
from pravin_server.accounts.access import reader
from pravin_server.analyses import proposed_checks, report, services
from pravin_server.analyses.models import Analysis
from pravin_server.common import cache
from pravin_server.common.errors import NotFound
from pravin_server.common.schemas import PROBLEMS, Id, JobOut, Table
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.runs.tables_after import snapshot_at

router = Router(tags=["analyses"], auth=reader)


class RelationsIn(Schema):
    """`target`: a column, or empty; `exact`: over all records, not over an even sample; `table`: as rules left it."""

    target: str = Field("", max_length=2000)
    exact: bool = False
    table: int | None = Field(None, ge=1, le=2**62)


class ComparisonIn(Schema):
    """The other delivery of the feed; none for before and after the rules. `table`: after as these rules left it."""

    other: int | None = Field(None, ge=1, le=2**62)
    table: int | None = Field(None, ge=1, le=2**62)


class AnalysisOut(Schema):
    """An analysis and the work on it; none when it was done before."""

    id: int
    job: JobOut | None


class CrossFilterIn(Schema):
    """Panels, filters that all of them stand under, and the column that splits them."""

    panels: list[Panel] = Field(max_length=12)
    where: list[AnyFilter] = Field([], max_length=50)
    split: str = Field("", max_length=2000)
    table: int | None = Field(None, ge=1, le=2**62)


Share = Annotated[float, Field(ge=0, le=1)]


class SuitabilityLimits(Schema):
    """From which share on a column falls out: more cells missing; as much like another column; telling as much of the target."""

    missing: Share = 0.6
    repeats: Share = 0.98
    leaks: Share = 0.98


class SuitabilitySettings(Schema):
    """What is settled for a feed: the target, the limits, and what columns are by hand, whatever the limits say."""

    target: str = Field("", max_length=2000)
    limits: SuitabilityLimits = SuitabilityLimits()
    roles: dict[str, Literal["input", "excluded"]] = Field({}, max_length=5000)


class SuitabilityIn(SuitabilitySettings):
    """The columns that fall out now, and why in a few words."""

    columns: list[str] = Field(max_length=5000)
    why: str = Field("", max_length=1000)


class SuitabilityOut(SuitabilitySettings):
    """What is settled, since when and by whom (empty when nothing is), and the columns that the rule made of it drops."""

    excluded: list[str]
    by: str
    at: datetime | None


class ProposedCheckOut(Schema):
    """A proposed check: its rule in words, what it rests on, and whether the rulebook has it already."""

    id: str
    column: str
    kind: str
    sentence: list[Part]
    rests_on: str
    present: bool


class ProposedChecksIn(Schema):
    """Which proposals, and of which table as rules left it."""

    ids: list[str] = Field(min_length=1, max_length=5000)
    table: int | None = Field(None, ge=1, le=2**62)


class MadeRule(Schema):
    revision: int


def _content(analysis_id: int, kind: str) -> Any:
    analysis = Analysis.objects.filter(pk=analysis_id, kind=kind).first()
    if analysis is None or analysis.content is None:
        raise NotFound(f"There is no finished analysis {analysis_id}. Ask for it again.")
    return analysis.content


@router.post("/deliveries/{delivery_id}/relations", response={200: AnalysisOut, **PROBLEMS})
def ask_relations(request: HttpRequest, body: RelationsIn, delivery_id: int = Id) -> Any:
    """Ask how the columns go together."""
    analysis, job = services.ask_relations(
        request.user, delivery_or_404(delivery_id), body.target, body.exact, body.table
    )
    return {"id": analysis.pk, "job": job}


@router.get("/relations/{relations_id}", response={200: Relations, **PROBLEMS})
def relations(request: HttpRequest, relations_id: int = Id) -> Any:
    """How the columns go together."""
    return _content(relations_id, Analysis.Kind.RELATIONS)


@router.post("/deliveries/{delivery_id}/comparisons", response={200: AnalysisOut, **PROBLEMS})
def request_comparison(request: HttpRequest, body: ComparisonIn, delivery_id: int = Id) -> Any:
    """Ask for two tables side by side."""
    analysis, job = services.request_comparison(request.user, delivery_or_404(delivery_id), body.other, body.table)
    return {"id": analysis.pk, "job": job}


@router.get("/comparisons/{comparison_id}", response={200: Comparison, **PROBLEMS})
def comparison(request: HttpRequest, comparison_id: int = Id) -> Any:
    """What changed, most changed first."""
    return _content(comparison_id, Analysis.Kind.SIDE_BY_SIDE)


@router.post("/deliveries/{delivery_id}/cross-filter", response={200: CrossFilter, **PROBLEMS})
def cross_filter(request: HttpRequest, body: CrossFilterIn, delivery_id: int = Id) -> Any:
    """Distributions of several columns, each narrowed by what is chosen in the others; changes nothing."""
    delivery = delivery_or_404(delivery_id)
    profiles = services.profiled(delivery, body.table)

    def see() -> CrossFilter:
        with cache.scratch() as scratch:
            stage = Stage(snapshot_at(delivery, body.table))
            return look(stage, profiles, body.panels, body.where, body.split, scratch, cache.limits())

    return cache.even_if_deleted(see)


@router.get("/deliveries/{delivery_id}/suitability", response={200: SuitabilityOut, **PROBLEMS})
def suitability(request: HttpRequest, delivery_id: int = Id) -> Any:
    """What is settled about the columns of the delivery's feed for modelling."""
    return services.suitability_of(delivery_or_404(delivery_id))


@router.put("/deliveries/{delivery_id}/suitability", response={200: MadeRule, **PROBLEMS})
def drop_unsuitable(request: HttpRequest, body: SuitabilityIn, delivery_id: int = Id) -> Any:
    """Settle it for the feed, and make or change the rule that drops the unsuitable columns."""
    settled = body.dict(include={"target", "limits", "roles"})
    delivery = delivery_or_404(delivery_id)
    return {"revision": services.drop_unsuitable(request.user, delivery, body.columns, body.why, settled)}


@router.get("/deliveries/{delivery_id}/proposed-checks", response={200: list[ProposedCheckOut], **PROBLEMS})
def bounds_of(request: HttpRequest, delivery_id: int = Id, table: int | None = Table) -> Any:
    """Checks that hold what the profile saw, of the delivery or of the table as rules left it."""
    return proposed_checks.proposed(delivery_or_404(delivery_id), table)


@router.post("/deliveries/{delivery_id}/proposed-checks", response={200: MadeRule, **PROBLEMS})
def accept_proposed_checks(request: HttpRequest, body: ProposedChecksIn, delivery_id: int = Id) -> Any:
    """Put proposed checks into the rulebook."""
    return {"revision": proposed_checks.accept(request.user, delivery_or_404(delivery_id), body.ids, body.table)}


@router.get("/deliveries/{delivery_id}/report.html", response={200: None, **PROBLEMS})
def report_page(
    request: HttpRequest, delivery_id: int = Id, beside: int | None = None, table: int | None = Table
) -> Any:
    """The profile as a report that stands alone; `beside` a comparison it is shown with the changes."""
    delivery = delivery_or_404(delivery_id)
    page = report.page(delivery, _beside(delivery_id, beside), table)
    return _file(page, "text/html", report.name_of(delivery, "html"))


@router.get("/deliveries/{delivery_id}/report.json", response={200: None, **PROBLEMS})
def report_data(
    request: HttpRequest, delivery_id: int = Id, beside: int | None = None, table: int | None = Table
) -> Any:
    """The same as JSON."""
    delivery = delivery_or_404(delivery_id)
    text = report.data(delivery, _beside(delivery_id, beside), table)
    return _file(text, "application/json", report.name_of(delivery, "json"))


def _beside(delivery_id: int, analysis_id: int | None) -> Analysis | None:
    if analysis_id is None:
        return None
    kind = Analysis.Kind.SIDE_BY_SIDE
    analysis = Analysis.objects.filter(
        pk=analysis_id, delivery_id=delivery_id, kind=kind, content__isnull=False
    ).first()
    if analysis is None:
        raise NotFound(f"There is no finished analysis {analysis_id} of this delivery. Ask for it again.")
    return analysis


def _file(text: str, kind: str, name: str) -> HttpResponse:
    response = HttpResponse(text, content_type=f"{kind}; charset=utf-8")
    response["Content-Disposition"] = f'inline; filename="{name}"'
    return response
