"""The weeks in Quarantine through a running application: runs that set nothing and everything apart, opening, filters, one act on all.

`python -m bench quarantine-served [--records 1000000] [--runs 3]`: on both tables of `bench.quarantine`, each with 15 columns.
"""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any
from urllib.parse import quote

import numpy as np
import pyarrow as pa
import pyarrow.csv

from bench.faults import database
from bench.load import wait
from bench.quarantine import WORLDS, Rules
from bench.server import Client, started

# a column of each table, and a text that some of its cells hold
FILTERS = {"few different values": ("id", "99"), "many different values": ("t0", "77")}


def measure(records: int, runs: int) -> None:
    """Print what people wait for, and how much PostgreSQL grows."""
    with tempfile.TemporaryDirectory(prefix="pravin-quarantine-") as place, started(Path(place)) as address:
        analyst = Client(address, "marlo")
        for name, (make, rules) in WORLDS.items():
            print(f"{name}, {records:,} records", flush=True)
            delivery = _delivered(analyst, name.split()[0], make(np.random.default_rng(29), records))
            _runs(analyst, Path(place), name.split()[0], delivery, rules, records, runs)
            _place(analyst, name, delivery, records)


def _delivered(analyst: Client, slug: str, columns: dict[str, Any]) -> int:
    """A table as a delivery of a new feed, read and profiled; its id."""
    analyst("POST", "/feeds", {"name": slug})
    sink = pa.BufferOutputStream()
    pa.csv.write_csv(pa.table({name: pa.array(values, pa.string()) for name, values in columns.items()}), sink)
    delivery = analyst.upload(slug, f"{slug}.csv", sink.getvalue().to_pybytes())
    wait(analyst, delivery["job"]["id"])
    return int(delivery["id"])


def _runs(
    analyst: Client, var: Path, slug: str, delivery: int, rules: Callable[[bool], Rules], records: int, runs: int
) -> None:
    """Runs in turn with none and with all set apart, each under another rulebook, so that none is kept from before."""
    took: dict[bool, list[float]] = {False: [], True: []}
    for turn in range(runs):
        for breaks in (False, True):
            _rulebook(analyst, slug, [*rules(breaks), _without_effect(turn)])
            before = _size(var)
            began = time.perf_counter()
            wait(analyst, analyst("POST", f"/deliveries/{delivery}/runs")["job"]["id"])
            took[breaks].append(time.perf_counter() - began)
            if breaks and not turn:
                print(f"  PostgreSQL grew by {(_size(var) - before) / 1e6:.1f} MB", flush=True)
            waiting = analyst.get(f"/deliveries/{delivery}/quarantine")["waiting"]
            if waiting != records * breaks:
                raise SystemExit(f"{waiting:,} records wait, not {records * breaks:,}")
    none, every = (statistics.median(took[breaks]) for breaks in (False, True))
    print(f"  run: none {none:.2f} s, all {every:.2f} s, ratio {every / none:.2f}", flush=True)


def _place(analyst: Client, name: str, delivery: int, records: int) -> None:
    """Opening, filtering, one act on all and its undo; what is asked for the first time, and again."""
    base = f"/deliveries/{delivery}"
    column, text = FILTERS[name]
    where = quote(f'[{{"on":"column","name":"{column}","test":"contains","value":"{text}"}}]')
    for what, paths in {
        "opened": (f"{base}/quarantine", f"{base}/quarantine/counts", f"{base}/quarantine/records?limit=100"),
        "filtered by a text": (
            f"{base}/quarantine/records?limit=100&where={where}",
            f"{base}/quarantine/counts?where={where}",
        ),
    }.items():
        # as a browser asks: at once
        with ThreadPoolExecutor(len(paths)) as at_once:
            first, again = (_timed(lambda: list(at_once.map(analyst.get, paths))) for _ in range(2))  # noqa: B023
        alone = ", ".join(f"{_timed(lambda: analyst.get(path)):.2f}" for path in paths)  # noqa: B023
        print(f"  {what}: first {first:.2f} s, again {again:.2f} s; each alone {alone} s", flush=True)
    act: dict[str, Any] = {"kind": "accept", "where": [], "justification": "Confirmed by the supplier"}
    decided: dict[str, Any] = {}

    def decide() -> None:
        decided.update(analyst("POST", f"{base}/decisions", act))
        if decided["job"]:
            wait(analyst, decided["job"]["id"])

    print(f"  one decision on {records:,}: {_timed(decide):.2f} s with its run", flush=True)

    def undo() -> None:
        undone = analyst("POST", f"{base}/decisions/{decided['decision']}/undo")
        if undone["job"]:
            wait(analyst, undone["job"]["id"])

    print(f"  undone: {_timed(undo):.2f} s with its run", flush=True)
    if analyst.get(f"{base}/quarantine")["waiting"] != records:
        raise SystemExit("not all records wait again")


def _rulebook(analyst: Client, slug: str, rules: Rules) -> None:
    revision = analyst.get(f"/feeds/{slug}/rulebook")["revision"]["number"]
    analyst("PUT", f"/feeds/{slug}/rulebook", {"based_on": revision, "change": "measured", "rules": rules})


def _without_effect(turn: int) -> dict[str, Any]:
    return {"kind": "missing-tokens", "id": "another", "columns": [], "tokens": [f"never {turn}"]}


def _size(var: Path) -> int:
    with database(var) as con, con.cursor() as cursor:
        cursor.execute("SELECT pg_database_size(current_database())")
        return int((cursor.fetchone() or (0,))[0])


def _timed(work: Callable[[], Any]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began
