"""What runs ask of the layers above: decisions on records go in, quarantined records come out."""

from pathlib import Path
from typing import Any

from pravin_server.common.ports import Port
from pravin_server.deliveries.models import Delivery
from pravin_server.runs.models import Run

current_decisions: Port[[Delivery], list[dict[str, Any]]] = Port(
    "the decisions on a delivery's records, as the core takes them, in order of record"
)
set_apart: Port[[Run, Path], None] = Port("to keep the quarantined records of a run, whose result lies in the folder")
