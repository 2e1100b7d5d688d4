"""The disposable cache in var/cache. Everything in it can be made again from what PostgreSQL keeps."""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TypeVar

from django.conf import settings

from pravin_core.engines.base import Limits
from pravin_core.errors import FilesGone
from pravin_server.common.engines import is_worker
from pravin_server.common.errors import ServerError

T = TypeVar("T")
KINDS = (
    "sources",
    "unpacked",
    "snapshots",
    "results",
    "references",
    "orders",
    "after",
    "released",
)  # what can be made again
IN_USE = 600.0  # seconds
LEFT_OVER = 86_400.0


def folder(kind: str, key: str) -> Path:
    """Where the thing of a kind with a key lies (it may not exist)."""
    place: Path = settings.CACHE_DIR / kind / key
    place.parent.mkdir(parents=True, exist_ok=True)
    with suppress(OSError):
        os.utime(place)  # it is used: what was not used for longest gives way first
    return place


def spills() -> Path:
    """Where engines and work put aside what memory does not hold, each in a folder of its own."""
    return folder("scratch", "x").parent


@contextmanager
def scratch() -> Iterator[Path]:
    """A folder for spilling that is gone afterwards."""
    work = Path(tempfile.mkdtemp(dir=spills()))
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


def made(place: Path, make: Callable[[Path], None]) -> Path:
    """A file of the cache, made beside its place and put there whole. Two that make it at once do no harm: no lock is held, so it
    may use what is made under one.
    """
    if not place.exists():
        handle, name = tempfile.mkstemp(dir=place.parent, prefix=".")
        os.close(handle)
        try:
            make(Path(name))
            os.rename(name, place)
        finally:
            Path(name).unlink(missing_ok=True)
    return place


@contextmanager
def only_one(key: str) -> Iterator[None]:
    """One process at a time makes the thing of a key; the others wait for it. The kernel frees it after a crash."""
    settings.VAR.mkdir(parents=True, exist_ok=True)
    locks = settings.VAR / "locks"
    locks.mkdir(exist_ok=True)
    with (locks / hashlib.sha256(key.encode()).hexdigest()[:2]).open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def need_space() -> None:
    """Raises NoSpace before long work when the disk is nearly full; nothing is begun then, and nothing is lost."""
    settings.CACHE_DIR.mkdir(parents=True, exist_ok=True)
    free = shutil.disk_usage(settings.CACHE_DIR).free
    if free < settings.CACHE_FREE:
        shrink()
        free = shutil.disk_usage(settings.CACHE_DIR).free
    if free < settings.CACHE_FREE:
        raise NoSpace(
            f"The disk is nearly full: {free:,} bytes are free, {settings.CACHE_FREE:,} are needed to work. Nothing was "
            "changed. Make room on the disk of the server; the work can be asked for again then."
        )


class NoSpace(ServerError):
    """There is no room on the disk."""

    status, title = 503, "The disk is nearly full"


def shrink(now: float | None = None) -> int:
    """Let the cache give way to its limit, what was not used for longest first; returns the bytes that went.

    What was used a short while ago stays, whatever the limit: somebody may be reading it.
    """
    now = time.time() if now is None else now
    places = [
        (last_used(place), place)
        for kind in KINDS
        for place in (settings.CACHE_DIR / kind).glob("*")
        if place.name[:1] != "."
    ]
    sizes = {place: _size(place) for _, place in places}
    total, gone = sum(sizes.values()), 0
    low = shutil.disk_usage(settings.CACHE_DIR).free < settings.CACHE_FREE if settings.CACHE_DIR.exists() else False
    for used, place in sorted(places):
        if total - gone <= settings.CACHE_LIMIT and not low:
            break
        if now - used < IN_USE:
            continue
        shutil.rmtree(place, ignore_errors=True) if place.is_dir() else place.unlink(missing_ok=True)
        gone += sizes[place]
    for left in (settings.CACHE_DIR / "scratch").glob("*"):  # of processes that were killed
        if now - last_used(left) > LEFT_OVER:
            shutil.rmtree(left, ignore_errors=True)
    return gone


def last_used(place: Path) -> float:
    """When something of the cache was used last (seconds); 0 when it is not there."""
    try:
        return place.stat().st_mtime
    except FileNotFoundError:  # another process has just taken it away
        return 0.0


def _size(place: Path) -> int:
    files = place.rglob("*") if place.is_dir() else [place]
    total = 0
    for file in files:
        with suppress(OSError):
            total += file.stat().st_size
    return total


def limits() -> Limits:
    """The engine's limits from the settings; what a person waits for ends after some time."""
    return Limits(settings.ENGINE_MEMORY, settings.ENGINE_THREADS, 0 if is_worker() else settings.PREVIEW_SECONDS)
