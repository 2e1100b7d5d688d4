"""Readers of foreign formats work in a process of their own, bounded in memory and time.

Libraries that read workbooks and pages lay a file out in memory as it tells them to, and a file that was made to harm, or is
damaged, tells them anything. What happens to such a process happens to nobody else: it is ended, and the file is refused
in words. A process is kept for the next question; it knows what it read last.
"""

from __future__ import annotations

import atexit
import os
import resource
import signal
import subprocess
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from multiprocessing.connection import Connection
from pathlib import Path
from socket import socketpair
from threading import BoundedSemaphore, Lock
from typing import Any, cast

from pravin_core.errors import IntakeError, PravinError
from pravin_core.intake.formats.base import RECORD, Detected, LineOutcome, Place, Reader
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.stopping import go_on

MEMORY = 2 * 2**30  # bytes that a reader may use beyond its own code
PATIENCE = 120  # seconds without any answer
MOST = 2  # processes at once, for each process that asks
_LOOK = 0.25  # seconds between two looks whether the work is to go on
LONGEST = 2**24  # characters of a row: a table does not have such rows
_BATCH = 2000  # pieces of a message
_BATCH_TEXT = 4 * 2**20  # characters after which a message is sent at once
_ADVICE = "Open it in the program that made it and save it anew, or ask for delimited text."


class Apart(Reader):
    """A reader whose work on a file is done in another process; like the reader itself otherwise."""

    def __init__(self, inner: Reader) -> None:
        self.inner = inner
        self.format, self.label, self.view, self.unit = inner.format, inner.label, inner.view, inner.unit
        self.asked, self.first, self.more = inner.asked, inner.first, inner.more  # type: ignore[misc]

    def about(self) -> str:
        return self.inner.about()

    def recognises(self, path: Path, name: str, head: bytes) -> str:
        return self.inner.recognises(path, name, head)

    def tables(self, path: Path) -> tuple[str, ...]:
        return cast("tuple[str, ...]", self._answer(path.name, "tables", path))

    def settle(self, place: Place, request: SettingsRequest, known: Sequence[str]) -> Detected:
        return cast(Detected, self._answer(place.name, "settle", place, request, list(known)))

    def outcomes(self, place: Place, settings: FileSettings, limit: int | None = None) -> Iterator[LineOutcome]:
        with _asking() as process:
            for batch in process.ask(self, place.name, "pieces", place, settings, limit):
                yield from (LineOutcome(*item) for item in batch)

    def read_one(self, text: str, settings: FileSettings) -> tuple[str | None, ...] | str:
        return self.inner.read_one(text, settings)

    def _answer(self, file: str, method: str, *args: object) -> object:
        with _asking() as process:
            *_, answer = process.ask(self, file, method, *args)
        return answer


class _Process:
    """A process that reads; questions go to it one after another."""

    def __init__(self) -> None:
        ours, theirs = socketpair()
        env = {**os.environ, "PYTHONPATH": os.pathsep.join(text for text in sys.path if text)}
        with theirs:
            self._running = subprocess.Popen(
                [sys.executable, "-m", __name__, str(theirs.fileno())],
                pass_fds=[theirs.fileno()], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=env,
            )  # fmt: skip
        self._line: Connection[Any, Any] = Connection(ours.detach())
        self.idle = True

    def ask(self, reader: Reader, file: str, method: str, *args: object) -> Iterator[Any]:
        """What a reader's method gives, a message at a time. Raises IntakeError when it refuses, breaks or takes too long."""
        self.idle = False
        words = reader.label
        try:
            self._line.send((reader.format, method, args))
            while True:
                kind, content = self._next(words, file)
                if kind == "refused":
                    self.idle = True
                    raise content
                if kind == "broken":
                    self.idle = True
                    raise IntakeError(f"The {words} is damaged: {content}.", file=file, advice=_ADVICE)
                if kind == "memory":
                    raise _too_large(words, file)
                if kind == "answer":
                    self.idle = True
                    yield content
                    return
                if kind == "end":
                    self.idle = True
                    return
                yield content
        except (EOFError, OSError) as error:
            raise _too_large(words, file) from error

    def _next(self, words: str, file: str) -> tuple[str, Any]:
        waited = 0.0
        while not self._line.poll(_LOOK):
            go_on()
            waited += _LOOK
            if waited >= PATIENCE:
                raise IntakeError(
                    f"The {words} could not be read within {PATIENCE:,} seconds.", file=file, advice=_ADVICE
                )
        return cast("tuple[str, Any]", self._line.recv())

    def end(self) -> None:
        """End the process, whatever it does."""
        with suppress(OSError):
            self._line.close()
        self._running.kill()
        self._running.wait()


