"""Quarantine: reasons, records, decisions."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Query, Router

from pravin_server.accounts.access import reader
from pravin_server.common.schemas import PROBLEMS, Id, Started
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.deliveries.snapshots import sources_of
from pravin_server.quarantine import queries, services
from pravin_server.quarantine.schemas import AmendIn, DecisionIn, HeldPage, QuarantineOut, RetryOut, TakeBackIn
from pravin_server.runs.queries import current_run

router = Router(tags=["quarantine"], auth=reader)


@router.get("/deliveries/{delivery_id}/quarantine", response={200: QuarantineOut, **PROBLEMS})
def quarantine(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The reasons with counts, and the decisions taken."""
    delivery = delivery_or_404(delivery_id)
    run = current_run(delivery)
    in_use = [
        {
            "record": d.record, "kind": d.kind, "values": d.values, "justification": d.justification,
            "who": d.by.shown if d.by else "", "at": d.at,
        }
        for d in queries.decisions(delivery)[:1000]
    ]  # fmt: skip
    if run is None:
        return {"run": None, "since": None, "total": 0, "reasons": [], "decisions": in_use}
    return {
        "run": run.pk, "since": run.ended, "total": queries.total(run), "reasons": queries.reasons(run), "decisions": in_use,
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
    run = current_run(delivery)
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
