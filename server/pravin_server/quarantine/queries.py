"""What stands in quarantine: reasons with counts, the records for a reason, decisions."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet

from pravin_server.deliveries.models import Delivery
from pravin_server.quarantine.models import Decision, QuarantinedRecord
from pravin_server.runs.models import Run
from pravin_server.runs.results import rulebook_of_run


def total(run: Run) -> int:
    """How many records a run set apart."""
    return _of(run).count()


def _of(run: Run) -> QuerySet[QuarantinedRecord]:
    return QuarantinedRecord.objects.filter(run=run)


def reasons(run: Run) -> list[dict[str, Any]]:
    """Every rule and column for which records are held, most records first."""
    sentences = {
        number: [part.model_dump() for part in rule.describe()]
        for number, rule in enumerate(rulebook_of_run(run).rules, start=1)
    }
    return [
        {
            "rule": reason.rule, "name": reason.name, "phrase": reason.phrase, "records": reason.records,
            "sentence": sentences.get(reason.rule, []),
        }
        for reason in run.reasons.all()
    ]  # fmt: skip


def page(run: Run, rule: int | None, name: str, offset: int, limit: int) -> tuple[int, list[dict[str, Any]]]:
    """Records held, all or for one reason, by record number."""
    filter_ = _of(run)
    if rule is not None:
        conditions: dict[str, Any] = {"rule": rule}
        if name:
            conditions["name"] = name
        filter_ = filter_.filter(reasons__contains=[conditions])
    shown = filter_.values("record", "file", "line", "reasons", "current", "original")
    return filter_.count(), [dict(item) for item in shown[offset : offset + limit]]


def decisions(delivery: Delivery) -> QuerySet[Decision]:
    """All decisions on a delivery's records, by record number."""
    return Decision.objects.filter(delivery=delivery).select_related("by")


def current_decisions(delivery: Delivery) -> list[dict[str, Any]]:
    """The decisions on a delivery's records, as the core takes them, in order of record."""
    decisions_ = Decision.objects.filter(delivery=delivery).order_by("record")
    return [dict(decision) for decision in decisions_.values("record", "kind", "values")]
