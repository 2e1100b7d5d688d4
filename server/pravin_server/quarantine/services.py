"""Decide on quarantined records; the checks are tried again at once."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from pravin_core.runs.model import Decision as CoreDecision
from pravin_core.runs.runner import retry_record
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Conflict, Invalid
from pravin_server.common.locks import lock_rows
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.ports import is_released
from pravin_server.deliveries.snapshots import snapshot_of
from pravin_server.quarantine.models import Decision
from pravin_server.quarantine.queries import current_decisions
from pravin_server.rulebooks.run_context import to_core
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run
from pravin_server.runs.results import rulebook_of_run
from pravin_server.runs.services import ask_run


def _run_of(delivery: Delivery) -> Run:
    run = current_run(delivery)
    if run is None:
        raise Invalid("Nothing is quarantined yet: run the rulebook first.")
    if is_released(delivery):
        raise Conflict("This delivery is released. Withdraw the release before deciding on its records again.")
    return run


def retry(user: Any, delivery: Delivery, record: int, values: dict[str, str | None]) -> dict[str, Any]:
    """Try the checks on a record with amended values, changing nothing: state, reasons, values."""
    may_work(user, "amend a record")
    run = _run_of(delivery)
    others = [CoreDecision.model_validate(d) for d in current_decisions(delivery) if d["record"] != record]
    decisions = [*others, CoreDecision(record=record, kind="amend", values=values)]

    def again() -> dict[str, Any]:
        with cache.scratch() as scratch:
            snapshot, rulebook = snapshot_of(delivery), rulebook_of_run(run)
            return retry_record(snapshot, rulebook, record, decisions, scratch, cache.limits(), to_core(run.context))

    return cache.even_if_deleted(again)


@transaction.atomic
def decide(
    user: Any,
    delivery: Delivery,
    records: Sequence[int],
    kind: str,
    values: dict[str, str | None] | None = None,
    justification: str = "",
) -> tuple[Run, Job]:
    """Decide on records and run the rulebook again under all decisions.

    Accepting and discarding take a justification; amending takes values for one record.
    """
    person = may_work(user, "decide on quarantined records")
    delivery = lock_rows(Delivery).select_related("feed").get(pk=delivery.pk)
    run = _run_of(delivery)
    known = set(run.quarantined.filter(record__in=records).values_list("record", flat=True))
    known |= set(Decision.objects.filter(delivery=delivery, record__in=records).values_list("record", flat=True))
    if unknown := sorted(set(records) - known):
        raise Invalid(f"Record {unknown[0]:,} is not in quarantine any more. Look at the newest run.")
    if kind == "amend":
        _amendable(run, records, values or {})
    elif not justification.strip():
        raise Invalid("Say why: accepting or discarding a record takes a justification.", field="justification")
    for record in records:
        Decision.objects.update_or_create(
            delivery=delivery,
            record=record,
            defaults={"kind": kind, "values": values or {}, "justification": justification.strip(), "by": person},
        )
    verbs = {"amend": "amended", "accept": "accepted as exception", "discard": "discarded"}
    note(person, f"{verbs[kind]} {len(records):,} records of delivery {delivery.number}", delivery.feed.slug,
         delivery.pk, records=list(records)[:1000], values=values or {}, justification=justification)  # fmt: skip
    return ask_run(user, delivery, Run.Purpose.RUN, run.revision)


def _amendable(run: Run, records: Sequence[int], values: dict[str, str | None]) -> None:
    if len(records) != 1 or not values:
        raise Invalid("Amending takes one record and at least one value.")
    columns = {name for name, _ in (run.outcome or {}).get("columns", [])}
    if unknown := sorted(set(values) - columns):
        raise Invalid(f"There is no column {unknown[0]!r}.", column=unknown[0])


@transaction.atomic
def take_back(user: Any, delivery: Delivery, records: Sequence[int]) -> tuple[Run, Job]:
    """Take decisions back and run again."""
    person = may_work(user, "undo a decision")
    run = _run_of(delivery)
    count, _ = Decision.objects.filter(delivery=delivery, record__in=records).delete()
    if not count:
        raise Invalid("There is no decision on these records to undo.")
    note(person, f"took back {count:,} decisions on delivery {delivery.number}", delivery.feed.slug, delivery.pk,
         records=list(records)[:1000])  # fmt: skip
    return ask_run(user, delivery, Run.Purpose.RUN, run.revision)
