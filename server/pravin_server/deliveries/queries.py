"""What screens show of deliveries."""

from __future__ import annotations

from typing import Any

from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery
from pravin_server.quarantine.models import Decision
from pravin_server.releases.gates import judge
from pravin_server.releases.services import case_of
from pravin_server.rulebooks.services import newest
from pravin_server.runs.models import Run
from pravin_server.runs.queries import counting_run, newest_trial, speaking_run


def balance(delivery: Delivery, run: Run | None) -> dict[str, int]:
    """The parts of the balance bar; before any run all records are as delivered."""
    if run and run.outcome:
        found: dict[str, int] = run.outcome["reconciliation"]
        return found
    return {
        "delivered": delivery.records + delivery.rejected, "added": 0, "ready": delivery.records, "corrected": 0,
        "quarantined": 0, "removed": 0, "rejected": delivery.rejected,
    }  # fmt: skip


def release_state(delivery: Delivery) -> str:
    """published, publishing, withdrawn or nothing."""
    found = delivery.releases.exclude(state="failed").first()
    return found.state if found else ""


def run_summary(run: Run | None) -> dict[str, Any] | None:
    """A run in a few words."""
    if run is None:
        return None
    return {
        "id": run.pk, "purpose": run.purpose, "revision": run.revision.number, "state": run.state,
        "seconds": run.seconds, "ended": run.ended, "error": run.error, "outcome": run.outcome,
    }  # fmt: skip


def job_summary(job: Job | None) -> dict[str, Any] | None:
    """A job in a few words."""
    if job is None:
        return None
    return {
        "id": job.pk, "kind": job.kind, "target": job.target, "state": job.state, "step": job.step,
        "share": job.share, "error": job.error,
    }  # fmt: skip


def workspace(delivery: Delivery) -> dict[str, Any]:
    """All that the frame of a delivery shows: names, balance, the counts of the five places, running work."""
    run, trial, speaking = counting_run(delivery), newest_trial(delivery), speaking_run(delivery)
    case = case_of(delivery)
    revision = newest(delivery.feed)
    return {
        **summary(delivery, speaking),
        "error": delivery.error,
        "columns": delivery.columns,
        "records": delivery.records,
        "balance_of": "run" if speaking and speaking.purpose == "run" else "trial" if speaking else "delivery",
        "run": run_summary(run),
        "trial": run_summary(trial),
        "speaking": speaking.pk if speaking else None,
        "revision": revision.number,
        "rules": len(revision.rules),
        "quarantined": run.quarantined.count() if run else 0,
        "decided": Decision.objects.filter(delivery=delivery).count(),
        "gates_open": sum(not gate.met for gate in judge(case)) if case else None,
        "job": job_summary(delivery.jobs.filter(state__in=["waiting", "working"]).order_by("id").first()),
        "last_job": job_summary(delivery.jobs.first()),
    }


def summary(delivery: Delivery, run: Run | None = None) -> dict[str, Any]:
    """A delivery in a list."""
    run = run or speaking_run(delivery)
    return {
        "id": delivery.pk,
        "feed": {"slug": delivery.feed.slug, "name": delivery.feed.name},
        "number": delivery.number,
        "state": delivery.state,
        "received": delivery.received,
        "files": delivery.files.count(),
        "balance": balance(delivery, run),
        "release": release_state(delivery),
        "has_run": counting_run(delivery) is not None,
    }
