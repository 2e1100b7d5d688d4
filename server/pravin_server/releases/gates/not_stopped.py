"""No check that stops the release is broken."""

from __future__ import annotations

from pravin_server.releases.gates.base import Gate, Proposal


def finds(case: Proposal) -> tuple[bool, str]:
    """No check that stops the release is broken."""
    broken = [effect for effect in case.outcome.effects if effect.rule in case.outcome.stopped_by]
    text = "; ".join(f"rule {effect.number}: {effect.broken:,} records" for effect in broken)
    return not broken, text or "none is"


GATE = Gate("No stopping check is broken", 40, finds)
