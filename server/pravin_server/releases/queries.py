"""What is released: asked by the layers below through their ports."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.rules.reshaping import Reference
from pravin_core.runs.runner import result_parts
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, template
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.types import DataType
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.library.ports import ReleasedTable
from pravin_server.releases.models import Release
from pravin_server.runs.results import result_of


def is_released(delivery: Delivery) -> bool:
    """Whether a delivery is released or on its way to be: then nothing of it may change."""
    return delivery.releases.filter(state__in=[Release.State.PUBLISHING, Release.State.PUBLISHED]).exists()


def current_release(feed: Feed) -> Release | None:
    """The release that the feed's view shows: of the newest delivery that has one, the newest."""
    published = Release.objects.filter(feed=feed, state=Release.State.PUBLISHED)
    return published.select_related("delivery").order_by("-delivery__number", "-number").first()


def released_table(feed: Feed) -> ReleasedTable | None:
    """What is released of a feed, for the library."""
    release = current_release(feed)
    if release is None:
        return None
    columns = [column["name"] for column in release.manifest["columns"]]
    return ReleasedTable(release.pk, release.number, release.records, columns, release.published)


def reference_of_release(release_id: int) -> Reference:
    """The records of a release, to look into; its result is made again if the cache does not hold it."""
    release = Release.objects.select_related("run__revision", "run__delivery").get(pk=release_id)
    folder, outcome = result_of(release.run)
    cells = [column(name) for name, _ in outcome.columns]
    keep = template(":s IN ('ready', 'corrected')", s=column(names.STATE))
    query = exp.select(column(RECORD), *cells).from_(read_parquet(result_parts(folder))).where(keep)
    columns = tuple(Column(name, DataType(kind)) for name, kind in outcome.columns)
    return Reference(query.subquery("released"), columns, f"release {release.pk}", folder)
