"""What the library asks of the layers above: reference tables may be the releases of a feed."""

from dataclasses import dataclass
from datetime import datetime

from pravin_core.rules.reshaping import Reference
from pravin_server.common.ports import Port
from pravin_server.feeds.models import Feed


@dataclass(frozen=True)
class ReleasedTable:
    """The released table of a feed, as a reference table is told of: its newest release, the records and columns of the whole table.

    `releases`: those that it adds up from, oldest first; with a `key` the newest record of each stands.
    """

    id: int
    number: int
    records: int
    columns: list[str]
    published: datetime | None
    releases: list[int]
    key: list[str]


released_table: Port[[Feed], ReleasedTable | None] = Port("what is released of a feed")
reference_of_releases: Port[[list[int], list[str]], Reference] = Port("the table that releases add up to, to look into")
