"""Meet waiting records again in later deliveries, by the key of the feed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict
from datetime import datetime

import numpy as np
from django.db import transaction
from django.db.models import F

from pravin_core.cases.counting import ReasonCount as Counted
from pravin_core.cases.counting import count_reasons
from pravin_core.cases.matching import matches
from pravin_core.tables.record_sets import packed
from pravin_server.common import cache
from pravin_server.common.locks import lock_rows
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.quarantine.cases import Cases, cases_of
from pravin_server.quarantine.models import CaseStep, Match, ReasonCount
from pravin_server.runs.models import Run
from pravin_server.runs.results import stage_of


def match_run(run: Run) -> None:
    """Meet the records of a new counting run with those of the other deliveries of its feed, in the caller's transaction: earlier
    ones that it brings again, and its own that later ones brought.
    """
    feed = lock_rows(Feed).get(pk=run.delivery.feed_id)
    touched = _forget(run.delivery, run)
    others = [other for other in current_runs(feed) if other.delivery_id != run.delivery_id]
    number = run.delivery.number
    for other in others:
        earlier, later = (other, run) if other.delivery.number < number else (run, other)
        if _match(earlier, later, feed.key):
            touched.add(earlier.pk)
    _count(Run.objects.filter(pk__in=touched | {run.pk}))


def match_feed(feed: Feed) -> None:
    """Meet all deliveries of a feed anew, under the key that it has now, in the caller's transaction."""
    runs = current_runs(lock_rows(Feed).get(pk=feed.pk))
    Match.objects.filter(case_run__delivery__feed=feed).delete()
    for place, later in enumerate(runs):
        for earlier in runs[:place]:
            _match(earlier, later, feed.key)
    _count(runs)


def forget(delivery: Delivery) -> None:
    """A delivery was read anew: what it settled waits again."""
    with transaction.atomic():
        _count(Run.objects.filter(pk__in=_forget(delivery, None)))


def _forget(delivery: Delivery, current: Run | None) -> set[int]:
    """Drop what earlier runs of a delivery met; returns the other runs whose cases that touches."""
    by_it = Match.objects.filter(by_run__delivery=delivery).exclude(by_run=current)
    touched = set(by_it.values_list("case_run", flat=True))
    by_it.delete()
    Match.objects.filter(case_run__delivery=delivery).exclude(case_run=current).delete()
    return touched


def current_runs(feed: Feed) -> list[Run]:
    """The newest counting run of each delivery of a feed as it is read now, in the order of the deliveries."""
    counting = Run.objects.filter(
        delivery__feed=feed, purpose=Run.Purpose.RUN, state="done", snapshot_key=F("delivery__snapshot_key")
    )
    newest = counting.order_by("delivery_id", "-id").distinct("delivery_id").values("pk")
    return list(
        Run.objects.filter(pk__in=newest).select_related("delivery__feed", "revision").order_by("delivery__number")
    )


def _match(earlier: Run, later: Run, key: Sequence[str]) -> bool:
    """Keep what a later run brought again of an earlier one; returns whether it did."""
    if not key or not (earlier.outcome or {})["reconciliation"]["quarantined"]:
        return False

    def met() -> bytes:
        with cache.scratch() as scratch:
            table = matches(stage_of(earlier), stage_of(later), key, scratch, cache.limits())
        counts.extend([table.num_rows, int(np.sum(table.column("again").to_numpy()))])
        return packed(table)

    counts: list[int] = []
    content = cache.even_if_deleted(met)
    total, again = counts[-2:]
    if not total:
        return False
    Match.objects.create(case_run=earlier, by_run=later, content=content, settled=total - again, again=again)
    return True


def _count(runs: Iterable[Run]) -> None:
    """Count the cases of runs anew: those that wait, with their reasons, those that were settled, those that wait in a later
    delivery.
    """
    for run in runs:
        cases = cases_of(run)
        _count_reasons(run, cases)
        CaseStep.objects.filter(run=run).update(
            waiting=int(np.sum(cases.is_waiting)),
            settled=int(np.sum(cases.settled_by > 0)),
            again=int(np.sum(cases.again_in > 0)),
            oldest=_oldest(cases),
        )


def _oldest(cases: Cases) -> datetime | None:
    """When the run ended that opened the oldest of the waiting cases."""
    since = cases.since[cases.is_waiting]
    return Run.objects.values_list("ended", flat=True).get(pk=int(since.min())) if len(since) else None


def _count_reasons(run: Run, cases: Cases) -> None:
    """Keep how many of the waiting cases there are for each reason, for the lists over many deliveries."""
    waits = cases.is_waiting

    def counted() -> list[Counted]:
        return count_reasons(
            stage_of(run), cache.spills(), cache.limits(), None if waits.all() else cases.records[waits]
        )

    reasons = cache.even_if_deleted(counted) if waits.any() else []
    ReasonCount.objects.filter(run=run).delete()
    ReasonCount.objects.bulk_create([ReasonCount(run=run, **asdict(reason)) for reason in reasons], batch_size=1000)
