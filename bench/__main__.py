"""Time the command line against plain scripts, as whole processes in turn; print medians, ratios and peak memory."""

from __future__ import annotations

import argparse
import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HERE = Path(__file__).resolve().parent


def measure(command: list[str]) -> tuple[float, float]:
    """Seconds and peak MB of one process."""
    begun = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    if os.waitstatus_to_exitcode(status) not in (0, 1):
        sys.exit(f"{' '.join(command)} failed")
    return time.perf_counter() - begun, usage.ru_maxrss / 1024


def main() -> None:
    parser = argparse.ArgumentParser(prog="pravin bench")
    parser.add_argument("--records", type=int, default=1_100_000)
    parser.add_argument("--runs", type=int, default=3)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="pravin-bench-") as place:
        work = Path(place)
        table = work / "table.txt"
        # in a process of its own: the memory of the parent would count as that of every child it forks
        subprocess.run([sys.executable, "-m", "bench.table", str(table), str(options.records)], check=True)
        print(
            f"{options.records:,} records x 31 columns, {table.stat().st_size / 1e6:,.0f} MB; {options.runs} runs each"
        )
        core, plain = [sys.executable, "-m", "pravin_core.cli"], [sys.executable, "-m", "bench.plain"]
        pairs = {
            "profile": (
                [*core, "profile", str(table), "--json", str(work / "p.json")],
                [*plain, "profile", str(table)],
            ),
            "run": (
                [*core, "run", str(HERE / "rulebook.json"), str(table), "--out", str(work / "ours")],
                [*plain, "run", str(table), str(work / "theirs")],
            ),
        }
        print(f"{'':10}{'Pravin s':>10}{'MB':>8}{'pandas s':>10}{'MB':>8}{'time':>8}{'memory':>8}")
        for name, (ours, theirs) in pairs.items():
            taken = [(measure(ours), measure(theirs)) for _ in range(options.runs)]
            (s1, m1), (s2, m2) = (
                tuple(statistics.median(run[side][what] for run in taken) for what in (0, 1)) for side in (0, 1)
            )
            print(f"{name:10}{s1:10.1f}{m1:8.0f}{s2:10.1f}{m2:8.0f}{s1 / s2:8.2f}{m1 / m2:8.2f}")
        said = json.loads((work / "ours" / "run.json").read_text())["reconciliation"]
        print("every record accounted for:", said["balances"], said)
        shutil.rmtree(work / "ours")


if __name__ == "__main__":
    main()
