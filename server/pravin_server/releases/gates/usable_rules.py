"""No rule of the run was off because it cannot be read."""

from __future__ import annotations

from pravin_core.rules.unusable import UnusableRule
from pravin_server.releases.gates.base import Gate, Proposal
from pravin_server.runs.results import rulebook_of_run


def finds(case: Proposal) -> tuple[bool, str]:
    """No rule of the run was off because it cannot be read."""
    off = [at for at, rule in enumerate(rulebook_of_run(case.run).rules, start=1) if isinstance(rule, UnusableRule)]
    sentence = f"rule {', '.join(map(str, off))} cannot be used and was off: repair or remove it, and run again"
    return not off, sentence if off else "all can"


GATE = Gate("Every rule can be used", 50, finds)
