"""Deliveries as addresses name them."""

from __future__ import annotations

from pravin_server.common.errors import NotFound
from pravin_server.deliveries.models import Delivery


def delivery_or_404(delivery_id: int) -> Delivery:
    """The delivery of an address, with its feed. Raises NotFound."""
    delivery = Delivery.objects.select_related("feed").filter(pk=delivery_id).first()
    if delivery is None:
        raise NotFound(f"There is no delivery {delivery_id}.")
    return delivery
