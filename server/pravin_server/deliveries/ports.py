"""What deliveries ask of the layers above."""

from pravin_server.common.ports import Port
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed

columns_of_interest: Port[[Feed], list[str]] = Port("the columns that the feed's rules name")
read_anew: Port[[Delivery, str], None] = Port(
    "to let decisions go with their records, and forget what the delivery settled while it was read under another key"
)
was_read: Port[[Delivery], None] = Port("to compare a delivery with those before, once it is read and profiled")
is_released: Port[[Delivery], bool] = Port("whether a delivery is released or on its way to be")
