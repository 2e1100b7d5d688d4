"""What changed between two releases of a feed, or from a release to what would be released now."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pravin_core.releases.comparing import ChangeOf, Changes, Side, changed_records, compare, of_result
from pravin_core.releases.distributions import Distributions, distributions
from pravin_core.runs.runner import result_parts
from pravin_server.common import cache
from pravin_server.common.errors import Conflict, Invalid
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.releases.files import part_of
from pravin_server.releases.models import Release
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run
from pravin_server.runs.results import result_of


@dataclass(frozen=True)
class Compared:
    """One of two tables that are compared: what it is called, its delivery, what tells its state, and where the engine reads it."""

    name: str
    delivery: int
    state: str
    side: Side


def of_release(release: Release) -> Compared:
    """A release that was published once."""
    if not release.data:
        raise Conflict(f"Release {release.number} was never published, so there is nothing to compare.")
    part = part_of(release)
    side = Side((part.file,), part.columns, part.record)
    return Compared(f"release {release.number}", release.delivery_id, f"release {release.pk}", side)


def of_delivery(delivery: Delivery) -> Compared:
    """What would be released of a delivery now."""
    run: Run | None = current_run(delivery)
    if run is None:
        raise Conflict("The delivery has not been run, so there is nothing to compare.")
    folder, outcome = result_of(run)
    side = of_result(result_parts(folder), outcome.columns)
    return Compared(f"delivery {delivery.number}, as it would be released", delivery.pk, f"run {folder.name}", side)


def changes(feed: Feed, before: Compared, after: Compared) -> Changes:
    """What changed, by the feed's key; reckoned once. Raises Invalid where the key cannot tell."""
    _need_key(feed, before, after)
    folder = _folder(feed, before, after)
    with cache.only_one(folder.name):
        return compare(before.side, after.side, feed.key, folder, cache.limits())


def changed_page(
    feed: Feed, before: Compared, after: Compared, kind: ChangeOf, name: str, offset: int, limit: int
) -> list[dict[str, Any]]:
    """Records that were added, gone or changed (in a column)."""
    changes(feed, before, after)
    folder = _folder(feed, before, after)
    with cache.scratch() as scratch:
        return changed_records(before.side, after.side, folder, kind, name, offset, limit, scratch, cache.limits())


def distributions_of(before: Compared, after: Compared) -> Distributions:
    """How the values of each column are distributed in two tables; reckoned once."""
    told = hashlib.sha256(json.dumps([before.state, after.state]).encode()).hexdigest()[:32]

    def make(target: Path) -> None:
        with cache.scratch() as scratch:
            target.write_text(distributions(before.side, after.side, scratch, cache.limits()).model_dump_json())

    place = cache.made(cache.folder("comparisons", f"distributions-{told}.json"), make)
    return Distributions.model_validate_json(place.read_text())


def _folder(feed: Feed, before: Compared, after: Compared) -> Any:
    told = json.dumps([before.state, after.state, feed.key])
    return cache.folder("comparisons", hashlib.sha256(told.encode()).hexdigest()[:32])


def _need_key(feed: Feed, before: Compared, after: Compared) -> None:
    if not feed.key:
        raise Invalid(
            "The feed has no key, so records of two tables cannot be told to be the same. Agree one in Quarantine."
        )
    for table in (before, after):
        known = {name for name, _ in table.side.columns}
        if lacking := [name for name in feed.key if name not in known]:
            raise Invalid(f"The records of {table.name} have no column {lacking[0]!r}, which is part of the key.")