def _too_large(words: str, file: str) -> IntakeError:
    return IntakeError(
        f"The {words} is damaged, or reading it takes more than the {MEMORY // 2**30} GB of memory that a file may use.",
        file=file,
        advice=_ADVICE,
    )


_places = BoundedSemaphore(MOST)
_lock = Lock()
_idle: list[_Process] = []


@contextmanager
def _asking() -> Iterator[_Process]:
    """A process to ask, kept for the next question if it answered this one to its end."""
    while not _places.acquire(timeout=_LOOK):
        go_on()
    try:
        with _lock:
            process = _idle.pop() if _idle else None
        process = process or _Process()
        try:
            yield process
        finally:
            if process.idle:
                with _lock:
                    _idle.append(process)
            else:
                process.end()
    finally:
        _places.release()


def _forget() -> None:
    """In a forked process: the processes that are kept belong to its parent."""
    global _places, _lock
    _places, _lock = BoundedSemaphore(MOST), Lock()
    _idle.clear()


@atexit.register
def _end_all() -> None:
    while _idle:
        _idle.pop().end()


os.register_at_fork(after_in_child=_forget)


def serve(line: Connection[Any, Any]) -> None:
    """Answer questions until nobody is there any more; nothing takes longer than twice the patience of who asks."""
    from pravin_core.intake.formats.registry import reader_of

    while True:
        try:
            name, method, args = line.recv()
        except EOFError:
            return
        signal.alarm(2 * PATIENCE)
        try:
            reader = cast(Apart, reader_of(name)).inner
            if method == "pieces":
                _send_pieces(line, reader, *args)
                line.send(("end", None))
            else:
                line.send(("answer", getattr(reader, method)(*args)))
        except PravinError as error:
            line.send(("refused", error))
        except MemoryError:
            line.send(("memory", None))
            return
        except RecursionError:
            line.send(("broken", "its parts lie within each other too deeply"))
        except BrokenPipeError:
            return
        except Exception as error:  # libraries raise anything on a damaged file
            line.send(("broken", f"a part of it cannot be understood ({type(error).__name__})"))
        signal.alarm(0)


def _send_pieces(
    line: Connection[Any, Any], reader: Reader, place: Place, settings: FileSettings, limit: int | None
) -> None:
    """Send the pieces in messages of bounded size; with a `limit` all in one, since who asks may look at a few only."""
    rows = _of_bounded_rows(reader.outcomes(place, settings, limit), place.name)
    if limit is not None:
        line.send(("more", [_parts(outcome, whole=True) for outcome in rows]))
        return
    kept: list[tuple[Any, ...]] = []
    text = 0
    for outcome in rows:
        kept.append(_parts(outcome, whole=outcome.status != RECORD))
        text += len(outcome.text)
        if len(kept) >= _BATCH or text >= _BATCH_TEXT:
            line.send(("more", kept))
            signal.alarm(2 * PATIENCE)
            kept, text = [], 0
    line.send(("more", kept))


def _of_bounded_rows(outcomes: Iterator[LineOutcome], file: str) -> Iterator[LineOutcome]:
    for outcome in outcomes:
        if len(outcome.text) > LONGEST:
            sentence = f"Row {outcome.line:,} holds more than {LONGEST:,} characters."
            raise IntakeError(sentence, file=file, advice=_ADVICE)
        yield outcome


def _parts(outcome: LineOutcome, whole: bool) -> tuple[Any, ...]:
    """A piece as it travels; the text of a record is in its cells already."""
    return outcome.status, outcome.line, outcome.lines, outcome.text if whole else "", outcome.cells, outcome.reason


def _bounded() -> None:
    with open("/proc/self/statm") as file:
        own = int(file.read().split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (own + MEMORY, own + MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


if __name__ == "__main__":
    import pravin_core.intake.formats.registry  # noqa: F401  (before the bound, which counts from here)

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _bounded()
    serve(Connection(int(sys.argv[1])))
