"""Which run speaks for a delivery, and what runs tell."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from pravin_server.deliveries.models import Delivery
from pravin_server.rulebooks.models import Revision
from pravin_server.rulebooks.ports import Told
from pravin_server.runs.models import Run

T = TypeVar("T")


def _done(delivery: Delivery, purpose: str) -> Run | None:
    filter_ = delivery.runs.filter(purpose=purpose, state="done", snapshot_key=delivery.snapshot_key)
    return filter_.select_related("revision", "delivery").first()


def current_run(delivery: Delivery) -> Run | None:
    """The newest finished run over the delivery as it is read now."""
    return _done(delivery, Run.Purpose.RUN)


def newest_trial(delivery: Delivery) -> Run | None:
    """The newest finished trial over the delivery as it is read now."""
    return _done(delivery, Run.Purpose.TRIAL)


def displayed_run(delivery: Delivery) -> Run | None:
    """What the balance bar shows: the counting run, unless a trial of a newer revision says more."""
    return speaking(current_run(delivery), newest_trial(delivery), lambda run: run.revision.number)


def speaking(run: T | None, trial: T | None, revision_of: Callable[[T], int]) -> T | None:
    """Of the newest run and trial, in whatever form they are at hand, the one that the balance bar shows."""
    if run is not None and trial is not None and revision_of(trial) > revision_of(run):
        return trial
    return trial if run is None else run


def run_summary(run: Run | None) -> dict[str, Any] | None:
    """A run in a few words."""
    if run is None:
        return None
    return {
        "id": run.pk, "purpose": run.purpose, "revision": run.revision.number, "state": run.state,
        "seconds": run.seconds, "ended": run.ended, "error": run.error, "outcome": run.outcome,
    }  # fmt: skip


def newest_run_of(revision: Revision, delivery_id: int) -> Told | None:
    """What the newest trial or run of a revision over a delivery tells."""
    runs = Run.objects.filter(revision=revision, delivery=delivery_id, state="done").select_related("delivery")
    return _told(runs.first())


def newest_run_of_rules(delivery: Delivery, rules: list[dict[str, Any]]) -> Told | None:
    """What one of the last six trials or runs of just these rules over a delivery tells."""
    done = delivery.runs.filter(state="done", snapshot_key=delivery.snapshot_key)
    return _told(
        next((run for run in done.select_related("revision", "delivery")[:6] if run.revision.rules == rules), None)
    )


def _told(run: Run | None) -> Told | None:
    return Told(run.purpose, run.delivery.number, run.outcome["effects"]) if run and run.outcome else None
