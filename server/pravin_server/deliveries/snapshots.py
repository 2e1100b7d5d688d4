"""From the bytes in the database to the snapshot in the cache, whenever it is needed."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from pravin_core.intake.settings import FileSettings
from pravin_core.intake.snapshot import Snapshot, SourceFile, load_snapshot, make_snapshot, snapshot_key
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


def key_of(delivery: models.Delivery) -> str:
    """The key of the snapshot that the current import settings make."""
    files = delivery.files.all()
    return snapshot_key([(f.name, f.sha256, FileSettings(**f.settings)) for f in files])


def snapshot_of(delivery: models.Delivery) -> Snapshot:
    """The snapshot of a delivery, made again if the cache was deleted."""
    if not delivery.snapshot_key:
        raise NotFound("The delivery has not been read yet.")
    return make(list(delivery.files.all()), delivery.snapshot_key)


def make(files: list[models.SourceFile], key: str) -> Snapshot:
    """Make the snapshot of source files under a key, or load it."""
    folder = cache.folder("snapshots", key)
    if found := load_snapshot(folder):
        return found
    with cache.only_one(key):
        sources = [SourceFile(f.name, local_copy(f), FileSettings(**f.settings)) for f in files]
        return make_snapshot(sources, folder, cache.limits())
