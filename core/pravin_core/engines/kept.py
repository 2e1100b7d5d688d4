"""Engines that stay open between short readings: opening one takes longer than reading a page."""

from __future__ import annotations

import atexit
import shutil
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from threading import Lock

from pravin_core.engines.base import Connection, Limits, in_turn
from pravin_core.engines.duckdb import bounded, know_operations, opened
from pravin_core.stopping import go_on

MOST = 2  # so many idle engines a process; the one that rested longest gives way
RESTS = 300.0  # seconds that an idle engine stays open


@dataclass(frozen=True)
class _For:
    """What an engine was opened for: it serves nothing else."""

    folders: tuple[Path, ...]
    spills: Path
    memory: str
    threads: int


@dataclass(eq=False)
class _Engine:
    con: Connection
    spill: Path
    purpose: _For
    since: float = 0.0
    knows_operations: bool = False

    def close(self) -> None:
        self.con.close()
        shutil.rmtree(self.spill, ignore_errors=True)


_idle: list[_Engine] = []
_lock = Lock()


@contextmanager
def kept_engine(
    folders: Sequence[Path], spills: Path, limits: Limits = Limits(), operations: bool = False
) -> Iterator[Connection]:
    """A connection that reads only inside `folders`, opened before if there is one at rest.

    It keeps a folder of its own in `spills`. For statements that leave nothing behind: no tables, views or variables.
    With `operations` it knows our own operations, which formulas use. After an error the engine is closed. Raises like `connect`.
    """
    go_on()
    with in_turn():
        purpose = _For(tuple(folders), spills, limits.memory, limits.threads)
        engine = _rested(purpose) or _new(purpose, limits)
        try:
            if operations and not engine.knows_operations:
                know_operations(engine.con)
                engine.knows_operations = True
            with bounded(engine.con, limits):
                yield engine.con
        except BaseException:
            engine.close()
            raise
        _rest(engine)


def close_all() -> None:
    """Close the engines at rest."""
    with _lock:
        leaving, _idle[:] = list(_idle), []
    for engine in leaving:
        engine.close()


atexit.register(close_all)


def _new(purpose: _For, limits: Limits) -> _Engine:
    purpose.spills.mkdir(parents=True, exist_ok=True)
    spill = Path(tempfile.mkdtemp(prefix="engine-", dir=purpose.spills))
    try:
        return _Engine(opened(purpose.folders, spill, limits, caches_files=False), spill, purpose)
    except BaseException:
        shutil.rmtree(spill, ignore_errors=True)
        raise


def _rested(purpose: _For) -> _Engine | None:
    now = time.monotonic()
    with _lock:
        leaving = [item for item in _idle if now - item.since > RESTS]
        _idle[:] = [item for item in _idle if item not in leaving]
        result = next((item for item in reversed(_idle) if item.purpose == purpose and item.spill.exists()), None)
        if result is not None:
            _idle.remove(result)
    for engine in leaving:
        engine.close()
    return result


def _rest(engine: _Engine) -> None:
    engine.since = time.monotonic()
    with _lock:
        _idle.append(engine)
        leaving, _idle[:] = _idle[:-MOST], _idle[-MOST:]
    for item in leaving:
        item.close()
