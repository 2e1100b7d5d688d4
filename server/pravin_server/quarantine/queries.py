"""What stands in quarantine: reasons with counts, the records for a reason, decisions."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, F, Func, QuerySet
from django.db.models.fields.json import KeyTextTransform

from pravin_server.deliveries.models import Delivery
from pravin_server.quarantine.models import Decision, QuarantinedRecord
from pravin_server.runs.models import Run
from pravin_server.runs.queries import counting_run
from pravin_server.runs.results import rulebook_of_run


class _Each(Func):
    """One row for each item of a JSON list."""

    function = "jsonb_array_elements"
    set_returning = True


def _of(run: Run) -> QuerySet[QuarantinedRecord]:
    return QuarantinedRecord.objects.filter(run=run)


def reasons(run: Run) -> list[dict[str, Any]]:
    """Every rule and column for which records are held, most records first."""
    items = _of(run).annotate(item=_Each(F("reasons"))).annotate(
        rule=KeyTextTransform("rule", "item"),
        name=KeyTextTransform("name", "item"),
        phrase=KeyTextTransform("phrase", "item"),
    )  # fmt: skip
    grouped = items.values("rule", "name", "phrase").annotate(records=Count("record", distinct=True))
    sentences = {
        number: [part.model_dump() for part in rule.said()]
        for number, rule in enumerate(rulebook_of_run(run).rules, start=1)
    }
    found = [{**row, "rule": int(row["rule"]), "sentence": sentences.get(int(row["rule"]), [])} for row in grouped]
    return sorted(found, key=lambda row: (-row["records"], row["rule"], row["name"]))


def page(run: Run, rule: int | None, name: str, offset: int, limit: int) -> tuple[int, list[QuarantinedRecord]]:
    """Records held, all or for one reason, by record number."""
    held = _of(run)
    if rule is not None:
        wanted: dict[str, Any] = {"rule": rule}
        if name:
            wanted["name"] = name
        held = held.filter(reasons__contains=[wanted])
    return held.count(), list(held[offset : offset + limit])


def everywhere() -> list[dict[str, Any]]:
    """Deliveries with records in quarantine, over all feeds, newest first."""
    lines = []
    for delivery in Delivery.objects.select_related("feed").filter(runs__quarantined__isnull=False).distinct():
        run = counting_run(delivery)
        if run is not None and (count := _of(run).count()):
            lines.append({"delivery": delivery, "records": count, "reasons": reasons(run)[:5], "since": run.ended})
    return lines


def decisions(delivery: Delivery) -> QuerySet[Decision]:
    """All decisions on a delivery's records, by record number."""
    return Decision.objects.filter(delivery=delivery).select_related("by")
