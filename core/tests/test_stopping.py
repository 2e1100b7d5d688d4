"""Work ends soon after that is wanted, whatever it does; and leaves nothing half done."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from threading import Event, Thread

import pytest
from test_rules import book

from pravin_core.errors import Cancelled
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.runs.runner import run_rulebook
from pravin_core.stopping import Stop, go_on, stoppable

Table = Callable[[dict[str, list[str | None]]], Snapshot]


@contextmanager
def stopped_soon() -> Iterator[None]:
    """Under a stop that is wanted shortly, again and again, as the server does: an engine may be between two statements."""
    stop, over = Stop(), Event()

    def ask() -> None:
        while not over.wait(0.2):
            stop.now()

    asking = Thread(target=ask)
    asking.start()
    try:
        with stoppable(stop):
            yield
    finally:
        over.set()
        asking.join()


def ends_soon(work: Callable[[], object]) -> bool:
    """Whether the work is cancelled in clearly less time than it takes."""
    began = time.monotonic()
    with pytest.raises(Cancelled), stopped_soon():
        work()
    cancelled = time.monotonic() - began
    work()
    return cancelled < 0.75 * (time.monotonic() - began - cancelled)


def test_the_reading_of_a_large_file(tmp_path: Path) -> None:
    path = tmp_path / "large.csv"
    with path.open("w") as file:
        file.write("a,b,c\n")
        file.writelines(f'{n},"text, ""{n}""",  x \n' for n in range(3_000_000))
    source = SourceFile(path.name, path, settle(path, path.name, SettingsRequest()).settings)
    snapshots: list[Snapshot] = []
    assert ends_soon(lambda: snapshots.append(make_snapshot([source], tmp_path / "snapshot")))
    assert [item.records for item in snapshots] == [3_000_000]


@pytest.fixture
def many(table: Table) -> Snapshot:
    cells: list[str | None] = [f"{n * 7919 % 999_983}-{n % 1000}" for n in range(500_000)]
    return table({f"c{at}": cells[at:] + cells[:at] for at in range(8)})


def test_a_profile(many: Snapshot, tmp_path: Path) -> None:
    assert ends_soon(lambda: profile_snapshot(many, tmp_path / "scratch", datetime(2024, 6, 1)))


def test_a_run(many: Snapshot, tmp_path: Path) -> None:
    rules = book(
        *({"kind": "replace-pattern", "columns": [f"c{at}"], "find": "([0-9]+)-([0-9]+)", "replacement": "\\2-\\1"} for at in range(8)),
        {"kind": "unique", "columns": ["c0"]},
        {"kind": "remove-duplicates", "columns": ["c1", "c2"]},
    )  # fmt: skip
    places = iter(tmp_path / f"run-{n}" for n in range(9))
    assert ends_soon(lambda: run_rulebook(many, rules, next(places)))
    assert not (tmp_path / "run-0").exists()


def test_work_without_a_stop_goes_on() -> None:
    go_on()
    with stoppable(Stop()):
        go_on()
