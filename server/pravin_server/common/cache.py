"""The disposable cache in var/cache. Everything in it can be made again from what PostgreSQL keeps."""

from __future__ import annotations

import fcntl
import hashlib
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TypeVar

from django.conf import settings

from pravin_core.engines.duckdb import Limits
from pravin_core.errors import FilesGone

T = TypeVar("T")


def folder(kind: str, key: str) -> Path:
    """Where the thing of a kind with a key lies (it may not exist)."""
    place: Path = settings.CACHE_DIR / kind / key
    place.parent.mkdir(parents=True, exist_ok=True)
    return place


@contextmanager
def scratch() -> Iterator[Path]:
    """A folder for spilling that is gone afterwards."""
    place = folder("scratch", "x").parent
    work = Path(tempfile.mkdtemp(dir=place))
    try:
        yield work
    finally:
        shutil.rmtree(work, ignore_errors=True)


def even_if_deleted(make: Callable[[], T]) -> T:
    """Do something that uses the cache; once more when the cache was deleted in the middle of it."""
    try:
        return make()
    except (FilesGone, FileNotFoundError):
        return make()


@contextmanager
def only_one(key: str) -> Iterator[None]:
    """One process at a time makes the thing of a key; the others wait for it. The kernel frees it after a crash."""
    settings.VAR.mkdir(parents=True, exist_ok=True)
    locks = settings.VAR / "locks"
    locks.mkdir(exist_ok=True)
    with (locks / hashlib.sha256(key.encode()).hexdigest()[:2]).open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def limits() -> Limits:
    """The engine's limits from the settings."""
    return Limits(settings.ENGINE_MEMORY, settings.ENGINE_THREADS)
