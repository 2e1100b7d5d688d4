"""What releases ask of the layers above."""

from pravin_server.common.ports import Port
from pravin_server.feeds.models import Feed

readers_of: Port[[Feed], list[str]] = Port("the roles of the database that may read the released table of a feed")
table_changed: Port[[Feed], None] = Port("to make anew what is made from the released table of a feed")
