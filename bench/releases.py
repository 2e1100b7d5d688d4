"""What the work on releases costs: two tables compared by key against polars by hand, distributions, parts for modelling, files."""

from __future__ import annotations

import shutil
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq

from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect
from pravin_core.releases.comparing import Side, changed_records, compare
from pravin_core.releases.distributions import distributions
from pravin_core.releases.modelling import Division, PartShare, Table, settle, write_divided
from pravin_core.releases.outputs import OutputForm, write_output
from pravin_core.sql.statements import read_parquet
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import DataType

SHARES = tuple(PartShare(name=name, share=share) for name, share in (("train", 70), ("validate", 15), ("test", 15)))
KINDS = {"t": DataType.TEXT, "c": DataType.TEXT, "n": DataType.WHOLE, "d": DataType.DECIMAL}
LIMITS = Limits(threads=2)


def table(records: int, rng: np.random.Generator) -> dict[str, Any]:
    """A key and thirty columns: long texts, codes, whole numbers, decimals."""
    texts = {f"t{at}": np.char.add("remark ", rng.integers(0, 10**9, records).astype(str)) for at in range(8)}
    codes = {f"c{at}": rng.choice(np.array(["red", "green", "blue", "grey"]), records) for at in range(4)}
    numbers = {f"n{at}": rng.integers(0, 10**6, records) for at in range(9)}
    decimals = {f"d{at}": rng.random(records) for at in range(9)}
    return {"key": np.char.add("K-", rng.permutation(records).astype(str)), **texts, **codes, **numbers, **decimals}


def later(columns: dict[str, Any], rng: np.random.Generator) -> dict[str, Any]:
    """The same a month later: a tenth has another number, some records are gone, all lie in another order."""
    records = len(columns["key"])
    changed = {**columns, "n3": columns["n3"] + (rng.random(records) < 0.1)}
    order = rng.permutation(records)[records // 50 :]
    return {name: values[order] for name, values in changed.items()}


def kept(columns: dict[str, Any], file: Path) -> Side:
    """A table as a release keeps it."""
    numbers = np.arange(1, len(columns["key"]) + 1)
    pq.write_table(pa.table({**columns, RECORD: numbers}), file, row_group_size=122_880)
    types = tuple((name, KINDS.get(name[0], DataType.TEXT)) for name in columns)
    return Side((file,), types, RECORD)


def by_hand(before: Side, after: Side) -> tuple[int, int, int]:
    """Records added, gone and changed, as polars reckons them."""
    names = [name for name, _ in before.columns if name != "key"]
    joined = pl.read_parquet(before.files[0]).join(pl.read_parquet(after.files[0]), on="key", how="full", suffix="'")
    added, gone = joined["key"].is_null(), joined["key'"].is_null()
    differs = pl.any_horizontal(pl.col(name).ne_missing(pl.col(f"{name}'")) for name in names)
    both = joined.filter(~added & ~gone)
    return int(added.sum()), int(gone.sum()), int(both.select(differs.sum()).item())


def measure(records: int, runs: int) -> None:
    """Print the median seconds of each piece of work, and the ratio of comparing to the same work by hand."""
    rng = np.random.default_rng(7)
    folder = Path(tempfile.mkdtemp())
    try:
        first = table(records, rng)
        before, after = kept(first, folder / "before.parquet"), kept(later(first, rng), folder / "after.parquet")
        took: dict[str, list[float]] = {}
        for run in range(runs):
            for name, work in _work(before, after, folder, run).items():
                began = time.perf_counter()
                work()
                took.setdefault(name, []).append(time.perf_counter() - began)
        for name, seconds in took.items():
            print(f"{name:48} {statistics.median(seconds):7.2f} s")
        ratio = statistics.median(
            a / b for a, b in zip(took["compared by key"], took["the same in polars"], strict=True)
        )
        print(f"{'compared by key / the same in polars':48} {ratio:7.2f}")
    finally:
        shutil.rmtree(folder)


def _work(before: Side, after: Side, folder: Path, run: int) -> dict[str, Callable[[], object]]:
    place, scratch = folder / f"compared-{run}", folder / "scratch"
    whole = Table(read_parquet(before.files), before.columns)

    def compared() -> None:
        told = compare(before, after, ["key"], place, LIMITS)
        assert (told.added, told.gone, told.changed) == by_hand_told, "the two do not agree"

    def divided(**more: Any) -> Callable[[], None]:
        def divide() -> None:
            with connect([folder], scratch, LIMITS) as con:
                division = settle(Division(shares=SHARES, seed="s", **more), whole, con)
                write_divided(division, whole, folder / "divided.parquet", con)

        return divide

    def written(form: OutputForm) -> Callable[[], None]:
        def write() -> None:
            with connect([folder], scratch, LIMITS) as con:
                write_output(con, before.files[0], dict(before.columns), form, folder / "output", folder)

        return write

    by_hand_told: tuple[int, int, int] = (0, 0, 0)

    def hand() -> None:
        nonlocal by_hand_told
        by_hand_told = by_hand(before, after)

    return {
        "the same in polars": hand,
        "compared by key": compared,
        "the first 100 changed records": lambda: changed_records(
            before, after, place, "changed", "", 0, 100, scratch, LIMITS
        ),
        "distributions of all columns": lambda: distributions(before, after, scratch, LIMITS),
        "parts by records": divided(key=("key",)),
        "parts by records, with the shares of a column": divided(key=("key",), stratum="c1"),
        "parts by groups": divided(way="groups", column="t1"),
        "a CSV file": written(OutputForm()),
        "a CSV file in Windows-1252 with other line ends": written(
            OutputForm(encoding="windows-1252", line_ends="crlf")
        ),
    }
