"""What a gate is, and what it judges."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from pravin_core.runs.model import Outcome
from pravin_server.deliveries.models import Delivery
from pravin_server.rulebooks.models import Revision
from pravin_server.runs.models import Run


@dataclass(frozen=True)
class Proposal:
    """What would be released: the delivery, its counting run with its outcome, the newest revision of the rulebook, and the
    decisions of now, as the core takes them.
    """

    delivery: Delivery
    run: Run
    outcome: Outcome
    newest: Revision
    decisions: list[int]


@dataclass(frozen=True)
class Gate:
    """A condition: its name, its place in the list (small ones first), and what it finds: whether it is met, and why."""

    name: str
    place: int
    finds: Callable[[Proposal], tuple[bool, str]]


@dataclass(frozen=True)
class Judged:
    """A gate for a case: whether it is met, and the sentence that says why."""

    name: str
    met: bool
    evidence: str
