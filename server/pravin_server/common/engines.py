"""So many engines at the same time, over all processes and threads, and no more: their memory together is bounded.

A place is a lock on a file, which the kernel frees however a process ends.
"""

from __future__ import annotations

import fcntl
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import IO

from django.conf import settings

from pravin_server.common.errors import ServerError

_of_thread = threading.local()
_queue = threading.Lock()  # one thread of a process looks for a place, the others stand behind it
LOOKS = 0.005  # seconds between two looks


class Busy(ServerError):
    """All engines are computing."""

    status, title = 503, "Busy"


def as_worker() -> None:
    """In this thread work is done that may wait as long as it takes."""
    _of_thread.patient = True


def is_worker() -> bool:
    """Whether this thread does work in the background."""
    return getattr(_of_thread, "patient", False)


@contextmanager
def turn() -> Iterator[None]:
    """Wait for a place among the engines; one place serves all that a thread opens within. Raises Busy."""
    depth = getattr(_of_thread, "depth", 0)
    place = None if depth else _wait()
    _of_thread.depth = depth + 1
    try:
        yield
    finally:
        _of_thread.depth = depth
        if place is not None:
            place.close()


def _wait() -> IO[str]:
    """A place, in the order of asking within the process. Raises Busy."""
    until = None if is_worker() else time.monotonic() + settings.ENGINE_WAIT
    if not _queue.acquire(timeout=-1 if until is None else settings.ENGINE_WAIT):
        raise _busy()
    try:
        while True:
            for number in range(settings.ENGINES):
                if place := _taken(number):
                    return place
            if until is not None and time.monotonic() > until:
                raise _busy()
            time.sleep(LOOKS)
    finally:
        _queue.release()


def _busy() -> Busy:
    return Busy(
        f"{settings.ENGINES} other computations are going on, and none ended within {settings.ENGINE_WAIT:.0f} seconds. "
        "Try again in a moment."
    )


def _taken(number: int) -> IO[str] | None:
    folder = settings.VAR / "locks"
    folder.mkdir(parents=True, exist_ok=True)
    file = (folder / f"engine-{number}").open("w")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        file.close()
        return None
    return file
