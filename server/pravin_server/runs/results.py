"""Results of runs in the cache, made again when they are not there."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from pravin_core.records.pages import Stage
from pravin_core.rules.rulebook import Rulebook, opened
from pravin_core.runs.decisions import Decision
from pravin_core.runs.model import Outcome
from pravin_core.runs.runner import load_outcome, result_key, run_rulebook
from pravin_server.common import cache
from pravin_server.deliveries import snapshots
from pravin_server.rulebooks.run_context import to_core
from pravin_server.rulebooks.services import rulebook_of
from pravin_server.runs import ports
from pravin_server.runs.models import Run


def decisions_of(stored: list[Any]) -> list[Decision]:
    """The decisions that a run (or a table as rules leave it) took into account, from its `decisions`: ids, or what former
    versions kept instead, a dictionary for each record.
    """
    if all(isinstance(decision, int) for decision in stored):
        return ports.decisions_by_id(stored)
    return [
        Decision.amending([decision["record"]], decision["values"])
        if decision["values"]
        else Decision.on(decision["kind"], [decision["record"]])
        for decision in stored
    ]


def rulebook_of_run(run: Run) -> Rulebook:
    """The rules as they ran."""
    return rulebook_of(run.revision) if run.rules is None else opened(run.rules)


def result_of(run: Run, beat: Callable[[float], bool] | None = None) -> tuple[Path, Outcome]:
    """The folder and outcome of a run; computed if the cache does not hold it."""
    rulebook, decisions, context = rulebook_of_run(run), decisions_of(run.decisions), to_core(run.context)
    key = result_key(run.snapshot_key, rulebook, decisions, context)
    folder = cache.folder("results", key)
    if outcome := load_outcome(folder):
        return folder, outcome
    with cache.only_one(key):
        snapshot = snapshots.make(run.delivery, run.snapshot_key)
        return folder, run_rulebook(snapshot, rulebook, folder, decisions, cache.limits(), beat, context)


def stage_of(run: Run) -> Stage:
    """The records as a run left them."""
    folder, outcome = result_of(run)
    snapshot = snapshots.make(run.delivery, run.snapshot_key)
    return Stage(snapshot, folder, outcome, rulebook_of_run(run))
