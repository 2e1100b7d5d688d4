"""Stopping work from outside, at any step: engines are interrupted, loops look, readers of their own are ended."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from threading import Event
from typing import Protocol
from weakref import WeakSet

from pravin_core.errors import Cancelled

SAYS = "The work was cancelled. Nothing was changed."


class _Engine(Protocol):
    def interrupt(self) -> None:
        """End what is being computed."""


class Stop:
    """A wish that a piece of work ends. `now` may be called from any thread, and again: an engine may have been idle."""

    def __init__(self) -> None:
        self._wanted = Event()
        self._engines: WeakSet[_Engine] = WeakSet()

    @property
    def wanted(self) -> bool:
        return self._wanted.is_set()

    def now(self) -> None:
        """Let the work end: its engines at once, its loops where they look next."""
        self._wanted.set()
        for engine in list(self._engines):
            engine.interrupt()

    def watch(self, engine: _Engine) -> None:
        """Let an engine be interrupted with the work, until it is gone or leaves."""
        self._engines.add(engine)

    def leave(self, engine: _Engine) -> None:
        """The engine has done its part and may do other work."""
        self._engines.discard(engine)


_CURRENT: ContextVar[Stop | None] = ContextVar("stop", default=None)


@contextmanager
def stoppable(stop: Stop) -> Iterator[None]:
    """Do the work inside under `stop`; ends with Cancelled when it is wanted and an engine breaks off for it."""
    token = _CURRENT.set(stop)
    try:
        yield
    except Cancelled:
        raise
    except Exception as error:
        if stop.wanted:
            raise Cancelled(SAYS) from error
        raise
    finally:
        _CURRENT.reset(token)


def current() -> Stop | None:
    """The stop that the work at hand is under."""
    return _CURRENT.get()


def go_on() -> None:
    """To be called in every long loop; raises Cancelled when the work is to end."""
    stop = _CURRENT.get()
    if stop is not None and stop.wanted:
        raise Cancelled(SAYS)
