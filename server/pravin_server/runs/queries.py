"""Which run speaks for a delivery."""

from __future__ import annotations

from pravin_server.deliveries.models import Delivery
from pravin_server.runs.models import Run


def _done(delivery: Delivery, purpose: str) -> Run | None:
    found = delivery.runs.filter(purpose=purpose, state="done", snapshot_key=delivery.snapshot_key)
    return found.select_related("revision", "delivery").first()


def counting_run(delivery: Delivery) -> Run | None:
    """The newest finished run over the delivery as it is read now."""
    return _done(delivery, Run.Purpose.RUN)


def newest_trial(delivery: Delivery) -> Run | None:
    """The newest finished trial over the delivery as it is read now."""
    return _done(delivery, Run.Purpose.TRIAL)


def speaking_run(delivery: Delivery) -> Run | None:
    """What the balance bar shows: the counting run, unless a trial of a newer revision says more."""
    run, trial = counting_run(delivery), newest_trial(delivery)
    if run and trial and trial.revision.number > run.revision.number:
        return trial
    return run or trial
