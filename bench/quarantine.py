"""What it costs that records are quarantined: the same rulebook with limits that all records keep, and that all break, in turn."""

from __future__ import annotations

import shutil
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from pravin_core.engines.base import Limits
from pravin_core.intake.snapshot import FileCounts, Snapshot
from pravin_core.rules.rulebook import opened
from pravin_core.runs.runner import run_rulebook

Rules = list[dict[str, Any]]
READ: Rules = [{"kind": "trim-spaces", "id": "trim", "columns": []}]


def few_values(rng: np.random.Generator, n: int) -> dict[str, Any]:
    """Numbers of three digits and texts of few different values."""
    words = np.array(["alpha", "beta", "gamma", "delta"])
    numbers = {f"n{at}": rng.integers(0, 1000, n).astype(str) for at in range(7)}
    return {"id": np.arange(n).astype(str), **numbers, **{f"t{at}": words[rng.integers(0, 4, n)] for at in range(7)}}


def many_values(rng: np.random.Generator, n: int) -> dict[str, Any]:
    """Long different texts, days, amounts of money."""
    days = (np.datetime64("2024-01-01") + rng.integers(0, 700, n)).astype(str)
    texts = {f"t{at}": np.char.add("remark ", rng.integers(0, 10**12, n).astype(str)) for at in range(8)}
    money = {f"m{at}": np.char.mod("%.2f", rng.random(n) * 9_999) for at in range(4)}
    return {"key": np.char.add("K-", np.arange(n).astype(str)), "day": days, **money, **texts, "empty": np.full(n, "")}


def few_rules(breaks: bool) -> Rules:
    """A number and a text are out of bounds, or in them."""
    return [
        *READ,
        {"kind": "to-number", "id": "read", "columns": ["n0", "n1", "n2"]},
        {"kind": "in-range", "id": "range", "columns": ["n0"], "high": "-1" if breaks else "5000"},
        {"kind": "allowed-values", "id": "allowed", "columns": ["t0"], "values": ["x"] if breaks else ["alpha", "beta", "gamma", "delta"]},
    ]  # fmt: skip


def many_rules(breaks: bool) -> Rules:
    """An amount is out of bounds and a text has another form, or not."""
    return [
        *READ,
        {"kind": "to-number", "id": "read", "columns": ["m0", "m1", "m2", "m3"]},
        {"kind": "to-date", "id": "days", "columns": ["day"], "formats": ["%Y-%m-%d"]},
        {"kind": "in-range", "id": "range", "columns": ["m0"], "high": "-1" if breaks else "10000"},
        {"kind": "matches-pattern", "id": "form", "columns": ["key"], "pattern": r"X-\d+" if breaks else r"K-\d+"},
    ]


WORLDS: dict[str, tuple[Callable[[np.random.Generator, int], dict[str, Any]], Callable[[bool], Rules]]] = {
    "few different values": (few_values, few_rules),
    "many different values": (many_values, many_rules),
}


def delivered(columns: dict[str, Any], folder: Path) -> Snapshot:
    """A table as a delivery of one source."""
    n = len(next(iter(columns.values())))
    numbers = pa.array(np.arange(1, n + 1), pa.int64())
    origin = {"__record": numbers, "__file": pa.array(np.zeros(n), pa.int16()), "__line": numbers}
    folder.mkdir(parents=True)
    cells = {name: pa.array(values, pa.string()) for name, values in columns.items()}
    pq.write_table(pa.table(origin | cells), folder / "part-0000.parquet", row_group_size=122_880)
    return Snapshot(folder, tuple(columns), (FileCounts(name="d", lines=n, record_lines=n, records=n, lane=""),))


def seconds(snapshot: Snapshot, rules: Rules, folder: Path) -> tuple[float, int]:
    """How long a run takes, and how many records it quarantines."""
    begun = time.perf_counter()
    outcome = run_rulebook(snapshot, opened(rules), folder, (), Limits(threads=2))
    took = time.perf_counter() - begun
    shutil.rmtree(folder)
    return took, outcome.reconciliation.quarantined


def measure(records: int, runs: int) -> None:
    """Print the medians over both tables, and their ratios."""
    with tempfile.TemporaryDirectory() as place:
        for name, (make, rules) in WORLDS.items():
            snapshot = delivered(make(np.random.default_rng(11), records), Path(place) / name.replace(" ", "-"))
            times: dict[bool, list[float]] = {False: [], True: []}
            for _ in range(runs):
                for breaks in (False, True):
                    took, quarantined = seconds(snapshot, rules(breaks), Path(place) / "result")
                    if quarantined != records * breaks:
                        raise SystemExit(f"{name}: {quarantined:,} records are quarantined, not {records * breaks:,}")
                    times[breaks].append(took)
            none, every = (statistics.median(times[breaks]) for breaks in (False, True))
            print(f"{name:24} none {none:6.2f} s  all {every:6.2f} s  ratio {every / none:5.2f}", flush=True)
