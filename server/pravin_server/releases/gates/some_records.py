"""There is at least one ready record."""

from __future__ import annotations

from pravin_server.releases.gates.base import Gate, Proposal


def finds(case: Proposal) -> tuple[bool, str]:
    """There is at least one ready record."""
    ready = case.outcome.reconciliation.ready + case.outcome.reconciliation.corrected
    return ready > 0, f"{ready:,} records are ready"


GATE = Gate("There are ready records", 60, finds)
