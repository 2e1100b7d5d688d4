"""What screens show of deliveries."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from pravin_core.errors import PravinError
from pravin_core.intake.preview import preview
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import settle
from pravin_core.profiling.model import Profile
from pravin_server.common.errors import NotFound
from pravin_server.common.models import Job
from pravin_server.deliveries import snapshots
from pravin_server.deliveries.models import Delivery, Source
from pravin_server.findings.queries import open_findings
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


def profile(delivery: Delivery) -> dict[str, Any]:
    """The profile without findings; while the delivery is read it may have no columns yet. Raises NotFound when there
    will be none."""
    found = getattr(delivery, "profile", None)
    if found is not None:
        return {**found.content, "findings": []}
    if delivery.state != Delivery.State.READING:
        raise NotFound("The delivery is not profiled.")
    awaited = max(1, len(delivery.columns))
    nothing = Profile(
        records=delivery.records, rejected=delivery.rejected, missing_cells=0, records_with_missing=0, empty_records=0,
        duplicate_records=0, columns=(), awaited=awaited,
    )  # fmt: skip
    return nothing.model_dump(mode="json")


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


def preview_of(source: Source, request: SettingsRequest) -> dict[str, Any]:
    """The beginning of a source under some settings; what stands in the way as `error`."""
    empty: dict[str, Any] = {
        "settings": None, "evidence": {}, "notes": [], "rivals": {}, "doubts": [], "view": "text", "unit": "line",
        "lines": [], "records": [], "whole": True, "error": "",
    }  # fmt: skip
    try:
        place = snapshots.place_of(source)
        found = settle(place.path, source.name, request, _known(source), place)
        shown = preview(place, found.settings)
    except PravinError as error:
        return {**empty, "error": str(error)}
    return {
        **empty, "settings": found.settings, "evidence": found.evidence, "notes": list(found.notes),
        "rivals": found.rivals, "view": shown.view, "unit": shown.unit, "whole": shown.whole,
        "doubts": [{"line": doubt.line, "about": doubt.about, "readings": dict(doubt.readings)} for doubt in found.doubts],
        "lines": [asdict(line) for line in shown.lines],
        "records": [{"line": line, "cells": cells} for line, cells in shown.records],
    }  # fmt: skip


def _known(source: Source) -> list[str]:
    """The names that a source without header takes, and by which a header is recognised."""
    feed = source.delivery.feed
    if feed.layouts:
        return list(feed.layouts[0]["names"])
    if feed.columns:
        return feed.columns
    for other in source.delivery.sources.exclude(pk=source.pk):
        if other.settings and other.settings["header_rows"]:
            return list(other.settings["names"])
    return []


def design(delivery: Delivery) -> dict[str, Any]:
    """How the sources become one table: which delivered column fills which, and what is to be settled."""
    changes = [
        {
            "id": one.pk, "source": one.source_id, "source_name": one.source.name if one.source else "",
            "kind": one.kind, "name": one.name, "column": one.column, "evidence": one.evidence,
            "choices": one.choices, "choice": one.choice, "target": one.target,
        }
        for one in delivery.changes.select_related("source")
    ]  # fmt: skip
    return {
        "agreed": delivery.feed.columns,
        "columns": delivery.columns,
        "sources": [_source_columns(source) for source in delivery.sources.all() if source.settings],
        "changes": changes,
        "open": sum(not change["choice"] for change in changes),
    }


def _source_columns(source: Source) -> dict[str, Any]:
    settings = source.settings
    examples = [", ".join(one["examples"]) for one in source.sketch]
    return {
        "id": source.pk, "name": source.name, "records": (source.counts or {}).get("records", 0),
        "left_out": source.left_out, "names": settings["names"], "columns": settings["columns"],
        "facts": settings.get("facts", {}), "source_column": settings.get("source_column", ""),
        "examples": [examples[at] if at < len(examples) else "" for at in range(len(settings["names"]))],
    }  # fmt: skip


def workspace(delivery: Delivery) -> dict[str, Any]:
    """All that the frame of a delivery shows: names, balance, the counts of the five places, running work."""
    # The work is looked at first: when it has ended, all it wrote is seen below, and nobody need ask again.
    working = job_summary(delivery.jobs.filter(state__in=["waiting", "working"]).order_by("id").first())
    last = job_summary(delivery.jobs.first())
    delivery.refresh_from_db()
    run, trial, speaking = counting_run(delivery), newest_trial(delivery), speaking_run(delivery)
    case = case_of(delivery)
    revision = newest(delivery.feed)
    return {
        **summary(delivery, speaking),
        "error": delivery.error,
        "arrived": delivery.arrived,
        "changes_open": delivery.changes.filter(choice="").count(),
        "totals_wrong": sum(not one["agrees"] for one in delivery.compared),
        "columns": delivery.columns,
        "records": delivery.records,
        "balance_of": "run" if speaking and speaking.purpose == "run" else "trial" if speaking else "delivery",
        "run": run_summary(run),
        "trial": run_summary(trial),
        "speaking": speaking.pk if speaking else None,
        "revision": revision.number,
        "rules": len(revision.rules),
        "findings": open_findings(delivery),
        "quarantined": run.quarantined.count() if run else 0,
        "decided": Decision.objects.filter(delivery=delivery).count(),
        "gates_open": sum(not gate.met for gate in judge(case)) if case else None,
        "job": working,
        "last_job": last,
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
