"""Tables of five natures, made by seed: profile against pandas, and a rulebook against the same work in polars.

The rulebook follows from the table's columns, and polars interprets the same rules one by one, as an analyst would write them, so that
no table has rules of its own. Ready and quarantined records are counted by both and must agree. Each way is a process of its own, in
turns; what is printed are medians of the processor's seconds, of the clock's, and of the most memory.
"""

from __future__ import annotations

import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

MISSING = ["n/a", "-"]
HIGH = 9_000.0
PIECE = 100_000

Table = dict[str, str]  # the nature of each column, by its name


def _table(numbers: int, wholes: int, codes: int, texts: int, days: int = 1) -> Table:
    counts = {"number": numbers, "whole": wholes, "code": codes, "text": texts, "day": days}
    return {"key": "key", **{f"{nature}_{n}": nature for nature, count in counts.items() for n in range(count)}}


# columns, and records at full scale
NATURES: dict[str, tuple[Table, int]] = {
    "few": (_table(0, 5, 24, 0), 1_100_000),
    "many": (_table(18, 6, 0, 4), 1_100_000),
    "texts": (_table(4, 2, 4, 12, 8), 550_000),
    "300": (_table(150, 50, 80, 10, 9), 200_000),
    "2,000": (_table(1000, 300, 640, 40, 19), 20_000),
}


def _cells(rng: np.random.Generator, nature: str, first: int, records: int) -> Any:
    if nature == "key":
        return np.char.add("K-", np.arange(first, first + records).astype(str)).astype(object)
    if nature == "number":
        values = np.round(rng.gamma(3.0, 900.0, records), 3).astype(str).astype(object)
    elif nature == "whole":
        values = rng.integers(0, 400, records).astype(str).astype(object)
    elif nature == "code":
        values = np.array(["north", "South ", " east", "West", "upper", "Lower"], dtype=object)[
            rng.integers(0, 6, records)
        ]
    elif nature == "day":
        day = np.datetime64("2019-03-01") + rng.integers(0, 2000, records)
        values = np.char.replace(day.astype(str), "-", "").astype(object)
    else:
        words = np.array(
            ["weir", "bank", "left", "gauge", "rain", "station", "the", "mill", "42", "below"], dtype=object
        )
        values = words[rng.integers(0, 10, (records, 9))]
        values = np.array([" ".join(row) for row in values], dtype=object) if records else np.array([], dtype=object)
    values[rng.random(records) < 0.01] = "n/a"
    return values


