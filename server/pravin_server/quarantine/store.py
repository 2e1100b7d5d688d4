"""Keep what a counting run did to the cases of its delivery; the records themselves stay in its result."""

from __future__ import annotations

from pravin_core.cases.counting import quarantined_numbers
from pravin_core.tables.record_sets import NOTHING, is_in, packed_numbers
from pravin_server.common import cache
from pravin_server.quarantine.cases import held
from pravin_server.quarantine.matching import match_run
from pravin_server.quarantine.models import CaseStep, ReasonCount
from pravin_server.runs.models import Run
from pravin_server.runs.results import stage_of


def set_apart(run: Run) -> None:
    """Open a case for each record that a run set apart and that had none, end those of records it did not, count the reasons,
    and meet the records of other deliveries; in the caller's transaction.
    """
    ReasonCount.objects.filter(run__delivery=run.delivery).delete()
    before = held(run)[0]
    stage = stage_of(run)
    now = NOTHING
    if stage.outcome is not None and stage.outcome.reconciliation.quarantined:
        now = quarantined_numbers(stage, cache.spills(), cache.limits())
    opened, ended = now[~is_in(now, before)], before[~is_in(before, now)]
    CaseStep.objects.create(
        run=run, opened=packed_numbers(opened), ended=packed_numbers(ended), opened_count=len(opened),
        ended_count=len(ended), waiting=len(now),
    )  # fmt: skip
    match_run(run)
