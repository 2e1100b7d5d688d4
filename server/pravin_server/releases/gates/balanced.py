"""Every delivered record is accounted for."""

from __future__ import annotations

from pravin_server.releases.gates.base import Gate, Proposal


def finds(case: Proposal) -> tuple[bool, str]:
    """Every delivered record is accounted for."""
    r = case.outcome.reconciliation
    parts = r.ready + r.corrected + r.quarantined + r.removed + r.rejected
    return r.balances, f"{r.delivered + r.added:,} delivered = {parts:,} accounted for"


GATE = Gate("The reconciliation balances", 10, finds)