def write(path: Path, name: str, seed: int, scale: float) -> None:
    """The table of a nature as comma-separated text."""
    columns, most = NATURES[name]
    rng, records = np.random.default_rng([seed, len(columns)]), int(most * scale)
    piece = max(1, min(PIECE, 20_000_000 // len(columns)))
    for first in range(0, records, piece):
        count = min(piece, records - first)
        frame = pd.DataFrame({each: _cells(rng, nature, first, count) for each, nature in columns.items()})
        frame.to_csv(path, index=False, mode="a" if first else "w", header=not first)


def rules(columns: Table, count: int) -> list[dict[str, Any]]:
    """So many rules: four for all columns, a check of the key, then some for single columns in turn."""
    of: dict[str, list[str]] = {}
    for name, nature in columns.items():
        of.setdefault(nature, []).append(name)
    numbers = [*of.get("number", []), *of.get("whole", [])]
    made: list[dict[str, Any]] = [
        {"kind": "trim-spaces", "columns": [], "collapse": True},
        {"kind": "missing-tokens", "columns": [], "tokens": MISSING},
        {"kind": "to-number", "columns": numbers},
        {"kind": "to-date", "columns": of["day"], "formats": ["%Y%m%d"]},
        {"kind": "unique", "columns": ["key"]},
    ]
    turns = [
        *({"kind": "in-range", "columns": [name], "low": "0", "high": f"{HIGH:g}"} for name in numbers),
        *({"kind": "letter-case", "columns": [name], "letters": "capitals"} for name in of.get("code", [])),
        *(
            {"kind": "replace-text", "columns": [name], "find": "left", "replacement": "right"}
            for name in of.get("text", [])
        ),
        *({"kind": "round-numbers", "columns": [name], "places": 1} for name in of.get("number", [])),
        *({"kind": "required", "columns": [name]} for name in [*of["day"], *of.get("code", [])][:3]),
    ]
    step = max(1, len(turns) // (count - len(made)))
    made += turns[::step][: count - len(made)]
    return [{**rule, "id": f"r{number}"} for number, rule in enumerate(made, start=1)]


def by_polars(path: Path, out: Path, book: list[dict[str, Any]]) -> dict[str, int]:
    """The same rules by hand."""
    import polars as pl

    t = pl.read_csv(path, infer_schema=False)
    bad = pl.lit(False)
    for rule in sorted(book, key=lambda each: each["kind"] in ("in-range", "required", "unique")):  # checks come last
        names = rule["columns"] or t.columns
        match rule["kind"]:
            case "trim-spaces":
                t = t.with_columns(pl.col(names).str.strip_chars().str.replace_all(r"\s+", " "))
            case "missing-tokens":
                t = t.with_columns(
                    pl.when(pl.col(n).str.to_lowercase().is_in([*MISSING, ""])).then(None).otherwise(pl.col(n)).alias(n)
                    for n in names
                )
            case "to-number" | "to-date" as kind:
                before = t.select(pl.col(names).is_not_null())
                read = (
                    pl.col(names).cast(pl.Float64, strict=False)
                    if kind == "to-number"
                    else pl.col(names).str.to_date("%Y%m%d", strict=False)
                )
                t = t.with_columns(read)
                lost = pl.any_horizontal(before[n] & t[n].is_null() for n in names)
                t = t.with_columns(t.select(lost.alias(f"lost {kind}")))
                bad = bad | pl.col(f"lost {kind}")
            case "letter-case":
                t = t.with_columns(pl.col(names).str.to_uppercase())
            case "replace-text":
                t = t.with_columns(pl.col(names).str.replace_all(rule["find"], rule["replacement"], literal=True))
            case "round-numbers":
                t = t.with_columns(pl.col(names).round(rule["places"]))
            case "in-range":
                bad = bad | pl.any_horizontal((pl.col(n) < 0) | (pl.col(n) > HIGH) for n in names).fill_null(False)
            case "required":
                bad = bad | pl.col(names[0]).is_null()
            case "unique":
                bad = bad | (pl.col(names[0]).is_duplicated() & pl.col(names[0]).is_not_null())
    t = t.with_columns(bad.alias("bad"))
    ready, held = t.filter(~pl.col("bad")), t.filter(pl.col("bad"))
    ready.write_parquet(out / "ready.parquet")
    held.write_parquet(out / "quarantined.parquet")
    return {"ready": len(ready), "quarantined": len(held)}


def by_pravin(path: Path, out: Path, book: list[dict[str, Any]]) -> dict[str, int]:
    """Our own way, from the file to the result."""
    from pravin_core.collecting import collect_seldom
    from pravin_core.intake.settings import SettingsRequest
    from pravin_core.intake.snapshot import SourceFile, make_snapshot, settle
    from pravin_core.rules.rulebook import Rulebook
    from pravin_core.runs.runner import run_rulebook

    collect_seldom()
    begun = time.process_time()
    settings = settle(path, path.name, SettingsRequest()).settings
    snapshot = make_snapshot([SourceFile(path.name, path, settings)], out / "snapshot")
    read = time.process_time() - begun
    done = run_rulebook(snapshot, Rulebook.model_validate({"rules": book}), out / "result").reconciliation
    print(json.dumps({"reading": round(read, 1)}), file=sys.stderr)
    return {"ready": done.ready + done.corrected, "quarantined": done.quarantined}


def _measured(command: list[str], answer: Path) -> tuple[float, float, float, Any]:
    """Seconds of the processor and of the clock, MB, and what the process answered."""
    begun = time.perf_counter()
    process = subprocess.Popen([sys.executable, "-m", *command], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    if os.waitstatus_to_exitcode(status) != 0:
        sys.exit(f"{' '.join(command)} failed")
    seconds = usage.ru_utime + usage.ru_stime
    said = json.loads(answer.read_text()) if answer.exists() else None
    return seconds, time.perf_counter() - begun, usage.ru_maxrss / 1024, said


def _compared(name: str, ways: dict[str, list[str]], runs: int, work: Path) -> None:
    """Two ways in turns, ours first: a line with the medians."""
    taken: dict[str, list[tuple[float, float, float]]] = {way: [] for way in ways}
    answers = {}
    for _ in range(runs):
        for way, command in ways.items():
            answer = work / "answer.json"
            answer.unlink(missing_ok=True)
            *numbers, answers[way] = _measured(command, answer)
            taken[way].append((numbers[0], numbers[1], numbers[2]))
    middle = {way: [statistics.median(of) for of in zip(*some, strict=True)] for way, some in taken.items()}
    (ours, theirs), verdict = (
        middle.values(),
        "" if len({json.dumps(each) for each in answers.values()}) == 1 else f"  DIFFER {answers}",
    )
    print(
        f"{name:22}{ours[0]:8.1f}{theirs[0]:8.1f}{ours[0] / theirs[0]:7.2f}{ours[1]:9.1f}{theirs[1]:8.1f}{ours[1] / theirs[1]:7.2f}"
        f"{ours[2]:9.0f}{theirs[2]:8.0f}{verdict}",
        flush=True,
    )


def _way(way: str, name: str, table: Path, work: Path, count: int) -> list[str]:
    return ["bench.sizes", way, name, str(table), str(work), str(count)]


def measure(seed: int, runs: int, scale: float, only: list[str]) -> None:
    """All natures: profile, twenty rules, sixty rules."""
    print(f"seed {seed}, scale {scale:g}, medians of {runs}; profile against pandas, rules against polars")
    print(f"{'':22}{'cpu s':>8}{'theirs':>8}{'':7}{'clock s':>9}{'theirs':>8}{'':7}{'MB':>9}{'theirs':>8}")
    for name, (columns, most) in NATURES.items():
        if only and name not in only:
            continue
        with tempfile.TemporaryDirectory(prefix="pravin-bench-") as place:
            work, table = Path(place), Path(place) / "table.csv"
            subprocess.run(
                [sys.executable, "-m", "bench.sizes", "table", name, str(table), str(seed), str(scale)], check=True
            )
            print(
                f"{name}: {int(most * scale):,} records x {len(columns):,} columns, {table.stat().st_size / 1e6:,.0f} MB"
            )
            ways = {
                "pravin": ["bench.core", "profile", str(table), "--json", str(work / "p.json")],
                "pandas": _way("pandas", name, table, work, 0),
            }
            _compared("  profile", ways, runs, work)
            for count in (20, 60):
                _compared(
                    f"  {count} rules",
                    {each: _way(each, name, table, work, count) for each in ("pravin", "polars")},
                    runs,
                    work,
                )


def by_pandas(path: Path, out: Path, book: list[dict[str, Any]]) -> None:
    """A profile by hand: read with types, described, missing, different, most frequent."""
    frame = pd.read_csv(path)
    frame.describe(include="all")
    frame.isna().sum()
    frame.nunique()
    for name in frame:
        frame[name].value_counts().head(50)


WAYS = {"pravin": by_pravin, "polars": by_polars, "pandas": by_pandas}


def main() -> None:
    """One table, or one way over it."""
    if sys.argv[1] == "table":
        name, path, seed, scale = sys.argv[2:]
        return write(Path(path), name, int(seed), float(scale))
    way, name, path, work, count = sys.argv[1:]
    out = Path(work) / way
    shutil.rmtree(out, ignore_errors=True)
    out.mkdir()
    said = WAYS[way](Path(path), out, rules(NATURES[name][0], int(count)) if int(count) else [])
    shutil.rmtree(out, ignore_errors=True)
    if said is not None:
        (Path(work) / "answer.json").write_text(json.dumps(said))


if __name__ == "__main__":
    main()
