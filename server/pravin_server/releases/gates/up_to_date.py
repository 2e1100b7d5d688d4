"""The run used the newest rules and every decision."""

from __future__ import annotations

from pravin_server.releases.gates.base import Gate, Proposal


def finds(case: Proposal) -> tuple[bool, str]:
    """The run used the newest rules and every decision."""
    newest = case.newest
    if case.run.revision_id != newest.pk:
        sentence = f"the rulebook is at revision {newest.number}, the run used {case.run.revision.number}: run again"
        return False, sentence
    if case.run.decisions != case.decisions:
        return False, "decisions were taken since, undone or ended: apply them in Quarantine"
    decisions = len(case.run.decisions)
    return True, f"revision {newest.number}, {decisions:,} decision{'s' * (decisions != 1)}"


GATE = Gate("The run is up to date", 30, finds)
