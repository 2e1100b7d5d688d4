"""Findings against known faults: recall and precision for each kind, and wrong findings on clean tables."""

from __future__ import annotations

import sys
import tempfile
from collections import Counter, defaultdict
from collections.abc import Iterable
from datetime import datetime
from pathlib import Path

from sqlglot import exp

from demo.faults import write
from demo.spoil import Truth
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.profiling.model import Finding
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.records.filters import Filter, kept
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import DataType

NOW = datetime(2025, 6, 1)
Cell = tuple[int, str]
MEASURED = (
    "disguised missing", "turned into a date", "scientific notation", "lost leading zeros", "day and month exchanged",
    "impossible year", "two-digit year", "decimal or thousands mark", "unit", "uncertainty", "detection limit", "percent",
    "currency", "literal escape", "invisible characters", "spaces at the ends", "wrong decoding", "shifted columns",
    "header among the records", "swapped columns", "scale slip", "spelling variants", "duplicate records", "near duplicates",
)  # fmt: skip
OF_RECORDS = ("shifted columns", "header among the records")


def snapshot_of(path: Path) -> Snapshot:
    """The file as the application reads it; header rows inside stay, so that the profile can find them."""
    detected = settle(path, path.name, SettingsRequest(repeated_header=False))
    return make_snapshot([SourceFile(path.name, path, detected.settings)], path.with_suffix(".snapshot"))


def records_behind(snapshot: Snapshot, filters: Iterable[Filter], work: Path) -> set[int]:
    """The numbers of all records that the filters open."""
    types = dict.fromkeys(snapshot.columns, DataType.TEXT)
    with connect([snapshot.folder], work) as con:
        know_operations(con)
        query = exp.select(column(RECORD)).from_(read_parquet(snapshot.parts))
        return {
            row[0]
            for row in con.execute(sql(kept(query, [filter_.condition(types, {}) for filter_ in filters]))).fetchall()
        }


def cells_of(finding: Finding, snapshot: Snapshot, work: Path) -> set[Cell]:
    """The cells (records for findings about the whole table) that a finding points at, rows from 0."""
    name = finding.columns[0] if finding.columns and finding.kind != "swapped columns" else ""
    return {(record - 1, name) for record in records_behind(snapshot, finding.filters, work)}


def measure(seed: int, tables: int, records: int, show: bool) -> int:
    """Print recall and precision by kind; returns how many kinds miss the mark."""
    expected: dict[str, set[tuple[int, int, str]]] = defaultdict(set)
    pointed: dict[str, set[tuple[int, int, str]]] = defaultdict(set)
    wrong, width = Counter[str](), 0
    with tempfile.TemporaryDirectory(prefix="pravin-findings-") as place:
        work = Path(place)
        for number in range(tables):
            path, truth = write(work, seed, number, records, faults=True)
            _compare(path, truth, number, expected, pointed, work, show)
        for number in range(tables):
            path, _ = write(work, seed, number + 1000, records, faults=False)
            snapshot = snapshot_of(path)
            profile = profile_snapshot(snapshot, work / "scratch", NOW)
            width += len(profile.columns)
            for finding in profile.findings:
                if finding.severity != "low":
                    wrong[finding.kind] += 1
                    if show:
                        print("clean:", finding.kind, finding.columns, finding.says)
    print(f"{'seed ' + str(seed):28}{'cells':>8}{'recall':>9}{'precision':>11}")
    missed = 0
    for kind in MEASURED:
        true, pointed_cells = expected[kind], pointed[kind]
        if not true and not pointed_cells:
            print(f"{kind:28}{'none made':>8}")
            continue
        both = len(true & pointed_cells)
        recall, precision = both / (len(true) or 1), both / (len(pointed_cells) or 1)
        bad = recall < 0.95 or precision < 0.9
        missed += bad
        print(f"{kind:28}{len(true):>8}{recall:>9.3f}{precision:>11.3f}{'   misses the mark' if bad else ''}")
    per = 20 * sum(wrong.values()) / width
    print(f"clean tables: {sum(wrong.values())} wrong findings of middle or high severity in {width} columns "
          f"({per:.2f} in 20): {dict(wrong)}")  # fmt: skip
    return missed + (per >= 1)


def _compare(
    path: Path,
    truth: Truth,
    number: int,
    wanted: dict[str, set[tuple[int, int, str]]],
    found: dict[str, set[tuple[int, int, str]]],
    work: Path,
    show: bool,
) -> None:
    snapshot = snapshot_of(path)
    profile = profile_snapshot(snapshot, work / "scratch", NOW)
    true: dict[str, set[Cell]] = defaultdict(set)
    pointed_cells: dict[str, set[Cell]] = defaultdict(set)
    for entry in truth.entries:
        true[str(entry["kind"])].add((int(str(entry["row"])), str(entry["column"])))
    if profile.unjudged:
        sys.exit(f"not judged: {profile.unjudged}")
    for finding in profile.findings:
        if finding.kind in MEASURED:
            pointed_cells[finding.kind] |= cells_of(finding, snapshot, work)
    # cells of shifted records and header rows are not what a column's findings are measured by
    spoiled = {row for kind in (*OF_RECORDS, "near duplicates") for row, _ in true[kind]}
    for kind in MEASURED:
        mine = {cell for cell in true[kind] if kind in (*OF_RECORDS, "near duplicates") or cell[0] not in spoiled}
        theirs = {
            cell for cell in pointed_cells[kind] if kind in (*OF_RECORDS, "near duplicates") or cell[0] not in spoiled
        }
        wanted[kind] |= {(number, *cell) for cell in mine}
        found[kind] |= {(number, *cell) for cell in theirs}
        if show:
            _explain(kind, mine, theirs, truth, path)


def _explain(kind: str, true: set[Cell], cells: set[Cell], truth: Truth, path: Path) -> None:
    dirty = {(entry["row"], entry["column"]): entry["dirty"] for entry in truth.entries if entry["kind"] == kind}
    lines = path.read_text(encoding="utf-8").split("\n")
    for cell in sorted(true - cells)[:3]:
        print(f"  missed {kind} in {path.name} {cell}: {dirty.get(cell)!r}")
    for cell in sorted(cells - true)[:3]:
        print(f"  wrong {kind} in {path.name} {cell}: {lines[cell[0] + 1][:160]}")


def main(seed: int, tables: int = 8, records: int = 3000, show: bool = False) -> None:
    """Measure one seed; ends with 1 when a kind misses the mark."""
    sys.exit(1 if measure(seed, tables, records, show) else 0)
