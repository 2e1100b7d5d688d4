"""What the library asks of the layers above: reference tables may be the releases of a feed."""

from dataclasses import dataclass
from datetime import datetime

from pravin_core.rules.reshaping import Reference
from pravin_server.common.ports import Port
from pravin_server.feeds.models import Feed


@dataclass(frozen=True)
class ReleasedTable:
    """The newest release of a feed, as a reference table is told of."""

    id: int
    number: int
    records: int
    columns: list[str]
    published: datetime | None


released_table: Port[[Feed], ReleasedTable | None] = Port("the newest published release of a feed")
reference_of_release: Port[[int], Reference] = Port("the records of a release, to look into")
