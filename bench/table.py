"""The table of the benchmark: 31 columns of the demo world, machine-made, with known faults."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import pandas as pd

PIECE = 1_100_000


def write_table(path: Path, records: int, seed: int = 1) -> None:
    """Write `records` records as pipe-delimited text (about 250 bytes a record: 275 MB for 1.1 million)."""
    rng = np.random.default_rng(seed)
    for first in range(0, records, PIECE):
        piece = _piece(rng, first, min(PIECE, records - first))
        piece.to_csv(path, sep="|", index=False, mode="a" if first else "w", header=not first)


def _piece(rng: np.random.Generator, first: int, records: int) -> pd.DataFrame:
    columns: dict[str, object] = {"sample_id": [f"WQ-{n:08d}" for n in range(first, first + records)]}
    days = pd.date_range("2020-01-01", periods=1461, freq="D").strftime("%Y-%m-%d").to_numpy()
    columns["sampled_on"] = days[rng.integers(0, len(days), records)]
    for n in range(12):
        values = np.round(rng.normal(7.5, 1.5, records), 6 if n < 4 else 2).astype(str).astype(object)
        values[rng.random(records) < 0.02] = "n/a"
        columns[f"reading_{n}"] = values
    for n in range(9):
        columns[f"place_{n}"] = rng.choice(
            [" Upper Merrow above the weir", "Lower Merrow, left bank ", "Harbour", "-", ""], records
        )
    for n in range(8):
        columns[f"count_{n}"] = rng.integers(0, 5000, records)
    return pd.DataFrame(columns)


if __name__ == "__main__":
    write_table(Path(sys.argv[1]), int(sys.argv[2]))
