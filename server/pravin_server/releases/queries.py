"""What is released: asked by the layers below through their ports."""

from __future__ import annotations

import hashlib
import json

from django.db.models import Q
from sqlglot import exp

from pravin_core.releases.adding_up import AddingUp, common_columns, write_whole
from pravin_core.rules.reshaping import Reference
from pravin_core.runs.runner import result_parts
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, template
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.folders import made_whole
from pravin_core.tables.types import DataType
from pravin_server.common import cache
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.library.ports import ReleasedTable
from pravin_server.releases.files import columns_of, parts_of
from pravin_server.releases.models import Release, SupersededRecord
from pravin_server.runs.models import Run
from pravin_server.runs.results import result_of

READ_ALONG = ("delivery", "run__revision", "run__delivery")


def is_released(delivery: Delivery) -> bool:
    """Whether a delivery is released or on its way to be: then nothing of it may change."""
    return delivery.releases.filter(state__in=[Release.State.PUBLISHING, Release.State.PUBLISHED]).exists()


def standing_releases(feed: Feed, without: Release | None = None) -> list[Release]:
    """The releases that add up to the table of a feed, the oldest delivery first: the newest release of each delivery, or where a
    newer delivery replaces the table that of the newest delivery alone. `without`: as if that one were withdrawn.
    """
    published = Release.objects.filter(feed=feed, state=Release.State.PUBLISHED)
    if without is None:
        published = published.filter(replaced_by=None)
    else:
        published = published.filter(Q(replaced_by=None) | Q(replaced_by=without)).exclude(pk=without.pk)
    standing = {release.delivery_id: release for release in published.select_related(*READ_ALONG).order_by("number")}
    releases = sorted(standing.values(), key=lambda release: release.delivery.number)
    return releases[-1:] if feed.adds_up == AddingUp.REPLACES else releases


def release_before(delivery: Delivery, run: Run | None) -> Release | None:
    """The release with which what would be released of a delivery's run is compared: the delivery's own of another run, else the newest
    of another delivery.
    """
    published = delivery.feed.releases.filter(state=Release.State.PUBLISHED).select_related(*READ_ALONG)
    own = published.filter(delivery=delivery).exclude(run=run).first() if run is not None else None
    return own or published.exclude(delivery=delivery).first()


def released_table(feed: Feed) -> ReleasedTable | None:
    """What is released of a feed, for the library."""
    releases = standing_releases(feed)
    if not releases:
        return None
    last = releases[-1]
    ids = [release.pk for release in releases]
    hidden = SupersededRecord.objects.filter(release__in=ids).count()
    return ReleasedTable(
        id=last.pk,
        number=max(release.number for release in releases),
        records=sum(release.records for release in releases) - hidden,
        columns=[name for name, _ in common_columns([columns_of(release) for release in releases])],
        published=max((release.published for release in releases if release.published), default=None),
        releases=ids,
        key=feed.key if feed.adds_up == AddingUp.NEWEST else [],
    )


def columns_of_releases(ids: list[int]) -> tuple[Column, ...]:
    """The columns of the table that releases add up to."""
    releases = Release.objects.filter(pk__in=ids).select_related(*READ_ALONG).order_by("delivery__number")
    return tuple(Column(name, kind) for name, kind in common_columns([columns_of(release) for release in releases]))


def reference_of_releases(ids: list[int], key: list[str]) -> Reference:
    """The table that releases add up to, to look into; made again if the cache does not hold it."""
    if len(ids) == 1:
        return _reference_of_release(ids[0])
    version = hashlib.sha256(json.dumps([ids, key]).encode()).hexdigest()[:32]
    folder = cache.folder("references", f"releases-{version}")
    releases = list(Release.objects.filter(pk__in=ids).select_related(*READ_ALONG).order_by("delivery__number"))
    columns = common_columns([columns_of(release) for release in releases])
    if not folder.exists():
        parts = parts_of(releases)
        with made_whole(folder, lambda place: (place / "whole.parquet").exists()) as work, cache.scratch() as scratch:
            write_whole(parts, key, work / "whole.parquet", scratch, cache.limits())
    source = exp.select("*").from_(read_parquet([folder / "whole.parquet"])).subquery("released")
    return Reference(source, tuple(Column(name, kind) for name, kind in columns), f"releases {version}", folder)


def _reference_of_release(release_id: int) -> Reference:
    """The records of a release, to look into; its result is made again if the cache does not hold it."""
    release = Release.objects.select_related("run__revision", "run__delivery").get(pk=release_id)
    folder, outcome = result_of(release.run)
    cells = [column(name) for name, _ in outcome.columns]
    keep = template(":s IN ('ready', 'corrected')", s=column(names.STATE))
    query = exp.select(column(RECORD), *cells).from_(read_parquet(result_parts(folder))).where(keep)
    columns = tuple(Column(name, DataType(kind)) for name, kind in outcome.columns)
    return Reference(query.subquery("released"), columns, f"release {release.pk}", folder)
