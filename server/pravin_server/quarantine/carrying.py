"""A delivery is read otherwise: decisions go with the records that are the same, and what it settled is met anew."""

from __future__ import annotations

from django.db import transaction
from django.db.models import Q

from pravin_core.cases.carrying import carried, same_records
from pravin_core.intake.snapshot import load_snapshot
from pravin_server.common import cache
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import snapshot_of
from pravin_server.quarantine.cases import records_in
from pravin_server.quarantine.exceptions import first_of
from pravin_server.quarantine.matching import forget
from pravin_server.quarantine.models import Decision


@transaction.atomic
def read_anew(delivery: Delivery, former: str) -> None:
    """Keep the decisions on records that stand on the same line with the same cells as under the key before (`former`); on others
    they do not hold any more, and the list of decisions says so.
    """
    forget(delivery)
    # what was taken over from another delivery and undone here stays undone, so that it is not taken over again
    kept = Q(undone_at__isnull=True) | Q(details__has_key="made_in")
    decisions = delivery.decisions.filter(kept, snapshot_key=former).order_by("id")
    before = load_snapshot(cache.folder("snapshots", former)) if decisions else None
    if before is None:
        return
    with cache.scratch() as scratch:
        pairs = same_records(before, snapshot_of(delivery), scratch, cache.limits())
    for decision in decisions:
        content = carried(bytes(decision.content), pairs)
        records = len(records_in(content))
        if not records:
            continue
        at = decision.at
        decision.details = {**decision.details, "first": first_of(decision)}
        decision.pk, decision.snapshot_key, decision.content, decision.records = (
            None,
            delivery.snapshot_key,
            content,
            records,
        )
        decision.save(force_insert=True)
        Decision.objects.filter(pk=decision.pk).update(at=at)
