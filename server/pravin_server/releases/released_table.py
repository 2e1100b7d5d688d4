"""The released table of a feed: what its deliveries' releases add up to, seen through one view."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import pyarrow as pa
import pyarrow.compute
from django.db import transaction
from django.db.models import Count

from pravin_core.releases.adding_up import AddingUp, common_columns, superseding
from pravin_core.tables.types import DataType
from pravin_server.accounts.services import may_release
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Invalid
from pravin_server.common.locks import lock_rows
from pravin_server.feeds.models import Feed
from pravin_server.releases import ports, tables
from pravin_server.releases.files import parts_of, table_columns_of
from pravin_server.releases.key_faults import key_fault
from pravin_server.releases.models import Release, SupersededRecord
from pravin_server.releases.queries import standing_releases
from pravin_server.runs.results import result_of

pc: Any = pyarrow.compute

SENTENCES = {
    AddingUp.REPLACES: "each delivery replaces the table",
    AddingUp.ADDS: "each delivery adds its records",
    AddingUp.NEWEST: "each delivery adds its records, and the newest record of a key stands",
}


def columns_shown(releases: Sequence[Release]) -> list[tables.ShownColumn]:
    """The columns of the table that releases add up to, those of the newest first."""
    common = common_columns([table_columns_of(release) for release in releases])
    named = tables.database_names([name for name, _ in common])
    comments = {c["name"]: c.get("comment", "") for release in releases for c in release.manifest["columns"]}
    return [
        tables.ShownColumn(name, database, kind, comments[name])
        for (name, kind), database in zip(common, named, strict=True)
    ]


def tell(feed: Feed) -> dict[str, Any]:
    """The released table of a feed: how deliveries add up, its columns, and what each release contributes, newest first."""
    releases = standing_releases(feed)
    hidden = dict(
        SupersededRecord.objects.filter(release__in=releases).values_list("release").annotate(Count("record")).order_by()
    )  # fmt: skip
    parts = [
        {
            "release": release,
            "superseded": hidden.get(release.pk, 0),
            "records": release.records - hidden.get(release.pk, 0),
        }
        for release in reversed(releases)
    ]
    return {
        "view": f"{tables.SCHEMA}.{feed.view}",
        "adds_up": feed.adds_up,
        "shows_origin": feed.shows_origin,
        "second_person": feed.second_person,
        "key": feed.key,
        "records": sum(part["records"] for part in parts),
        "columns": columns_shown(releases),
        "parts": parts,
    }


@transaction.atomic
def set_adding_up(
    user: Any, feed: Feed, adds_up: AddingUp, shows_origin: bool, second_person: bool | None = None
) -> Feed:
    """Say how the deliveries of a feed add up, what its view shows, at once, and whether a second person approves (None: as it is).

    Raises Invalid when the newest record of a key is to stand and the released records have no key.
    """
    person = may_release(user, "say how deliveries add up")
    feed = lock_rows(Feed).get(pk=feed.pk)
    if adds_up is AddingUp.NEWEST:
        _need_keys(feed)
    changed, showed_origin = adds_up != feed.adds_up, feed.shows_origin
    feed.adds_up, feed.shows_origin = adds_up, shows_origin
    asked_second = feed.second_person
    feed.second_person = asked_second if second_person is None else second_person
    feed.save(update_fields=["adds_up", "shows_origin", "second_person"])
    if changed:
        SupersededRecord.objects.filter(release__feed=feed).delete()
        supersede(feed, [], standing_releases(feed))
        note(person, f"{feed.name}: {SENTENCES[adds_up]}", feed.slug)
    if shows_origin != showed_origin:
        said = "see" if shows_origin else "no longer see"
        note(person, f"{feed.name}: readers {said} which delivery a record is from", feed.slug)
    if feed.second_person != asked_second:
        who = "only a second person" if feed.second_person else "any approver"
        note(person, f"{feed.name}: {who} may approve a release", feed.slug)
    show(feed)
    return feed


def _need_keys(feed: Feed) -> None:
    if not feed.key:
        raise Invalid(
            "The feed has no key yet. Agree one in Quarantine first, then the newest record of each can stand."
        )
    here = [Release.State.PUBLISHED, Release.State.PUBLISHING]  # one on its way passed its gates before this was asked
    for release in Release.objects.filter(feed=feed, state__in=here).select_related("delivery", "run__revision"):
        folder, outcome = result_of(release.run)
        if sentence := key_fault(folder, outcome.columns, feed.key):
            raise Invalid(
                f"Release {release.number}: {sentence}. Until it is withdrawn or followed up, no key can decide."
            )


@dataclass(frozen=True)
class Withdrawal:
    """What readers would see if a release were withdrawn: records now and afterwards, and the releases that come up in its place."""

    records: int
    records_after: int
    returning: tuple[int, ...]
    ends_view: bool


def would_withdraw(release: Release) -> Withdrawal:
    """What withdrawing a published release would do to the released table of its feed."""
    feed = release.feed
    before, after = standing_releases(feed), standing_releases(feed, without=release)
    hidden = SupersededRecord.objects.filter(release__in=before).count()
    shown = sum(each.records for each in before) - hidden
    hidden_after = hidden + _more_superseded(feed, before, after)
    return Withdrawal(
        records=shown,
        records_after=sum(each.records for each in after) - hidden_after,
        returning=tuple(each.number for each in after if each not in before),
        ends_view=bool(before) and not after,
    )


def _more_superseded(feed: Feed, before: Sequence[Release], after: Sequence[Release]) -> int:
    """By how many records more (or fewer, below 0) would be superseded."""
    if feed.adds_up != AddingUp.NEWEST:
        return 0
    with cache.scratch() as scratch:
        changes = superseding(parts_of(before), parts_of(after), feed.key, scratch, cache.limits())
    became = int(pc.sum(changes.column("superseded").cast(pa.int64())).as_py() or 0)
    return 2 * became - changes.num_rows


def supersede(feed: Feed, before: Sequence[Release], after: Sequence[Release]) -> None:
    """Keep what is superseded when the releases that add up to a feed's table change; only in feeds where a key decides."""
    if feed.adds_up != AddingUp.NEWEST:
        return
    with cache.scratch() as scratch:
        changes = superseding(parts_of(before), parts_of(after), feed.key, scratch, cache.limits())
    tables.keep_superseded(changes)


def show(feed: Feed) -> None:
    """Let the view of a feed show what its releases add up to now."""
    releases = standing_releases(feed)
    shown = [
        tables.ShownPart(release.table, release.pk, release.delivery.number, _types_in_table(release))
        for release in releases
    ]
    by_key = feed.adds_up == AddingUp.NEWEST
    tables.show_view(feed.view, shown, columns_shown(releases), feed.shows_origin, by_key, ports.readers_of(feed))
    ports.table_changed(feed)


def _types_in_table(release: Release) -> dict[str, tuple[str, str]]:
    """What each column of a release's table is called, and its type in the database; by the column's name."""
    return {
        column["name"]: (
            column["database_name"],
            column.get("database_type") or tables.database_type(DataType(column["type"])),
        )
        for column in release.manifest["columns"]
    }
