"""What rulebooks ask of the layers above: what their rules did when they ran."""

from dataclasses import dataclass
from typing import Any

from pravin_server.common.ports import Port
from pravin_server.deliveries.models import Delivery
from pravin_server.rulebooks.models import Revision


@dataclass(frozen=True)
class Told:
    """What a trial or run tells: over which delivery, and the effects of its rules (as stored)."""

    purpose: str
    delivery: int
    effects: list[dict[str, Any]]


newest_run_of: Port[[Revision, int], Told | None] = Port("the newest trial or run of a revision over a delivery")
newest_run_of_rules: Port[[Delivery, list[dict[str, Any]]], Told | None] = Port(
    "one of the last runs of just these rules"
)
