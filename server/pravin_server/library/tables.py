"""Reference tables as the core looks into them, made from what PostgreSQL keeps."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import Any

from sqlglot import exp

from pravin_core.engines.duckdb import column, read_parquet, template
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, load_snapshot, make_snapshot, settle
from pravin_core.rules.reshaping import Reference
from pravin_core.runs.runner import result_parts
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.types import DataType
from pravin_server.common import cache
from pravin_server.library.models import ReferenceTable, ReferenceVersion
from pravin_server.releases.models import Release


def state_of(table: ReferenceTable) -> dict[str, Any] | None:
    """What tells which state of a table a run looks into; None when there is nothing to look into."""
    if table.feed_id:
        release = Release.objects.filter(feed=table.feed_id, state=Release.State.PUBLISHED).first()
        return {"release": release.pk} if release else None
    version = table.versions.first()
    return {"version": version.pk} if version else None


def reference_of(state: dict[str, Any]) -> Reference:
    """A table in a state, as the core looks into it."""
    if "release" in state:
        return _of_release(Release.objects.select_related("run__revision", "run__delivery").get(pk=state["release"]))
    version = ReferenceVersion.objects.get(pk=state["version"])
    snapshot = snapshot_of(version)
    return Reference(
        read_parquet(snapshot.parts), tuple(Column(name) for name in snapshot.columns), version.sha256, snapshot.folder
    )


def snapshot_of(version: ReferenceVersion) -> Snapshot:
    """The records of an uploaded table."""
    folder = cache.folder("references", version.sha256)
    if found := load_snapshot(folder):
        return found
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
    found = settle(path, name, SettingsRequest())
    return make_snapshot([SourceFile(name, path, found.settings)], folder, cache.limits())


def _of_release(release: Release) -> Reference:
    from pravin_server.runs.results import result_of  # runs look into tables, which may be made by runs

    folder, outcome = result_of(release.run)
    cells = [column(name) for name, _ in outcome.columns]
    keep = template(":s IN ('ready', 'corrected')", s=column(names.STATE))
    query = exp.select(column(RECORD), *cells).from_(read_parquet(result_parts(folder))).where(keep)
    columns = tuple(Column(name, DataType(kind)) for name, kind in outcome.columns)
    return Reference(query.subquery("released"), columns, f"release {release.pk}", folder)
