"""From the bytes in the database to the snapshot in the cache, whenever it is needed."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from pravin_core.intake.encoding import EncodingGuess
from pravin_core.intake.formats.base import Place
from pravin_core.intake.repairs import Repair
from pravin_core.intake.settings import FileSettings
from pravin_core.intake.snapshot import Snapshot, SourceFile, load_snapshot, make_snapshot, snapshot_key, table_columns
from pravin_core.intake.sources import unpacked
from pravin_server.common import cache
from pravin_server.common.errors import NotFound
from pravin_server.deliveries import models


def local_copy(file: models.SourceFile) -> Path:
    """The bytes of a source file on disk, written from the database if the cache does not hold them."""
    place = cache.folder("sources", file.sha256)
    if not place.exists():
        handle, name = tempfile.mkstemp(dir=place.parent)
        with os.fdopen(handle, "wb") as out, file.bytes.open("rb") as stored:
            for piece in stored.chunks(2**20):
                out.write(piece)
        os.rename(name, place)
    return place


def unpack_folder() -> Path:
    """Where members of archives are unpacked to."""
    return cache.folder("unpacked", "x").parent


def place_of(source: models.Source) -> Place:
    """Where a source's bytes are, unpacked if they came in an archive."""
    file = source.file
    path = unpacked(local_copy(file), file.name, source.member, unpack_folder())
    guess = EncodingGuess(**{**source.guess, "rivals": tuple(source.guess["rivals"])}) if source.guess else None
    return Place(source.name, path, source.table, guess)


def sources_of(delivery: models.Delivery) -> list[models.Source]:
    """The sources of a delivery that are read, in order."""
    return list(delivery.sources.select_related("file").filter(left_out=False))


def repairs_of(sources: list[models.Source]) -> list[Repair]:
    """The repaired lines of sources, by their place among those that are read."""
    places = {source.pk: at for at, source in enumerate(sources)}
    repairs = models.Repair.objects.filter(source__in=sources).order_by("id")
    return [Repair(places[repair.source_id], repair.line, repair.text, repair.lines) for repair in repairs]


def _identity(source: models.Source) -> str:
    return "\x1f".join((source.file.sha256, source.member, source.table))


def key_of(delivery: models.Delivery) -> str:
    """The key of the snapshot that the current import settings make."""
    sources = sources_of(delivery)
    identities = [(source.name, _identity(source), FileSettings(**source.settings)) for source in sources]
    columns = table_columns([settings for _, _, settings in identities], delivery.feed.columns)
    return snapshot_key(identities, columns, repairs_of(sources))


def snapshot_of(delivery: models.Delivery) -> Snapshot:
    """The snapshot of a delivery, made again if the cache was deleted."""
    if not delivery.snapshot_key:
        raise NotFound("The delivery has not been read yet.")
    return make(delivery, delivery.snapshot_key)


def make(delivery: models.Delivery, key: str) -> Snapshot:
    """Make the snapshot of a delivery under a key, or load it."""
    folder = cache.folder("snapshots", key)
    if snapshot := load_snapshot(folder):
        return snapshot
    with cache.only_one(key):
        rows = sources_of(delivery)
        order = delivery.columns if key == delivery.snapshot_key else delivery.feed.columns
        sources = []
        for row in rows:
            place = place_of(row)
            sources.append(SourceFile(row.name, place.path, FileSettings(**row.settings), row.table))
        return make_snapshot(sources, folder, cache.limits(), order, repairs_of(rows))
