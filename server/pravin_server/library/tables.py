"""Reference tables as the core looks into them, made from what PostgreSQL keeps."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import Any

from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, load_snapshot, make_snapshot, settle
from pravin_core.rules.reshaping import Reference
from pravin_core.sql.statements import read_parquet
from pravin_core.tables.columns import Column
from pravin_server.common import cache
from pravin_server.library import ports
from pravin_server.library.models import ReferenceTable, ReferenceVersion


def state_of(table: ReferenceTable) -> dict[str, Any] | None:
    """What tells which state of a table a run looks into; None when there is nothing to look into."""
    if table.feed:
        release = ports.released_table(table.feed)
        if release is None:
            return None
        if len(release.releases) == 1:
            return {"release": release.id}
        return {"releases": release.releases, "key": release.key}
    version = table.versions.first()
    return {"version": version.pk} if version else None


def tables_of_feeds() -> dict[int, list[str]]:
    """The names of the reference tables that are the latest release of a feed, by the feed's id."""
    result: dict[int, list[str]] = {}
    for feed, name in ReferenceTable.objects.filter(feed__isnull=False).values_list("feed_id", "name"):
        result.setdefault(feed, []).append(name)
    return result


def reference_of(state: dict[str, Any]) -> Reference:
    """A table in a state, as the core looks into it."""
    if "release" in state:
        return ports.reference_of_releases([state["release"]], [])
    if "releases" in state:
        return ports.reference_of_releases(state["releases"], state["key"])
    version = ReferenceVersion.objects.get(pk=state["version"])
    snapshot = snapshot_of(version)
    return Reference(
        read_parquet(snapshot.parts), tuple(Column(name) for name in snapshot.columns), version.sha256, snapshot.folder
    )


def snapshot_of(version: ReferenceVersion) -> Snapshot:
    """The records of an uploaded table."""
    folder = cache.folder("references", version.sha256)
    if snapshot := load_snapshot(folder):
        return snapshot
    place = cache.folder("sources", version.sha256)
    if not place.exists():
        handle, name = tempfile.mkstemp(dir=place.parent)
        with os.fdopen(handle, "wb") as out, version.bytes.open("rb") as stored:
            for piece in stored.chunks(2**20):
                out.write(piece)
        os.rename(name, place)
    with cache.only_one(version.sha256):
        return read_table(place, version.file_name, folder)


def read_table(path: Path, name: str, folder: Path) -> Snapshot:
    """Read a file as a table, its settings detected."""
    detected = settle(path, name, SettingsRequest())
    return make_snapshot([SourceFile(name, path, detected.settings)], folder, cache.limits())
