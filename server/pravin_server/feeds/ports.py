"""What feeds ask of the layers above."""

from pravin_server.common.ports import Port
from pravin_server.feeds.models import Feed

masked_columns: Port[[Feed], frozenset[str]] = Port(
    "the columns that may only go out masked, and those they are made of, by the names they have anywhere on their way"
)
