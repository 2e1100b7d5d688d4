"""The head of a delivery: names, balance, the counts of the five places, running work; in few queries, as it is asked
for again and again while work goes on."""

from __future__ import annotations

from typing import Any

from django.db.models import F, Func, JSONField, OuterRef, Q, Subquery, TextField, Value

from pravin_core.runs.model import Outcome
from pravin_server.common.errors import NotFound
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery, DeliveryProfile
from pravin_server.findings.queries import decisions_that_hold, treated_by
from pravin_server.quarantine.cases import RUN_KINDS, current_decisions
from pravin_server.quarantine.models import Decision
from pravin_server.releases.gates.base import Proposal
from pravin_server.releases.gates.registry import judge
from pravin_server.rulebooks.services import newest
from pravin_server.runs.models import Run
from pravin_server.runs.queries import run_summary, speaking
from pravin_server.workspace.summaries import count_of, summary, with_counts

GRAVE = '$.findings[*] ? (@.severity != "low").id'


def head(delivery_id: int) -> dict[str, Any]:
    """All that the frame of a delivery shows. Raises NotFound."""
    # The work is looked at first: when it has ended, all it wrote is seen below, and nobody need ask again.
    working, last = _jobs(delivery_id)
    delivery = _delivery(delivery_id)
    runs = _runs(delivery)
    run, trial = runs.get(Run.Purpose.RUN), runs.get(Run.Purpose.TRIAL)
    shown = speaking(run, trial, lambda each_run: each_run.revision.number)
    revision = newest(delivery.feed)
    fields = {
        purpose: {
            "id": each_run.pk,
            "revision_number": each_run.revision.number,
            "balance": (each_run.outcome or {}).get("reconciliation"),
            "waiting": each_run.waiting,
        }
        for purpose, each_run in runs.items()
    }
    counts: Any = delivery  # its annotations
    decisions = decisions_that_hold(delivery.feed, revision)
    treated = set(treated_by(delivery, revision, counts.treated)) if counts.grave else set()
    return {
        **(short := summary(delivery, fields)),
        "error": delivery.error,
        "arrived": delivery.arrived,
        "changes_open": short["unsettled"],
        "totals_wrong": sum(not total["agrees"] for total in delivery.compared),
        "columns": delivery.columns,
        "records": delivery.records,
        "balance_of": "run" if shown and shown.purpose == "run" else "trial" if shown else "delivery",
        "run": run_summary(run),
        "trial": run_summary(trial),
        "speaking": shown.pk if shown else None,
        "revision": revision.number,
        "rules": len(revision.rules),
        "findings": len(set(counts.grave or ()) - decisions.keys() - treated),
        "quarantined": short["held"],
        "decided": counts.decided,
        "gates_open": _gates_open(delivery, run, revision) if run else None,
        "job": working,
        "last_job": last,
    }


def _jobs(delivery_id: int) -> tuple[Job | None, Job | None]:
    """The first job that goes on or waits, and the newest one."""
    jobs = Job.objects.filter(delivery=delivery_id)
    newest_job = Subquery(jobs.order_by("-id").values("pk")[:1])
    found_jobs = list(jobs.filter(Q(state__in=["waiting", "working"]) | Q(pk=newest_job)).order_by("id"))
    going = (job for job in found_jobs if job.state in ("waiting", "working"))
    return next(going, None), found_jobs[-1] if found_jobs else None


def _delivery(delivery_id: int) -> Delivery:
    """A delivery with its counts, and the findings of high or middle severity (`grave`, their ids)."""
    path = Func(Value(GRAVE), template="%(expressions)s::jsonpath", output_field=TextField())
    listed = Func(F("content"), path, function="jsonb_path_query_array", output_field=JSONField())
    profile = DeliveryProfile.objects.filter(delivery=OuterRef("pk"))
    grave, treated = profile.values(ids=listed), profile.values("treated")
    deliveries = with_counts(Delivery.objects.filter(pk=delivery_id)).select_related("feed").annotate(
        decided=count_of(Decision, "delivery", undone_at=None, kind__in=RUN_KINDS), grave=Subquery(grave, output_field=JSONField()),
        treated=Subquery(treated, output_field=JSONField()),
    ).first()  # fmt: skip
    if deliveries is None:
        raise NotFound(f"There is no delivery {delivery_id}.")
    return deliveries


def _runs(delivery: Delivery) -> dict[str, Any]:
    """The newest finished trial and run over the delivery as it is read now, by purpose, each with how many records wait."""
    done = Run.objects.filter(delivery=delivery, state="done", snapshot_key=delivery.snapshot_key)
    newest_two = done.order_by("purpose", "-id").distinct("purpose").annotate(waiting=F("cases__waiting"))
    newest_two = newest_two.select_related("revision").defer("context")
    return {run.purpose: run for run in newest_two}


def _gates_open(delivery: Delivery, run: Run, revision: Any) -> int:
    case = Proposal(delivery, run, Outcome.model_validate(run.outcome), revision, current_decisions(delivery))
    return sum(not gate.met for gate in judge(case))
