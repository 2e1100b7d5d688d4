"""What releases ask of the layers above."""

from pravin_server.common.ports import Port
from pravin_server.feeds.models import Feed

table_changed: Port[[Feed], None] = Port("to make anew what is made from the released table of a feed")
