"""Where the time of a profile goes, and how long pages of records take: python -m bench.parts FILE WORK."""

from __future__ import annotations

import resource
import statistics
import sys
import time
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import TypeVar

from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.profiling.cross_filter import Panel, look
from pravin_core.profiling.model import Profile
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.records.filters import Filter, make_filter, read_filter
from pravin_core.records.pages import Stage, read_page

TIMES = 3
T = TypeVar("T")


def of(name: str, test: str, value: str = "", *values: str) -> Filter:
    return read_filter({"on": "column", "name": name, "test": test, "value": value, "values": values})


PAGES: dict[str, tuple[list[Filter], str | None, int]] = {
    "first page": ([], None, 0),
    "page in the middle": ([], None, 500_000),
    "a value": ([of("place_0", "is", "Harbour")], None, 0),
    "contains": ([of("sample_id", "contains", "777")], None, 0),
    "in any column": ([make_filter("text", value="weir")], None, 0),
    "a shape": ([of("reading_0", "shape", "9.999999")], None, 0),
    "does not read as a number": ([of("reading_0", "does not read as", "decimal")], None, 0),
    "a range": ([of("reading_0", "between", "", "7", "8")], None, 0),
    "a range of dates": ([of("sampled_on", "dated", "%Y-%m-%d", "2021-01-01", "2021-06-30")], None, 0),
    "anything missing": ([make_filter("any missing")], None, 0),
    "occurs more than once": ([make_filter("repeated")], None, 0),
    "sorted by all-different texts": ([], "sample_id", 0),
    "sorted by numbers, far down": ([], "reading_0", 1_000_000),
    "filtered and sorted": ([of("place_0", "is", "Harbour")], "reading_0", 0),
}


def said(name: str, seconds: float, about: str = "") -> None:
    print(f"  {name:34}{seconds:8.2f} s{about}", flush=True)


def timed(make: Callable[[], T]) -> tuple[float, T]:
    begun = time.perf_counter()
    part = make()
    return time.perf_counter() - begun, part


def profile(snapshot: Snapshot, scratch: Path) -> Profile:
    """Profile with the moments at which the first and the last column were ready."""
    begun, moments = time.perf_counter(), []

    def note(*_: object) -> bool:
        moments.append(time.perf_counter() - begun)
        return True

    seconds, profile_ = timed(lambda: profile_snapshot(snapshot, scratch, datetime(2024, 6, 1), progress=note))
    said("columns with their findings", moments[-1], f", the first after {moments[0]:.2f} s")
    said("findings of the whole table", seconds - moments[-1])
    return profile_


def main() -> None:
    file, work = Path(sys.argv[1]), Path(sys.argv[2])
    seconds, detected = timed(lambda: settle(file, file.name, SettingsRequest()))
    said("detecting the settings", seconds)
    source = SourceFile(file.name, file, detected.settings)
    seconds, snapshot = timed(lambda: make_snapshot([source], work / "snapshot"))
    said("reading into a snapshot", seconds)
    measured = profile(snapshot, work / "scratch")
    print(f"  peak memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:,.0f} MB")
    for name, (filters, sort, offset) in PAGES.items():
        timings = [
            timed(lambda f=filters, s=sort, o=offset: read_page(Stage(snapshot), f, s, False, o, 200, work / "scratch"))
            for _ in range(TIMES)
        ]  # fmt: skip
        said(name, statistics.median(timing[0] for timing in timings), f"  {timings[0][1].total:>12,} records")
    panels = [
        Panel(name="reading_0", show="bars", chosen=of("reading_0", "within", "", "7", "8")),
        Panel(name="sampled_on", show="bars"), Panel(name="place_0"), Panel(name="count_0", show="bars"),
    ]  # fmt: skip
    seconds, _ = timed(lambda: look(Stage(snapshot), measured.columns, panels, [], "", work / "scratch"))
    said("four panels narrowed", seconds)


if __name__ == "__main__":
    main()
