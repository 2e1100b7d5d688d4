"""Exceptions that were made for a key: taken over where a later delivery brings the key again, wrong in the same way."""

from __future__ import annotations

import numpy as np

from pravin_core.cases.excepting import also_excepted
from pravin_core.tables.record_sets import Numbers, is_in, packed_numbers, rising
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.locks import lock_rows
from pravin_server.deliveries.models import Delivery
from pravin_server.quarantine.cases import records_of, that_hold
from pravin_server.quarantine.matching import current_runs
from pravin_server.quarantine.models import Decision
from pravin_server.runs.models import Run
from pravin_server.runs.results import stage_of


def standing_exceptions(run: Run) -> list[int]:
    """Take over, as decisions on the delivery of a run, the exceptions that earlier deliveries made for the keys of its quarantined
    records; returns the ids of the new ones. What was taken over and undone here is not taken over again.
    """
    delivery = lock_rows(Delivery).select_related("feed").get(pk=run.delivery_id)
    if not delivery.feed.key or delivery.snapshot_key != run.snapshot_key:
        return []
    ids = []
    for earlier in current_runs(delivery.feed):
        if earlier.delivery.number >= delivery.number:
            continue
        for exception in that_hold(earlier.delivery).filter(kind=Decision.Kind.ACCEPT, details__later=True):
            records = _excepted(earlier, exception, run)
            if len(records):
                ids.append(_taken_over(exception, delivery, records))
    return ids


def _excepted(earlier: Run, exception: Decision, run: Run) -> Numbers:
    """The records of a run for which an exception of an earlier delivery holds, and to which it was not applied before."""

    def found() -> Numbers:
        with cache.scratch() as scratch:
            key = run.delivery.feed.key
            return also_excepted(stage_of(earlier), records_of(exception), stage_of(run), key, scratch, cache.limits())

    records = cache.even_if_deleted(found)
    before = Decision.objects.filter(
        delivery=run.delivery_id, snapshot_key=run.snapshot_key, details__made_in__decision=first_of(exception)
    )
    known = [records_of(decision) for decision in before]
    return records[~is_in(records, rising(np.concatenate(known)))] if known else records


def first_of(decision: Decision) -> int:
    """The id that a decision had first: it gets another one when its delivery is read anew, and is the same decision."""
    first: int = decision.details.get("first", decision.pk)
    return first


def _taken_over(exception: Decision, delivery: Delivery, records: Numbers) -> int:
    made_in = {"decision": first_of(exception), "delivery": exception.delivery_id, "number": exception.delivery.number}
    decision = Decision.objects.create(
        delivery=delivery, snapshot_key=delivery.snapshot_key, kind=exception.kind, records=len(records),
        content=packed_numbers(records), details={"made_in": made_in}, justification=exception.justification,
        until=exception.until, by=exception.by,
    )  # fmt: skip
    many = f"{len(records):,} record{'s' * (len(records) != 1)}"
    what = f"took over an exception of delivery {exception.delivery.number} for {many} of delivery {delivery.number}"
    note(None, what, delivery.feed.slug, delivery.pk, decision=decision.pk, records=len(records), made_in=made_in)
    return decision.pk
