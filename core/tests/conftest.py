"""Helpers of the core's tests: small snapshots made from text or from tables."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import duckdb
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import settings

from pravin_core.collecting import collect_seldom
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import FileCounts, Snapshot, SourceFile, make_snapshot, settle

collect_seldom()
# machines are shared and noisy: how long an example takes says nothing about it
settings.register_profile("pravin", deadline=None)
settings.load_profile("pravin")


@pytest.fixture
def read(tmp_path: Path) -> Callable[..., Snapshot]:
    """Read bytes as a delivery of one file; settings not given are detected."""

    def _read(data: bytes, **wanted: Any) -> Snapshot:
        path = tmp_path / "file.txt"
        path.write_bytes(data)
        settings = settle(path, path.name, SettingsRequest(**wanted)).settings
        folder = tmp_path / f"snapshot-{len(list(tmp_path.iterdir()))}"
        return make_snapshot([SourceFile(path.name, path, settings)], folder)

    return _read


@pytest.fixture
def table(tmp_path: Path) -> Callable[[dict[str, list[str | None]]], Snapshot]:
    """A snapshot of a table of texts."""

    def _table(columns: dict[str, list[str | None]]) -> Snapshot:
        count = len(next(iter(columns.values())))
        folder = tmp_path / f"table-{len(list(tmp_path.iterdir()))}"
        folder.mkdir()
        numbers = pa.array(range(1, count + 1), pa.int64())
        origin = {"__record": numbers, "__file": pa.array([0] * count, pa.int16()), "__line": numbers}
        cells = {name: pa.array(values, pa.string()) for name, values in columns.items()}
        pq.write_table(pa.table(origin | cells), folder / "part-0000.parquet")
        return Snapshot(
            folder, tuple(columns), (FileCounts(name="t", lines=count, record_lines=count, records=count, lane="fast"),)
        )

    return _table


def cells_of(snapshot: Snapshot) -> list[tuple[str, ...]]:
    """All records of a snapshot, in order."""
    rows = [row for part in snapshot.parts for row in pq.read_table(part).to_pylist()]
    return [tuple(row.get(name) for name in snapshot.columns) for row in rows]


def rejected_of(snapshot: Snapshot) -> list[tuple[int, str]]:
    """Line and reason of the rejected lines."""
    rows = pq.read_table(snapshot.rejected_path).to_pylist()
    return [(row["line"], row["reason"]) for row in rows]


def query(path: Path | list[Path], said: str) -> list[tuple[Any, ...]]:
    """Rows of Parquet files under the name `t`."""
    with duckdb.connect() as con:
        con.execute(
            "CREATE VIEW t AS SELECT * FROM read_parquet("
            + str([str(item) for item in ([path] if isinstance(path, Path) else path)])
            + ")"
        )
        return con.execute(said).fetchall()
