"""Gates: the conditions a release must meet, each with its evidence. One function each, tried in order."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pravin_core.rules.unusable import UnusableRule
from pravin_core.runs.model import Outcome
from pravin_server.deliveries.models import Delivery
from pravin_server.rulebooks.models import Revision
from pravin_server.runs.models import Run
from pravin_server.runs.results import rulebook_of_run

MOST_COLUMNS = 1500  # PostgreSQL takes 1,600, less what its row header and ours need


@dataclass(frozen=True)
class Gate:
    """One condition: whether it is met, and the sentence that says why."""

    name: str
    met: bool
    evidence: str


@dataclass(frozen=True)
class Case:
    """What gates judge."""

    delivery: Delivery
    run: Run
    outcome: Outcome
    newest: Revision
    decisions: list[dict[str, Any]]  # those of now, as the core takes them


def balanced(case: Case) -> Gate:
    """Every delivered record is accounted for."""
    r = case.outcome.reconciliation
    parts = r.ready + r.corrected + r.quarantined + r.removed + r.rejected
    return Gate(
        "The reconciliation balances", r.balances, f"{r.delivered + r.added:,} delivered = {parts:,} accounted for"
    )


def current(case: Case) -> Gate:
    """The run used the newest rules and every decision."""
    revision = case.newest
    if case.run.revision_id != revision.pk:
        said = f"the rulebook is at revision {revision.number}, the run used {case.run.revision.number}: run again"
        return Gate("The run is up to date", False, said)
    if case.run.decisions != case.decisions:
        return Gate("The run is up to date", False, "decisions were taken since: the run is being repeated")
    return Gate("The run is up to date", True, f"revision {revision.number}, {len(case.run.decisions):,} decisions")


def not_stopped(case: Case) -> Gate:
    """No check that stops the release is broken."""
    broken = [effect for effect in case.outcome.effects if effect.rule in case.outcome.stopped_by]
    said = "; ".join(f"rule {effect.number}: {effect.broken:,} records" for effect in broken)
    return Gate("No stopping check is broken", not broken, said or "none is")


def usable(case: Case) -> Gate:
    """No rule of the run was off because it cannot be read."""
    off = [at for at, rule in enumerate(rulebook_of_run(case.run).rules, start=1) if isinstance(rule, UnusableRule)]
    said = f"rule {', '.join(map(str, off))} cannot be used and was off: repair or remove it, and run again"
    return Gate("Every rule can be used", not off, said if off else "all can")


def something(case: Case) -> Gate:
    """There is at least one ready record."""
    ready = case.outcome.reconciliation.ready + case.outcome.reconciliation.corrected
    return Gate("There are ready records", ready > 0, f"{ready:,} records are ready")


def fits_database(case: Case) -> Gate:
    """A table of the database can hold the columns."""
    columns = len(case.outcome.columns)
    return Gate(
        "The table fits the database", columns <= MOST_COLUMNS, f"{columns:,} of at most {MOST_COLUMNS:,} columns"
    )


def totals_agree(case: Case) -> Gate:
    """The control totals that came with the delivery agree with what was loaded."""
    name, found = "Control totals agree", case.delivery.compared
    if not found:
        return Gate(name, True, "none came with the delivery")
    wrong = [one for one in found if not one["agrees"]]
    said = "; ".join(f"{one['what']}: {one['stated']} stated, {one['loaded'] or 'nothing'} loaded" for one in wrong)
    return Gate(name, not wrong, said or f"{len(found)} of {len(found)} agree")


GATES: tuple[Callable[[Case], Gate], ...] = (
    balanced,
    totals_agree,
    current,
    not_stopped,
    usable,
    something,
    fits_database,
)


def judge(case: Case) -> list[Gate]:
    """All gates for a case."""
    return [gate(case) for gate in GATES]
