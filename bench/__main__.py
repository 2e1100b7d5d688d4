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
from collections.abc import Callable
from pathlib import Path

from bench import (
    board,
    faults,
    findings,
    load,
    months,
    profiles,
    publishing,
    quarantine,
    quarantine_served,
    releases,
    sizes,
)  # fmt: skip
from bench.worlds import measure as worlds

HERE = Path(__file__).resolve().parent


def measure(command: list[str]) -> tuple[float, float]:
    """Seconds and peak MB of one process."""
    begun = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    if os.waitstatus_to_exitcode(status) not in (0, 1):
        sys.exit(f"{' '.join(command)} failed")
    return time.perf_counter() - begun, usage.ru_maxrss / 1024


def compare(name: str, ours: list[str], theirs: list[str], runs: int, clean: Callable[[], None]) -> None:
    """Run two commands in turn and print the medians of time and peak memory, and their ratios."""
    timings = []
    for _ in range(runs):
        timings.append((measure(ours), measure(theirs)))
        clean()
    (s1, m1), (s2, m2) = (
        tuple(statistics.median(run[side][what] for run in timings) for what in (0, 1)) for side in (0, 1)
    )
    print(f"{name:14}{s1:10.1f}{m1:8.0f}{s2:10.1f}{m2:8.0f}{s1 / s2:8.2f}{m1 / m2:8.2f}", flush=True)


def intake(work: Path, records: int, runs: int, large: bool) -> None:
    """Intake against the engine's own CSV to Parquet; with `large` also a file of 2 GB, for the memory."""
    print(f"{'':14}{'Pravin s':>10}{'MB':>8}{'engine s':>10}{'MB':>8}{'time':>8}{'memory':>8}")
    snapshot, parquet = work / "snapshot", work / "engine.parquet"

    def clean() -> None:
        shutil.rmtree(snapshot, ignore_errors=True)
        parquet.unlink(missing_ok=True)

    for name, count, times in (("260 MB", records, runs), *((("2 GB", 8 * records, 1),) if large else ())):
        table = make_table(work, count)
        ours = [sys.executable, "-m", "bench.intake", str(table), str(snapshot)]
        theirs = [sys.executable, "-m", "bench.engine_csv", str(table), str(parquet)]
        compare(f"intake {name}", ours, theirs, times, clean)
        table.unlink()


def make_table(work: Path, records: int) -> Path:
    """The benchmark's table; made in a process of its own, whose memory would count as that of every child."""
    table = work / f"table-{records}.txt"
    subprocess.run([sys.executable, "-m", "bench.table", str(table), str(records)], check=True)
    return table


def growth(work: Path, records: int) -> None:
    """Profile of five times as many records: time and memory against once as many."""
    timings = []
    for count in (records, 5 * records):
        table = make_table(work, count)
        timings.append(
            measure([sys.executable, "-m", "bench.core", "profile", str(table), "--json", str(work / "p.json")])
        )
        table.unlink()
        print(f"profile of {count:>10,} records {timings[-1][0]:8.1f} s {timings[-1][1]:6.0f} MB", flush=True)
    print(f"{'':30}times {timings[1][0] / timings[0][0]:.1f} and {timings[1][1] / timings[0][1]:.1f}")


def commands(work: Path, records: int, runs: int) -> None:
    """Profile and run against plain pandas scripts."""
    table = make_table(work, records)
    print(f"{records:,} records x 31 columns, {table.stat().st_size / 1e6:,.0f} MB; {runs} runs each")
    print(f"{'':14}{'Pravin s':>10}{'MB':>8}{'pandas s':>10}{'MB':>8}{'time':>8}{'memory':>8}")
    core, plain = [sys.executable, "-m", "bench.core"], [sys.executable, "-m", "bench.plain"]
    compare(
        "profile", [*core, "profile", str(table), "--json", str(work / "p.json")],
        [*plain, "profile", str(table)], runs, lambda: None,
    )  # fmt: skip
    print("where the time goes, and pages of records:", flush=True)
    subprocess.run([sys.executable, "-m", "bench.parts", str(table), str(work / "parts")], check=True)
    compare(
        "run", [*core, "run", str(HERE / "rulebook.json"), str(table), "--out", str(work / "ours")],
        [*plain, "run", str(table), str(work / "theirs")], runs, lambda: None,
    )  # fmt: skip
    reconciliation = json.loads((work / "ours" / "run.json").read_text())["reconciliation"]
    print("every record accounted for:", reconciliation["balances"], reconciliation)


