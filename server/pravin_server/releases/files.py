"""The records of releases as files that the engine reads: kept in the cache, made again from what PostgreSQL keeps."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from pravin_core.engines.duckdb import connect
from pravin_core.releases import writers
from pravin_core.releases.adding_up import Part
from pravin_core.runs.runner import result_parts
from pravin_core.tables.types import DataType
from pravin_server.common import cache
from pravin_server.releases.models import Release
from pravin_server.runs.results import result_of


def columns_of(release: Release) -> list[tuple[str, DataType]]:
    """The columns of a published release, in order."""
    return [(column["name"], DataType(column["type"])) for column in release.manifest["columns"]]


def table_columns_of(release: Release) -> list[tuple[str, DataType]]:
    """The columns of a published release's table: with the types of its contract."""
    columns = release.manifest["columns"]
    return [(column["name"], DataType(column.get("table_type", column["type"]))) for column in columns]


def part_of(release: Release) -> Part:
    """A published release as a part of its feed's released table. Its `run__delivery` is read when it is an older one."""
    columns = columns_of(release)
    _, record = writers.origin_columns([name for name, _ in columns])
    return Part(release.delivery.number, release.pk, _file(release), tuple(columns), record)


def parts_of(releases: Sequence[Release]) -> list[Part]:
    """Published releases as parts of their feed's released table."""
    return [part_of(release) for release in releases]


def _file(release: Release) -> Path:
    """The Parquet file of a release with the number of each record. Those of former versions had none: they are made from the run."""
    is_numbered = "origin" in release.manifest
    if is_numbered:
        return stored_file(release)
    place = cache.folder("released", f"{release.manifest['data_sha256']}-numbered-{release.run_id}.parquet")
    return cache.made(place, lambda target: _make(release, target))


def stored_file(release: Release) -> Path:
    """The Parquet file that is kept with a published release."""
    place = cache.folder("released", f"{release.manifest['data_sha256']}.parquet")
    return cache.made(place, lambda target: _copy(release, target))


def _copy(release: Release, target: Path) -> None:
    with target.open("wb") as out, release.data.open("rb") as stored:
        for piece in stored.chunks(2**20):
            out.write(piece)


def _make(release: Release, target: Path) -> None:
    folder, outcome = result_of(release.run)
    rows = writers.ready(result_parts(folder), outcome, release.delivery.number)
    with cache.scratch() as scratch, connect([folder, target.parent], scratch, cache.limits()) as con:
        writers.write(con, rows, target, "parquet")
