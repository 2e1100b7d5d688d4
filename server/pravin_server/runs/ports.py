"""What runs ask of the layers above: decisions on records go in, quarantined records come out."""

from collections.abc import Sequence

from pravin_core.runs.decisions import Decision
from pravin_server.common.ports import Port
from pravin_server.deliveries.models import Delivery
from pravin_server.runs.models import Run

current_decisions: Port[[Delivery], list[int]] = Port(
    "the ids of the decisions that a run of the delivery takes into account, in order"
)
decisions_by_id: Port[[Sequence[int]], list[Decision]] = Port(
    "decisions as the core takes them, in the order of the ids"
)
standing_exceptions: Port[[Run], list[int]] = Port(
    "to take over, as decisions on the delivery, what was accepted before for the keys of its records; their ids, none where there is"
    " nothing new"
)
run_done: Port[[Run], None] = Port("to compare a delivery with those before, once a run over it is done")
set_apart: Port[[Run], None] = Port(
    "to keep the cases of the records that a run set apart, whose result is in the cache"
)
