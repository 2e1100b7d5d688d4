"""Time the profile of tables of different kinds, beside another checkout: few different values, all different, wide, series."""

from __future__ import annotations

import os
import random
import statistics
import subprocess
import sys
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path

from bench.worlds.fields import words

ROOT = Path(__file__).resolve().parent.parent
RUNS = 3


def few_different(rng: random.Random, records: int) -> Iterator[str]:
    """31 columns of few values each."""
    lists = [words(rng, rng.randint(2, 40)) for _ in range(31)]
    yield ",".join(f"c{n}" for n in range(31))
    for _ in range(records):
        yield ",".join(rng.choice(some) for some in lists)


def all_different(rng: random.Random, records: int) -> Iterator[str]:
    """31 columns, in each of which hardly any value comes twice: numbers, codes and texts."""
    yield ",".join(f"c{n}" for n in range(31))
    for at in range(records):
        numbers = [f"{rng.random() * 1e6:.4f}" for _ in range(16)]
        yield ",".join([*numbers, *(f"K{at * 7 + n}-{rng.randrange(10**6)}" for n in range(15))])


def wide(rng: random.Random, records: int) -> Iterator[str]:
    """400 columns of numbers, a tenth as many records."""
    yield ",".join(f"c{n}" for n in range(400))
    for _ in range(records // 10):
        yield ",".join(str(rng.randrange(5000)) for _ in range(400))


def series(rng: random.Random, records: int) -> Iterator[str]:
    """80 columns, a tenth as many records: 40 stations read in turn, 4 columns of categories, and 74 of numbers, of which half go
    on from the one before and some depend on a category.
    """
    yield ",".join(["station", "read at", *(f"kind {n}" for n in range(4)), *(f"c{n}" for n in range(74))])
    begin = datetime(2020, 1, 1)
    levels = [[rng.uniform(0, 100) for _ in range(37)] for _ in range(40)]
    for at in range(records // 10):
        turn, station = divmod(at, 40)
        levels[station] = [level + rng.gauss(0, 0.2) for level in levels[station]]
        kinds = [rng.randrange(2, 9) for _ in range(4)]
        others = [rng.gauss(50 * kinds[n % 4] if n < 8 else 0, 5) for n in range(37)]
        moment = begin + timedelta(minutes=10 * turn)
        numbers = [f"{number:.2f}" for number in (*levels[station], *others)]
        yield ",".join([f"S{station:02d}", f"{moment:%Y-%m-%d %H:%M}", *(f"k{kind}" for kind in kinds), *numbers])


KINDS = {"few different": few_different, "all different": all_different, "wide": wide, "series": series}


def main(work: Path, records: int, against: Path | None, of_bench: Path) -> None:
    """Print the median seconds of each, and the ratio to the other checkout where there is one; in turns."""
    tables = {"as the bench": of_bench}
    for kind, rows in KINDS.items():
        tables[kind] = work / f"{kind.replace(' ', '-')}.csv"
        with tables[kind].open("w") as file:
            file.writelines(f"{row}\n" for row in rows(random.Random(11), records))
    print(f"{'':16}{'seconds':>10}{'other':>10}{'ratio':>8}")
    for kind, table in tables.items():
        places = [ROOT, *([against] if against else [])]
        timings: dict[Path, list[float]] = {place: [] for place in places}
        for _ in range(RUNS):
            for place in places:
                timings[place].append(_profile(place, table, work))
        here = statistics.median(timings[ROOT])
        other = statistics.median(timings[against]) if against else 0.0
        ratio = f"{here / other:>8.2f}" if other else ""
        print(f"{kind:16}{here:>10.1f}{other:>10.1f}{ratio}", flush=True)


def _profile(place: Path, table: Path, work: Path) -> float:
    """The processor seconds that the profile of a table takes in a checkout: less noisy on a shared machine than the clock."""
    path = f"{place / 'core'}{os.pathsep}{place}"
    command = [sys.executable, "-m", "bench.core", "profile", str(table), "--json", str(work / "profile.json")]
    process = subprocess.Popen(command, cwd=place, env={**os.environ, "PYTHONPATH": path}, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    if os.waitstatus_to_exitcode(status) not in (0, 1):
        sys.exit(f"{' '.join(command)} failed in {place}")
    return usage.ru_utime + usage.ru_stime