def rulebook(work: Path, records: int, runs: int) -> None:
    """Sixty rules, from file to result, against the same work by hand; and how soon the effect of one rule is there."""
    table = make_table(work, records)
    print(f"60 rules over {records:,} records x 31 columns, {runs} runs each, medians")
    timings: dict[str, list[tuple[float, float]]] = {way: [] for way in ("pravin", "pandas", "polars")}
    for _ in range(runs):
        for way, of in timings.items():
            of.append(measure([sys.executable, "-m", "bench.rules", way, str(table)]))
    middle = {way: [statistics.median(timing[what] for timing in of) for what in (0, 1)] for way, of in timings.items()}
    for way, (seconds, memory) in middle.items():
        print(
            f"{way:10}{seconds:8.1f} s{memory:8.0f} MB   ours is {middle['pravin'][0] / seconds:.2f} times its time",
            flush=True,
        )
    subprocess.run([sys.executable, "-m", "bench.rules", "effects", str(table)], check=True)


def main() -> None:
    parser = argparse.ArgumentParser(prog="pravin bench")
    parser.add_argument(
        "what",
        nargs="*",
        choices=[
            "intake",
            "commands",
            "growth",
            "profiles",
            "findings",
            "rules",
            "faults",
            "load",
            "quarantine",
            "quarantine-served",
            "releases",
            "publishing",
            "board",
            "months",
            "sizes",
        ],
    )
    parser.add_argument("--records", type=int, default=1_100_000)
    parser.add_argument("--runs", type=int, default=3)
    parser.add_argument("--scale", type=float, default=1, help="of sizes: share of the records")
    parser.add_argument("--only", nargs="*", default=[], help="of sizes: the natures to measure")
    parser.add_argument("--large", action="store_true", help="intake also of a file of 2 GB")
    parser.add_argument("--worlds", action="store_true", help="findings on the further worlds, three seeds of each")
    parser.add_argument("--seed", type=int, default=1, help="of the tables whose findings are measured")
    parser.add_argument("--against", type=Path, help="of profiles: another checkout, timed in turns")
    parser.add_argument("--kills", type=int, default=200, help="of faults")
    parser.add_argument("--people", type=int, default=50, help="of load")
    parser.add_argument("--minutes", type=float, default=5, help="of load")
    parser.add_argument("--show", action="store_true", help="what was missed and what was wrong")
    options = parser.parse_args()
    if options.what == ["findings"] and options.worlds:
        worlds.main(options.seed, show=options.show)
    if options.what == ["findings"]:
        findings.main(options.seed, show=options.show)
    if options.what == ["faults"]:
        sys.exit(faults.main(options.kills, options.seed))
    if options.what == ["releases"]:
        releases.measure(options.records, options.runs)
        return
    if options.what == ["board"]:
        board.measure(options.runs)
        return
    if options.what == ["sizes"]:
        sizes.measure(options.seed, options.runs, options.scale, options.only)
        return
    if options.what == ["months"]:
        months.measure(options.seed)
        return
    if options.what == ["publishing"]:
        publishing.measure(options.records, options.runs)
        return
    if options.what == ["quarantine-served"]:
        quarantine_served.measure(options.records, options.runs)
        return
    if options.what == ["quarantine"]:
        quarantine.measure(options.records, options.runs)
        return
    if options.what == ["load"]:
        sys.exit(load.main(options.people, options.minutes, 200_000))
    with tempfile.TemporaryDirectory(prefix="pravin-bench-") as place:
        if not options.what or "intake" in options.what:
            intake(Path(place), options.records, options.runs, options.large)
        if not options.what or "commands" in options.what:
            commands(Path(place), options.records, options.runs)
        if "rules" in options.what:
            rulebook(Path(place), options.records, options.runs)
        if "profiles" in options.what:
            profiles.main(Path(place), options.records, options.against, make_table(Path(place), options.records))
        if "growth" in options.what:
            growth(Path(place), options.records)


if __name__ == "__main__":
    main()
