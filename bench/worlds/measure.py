"""Findings on the further worlds: recall and precision by kind, counts against doors, what blind acceptance does."""

from __future__ import annotations

import sys
import tempfile
from collections import Counter, defaultdict
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq

from bench.findings import NOW, records_behind, snapshot_of
from bench.worlds.fields import Field
from bench.worlds.scenes import WORLDS
from bench.worlds.spoiling import LOST, OPAQUE, write
from bench.worlds.spoiling.records import TWIN
from demo.spoil import Truth
from pravin_core.errors import RulebookError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.model import Finding, Profile
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.rules.registry import KINDS
from pravin_core.rules.rulebook import Rulebook, as_rulebook
from pravin_core.runs.runner import result_parts, run_rulebook

Cell = tuple[str, int, str]  # table, row from 0, column
GRAVE = ("high", "middle")
ALSO = {  # what is seen by either of two
    "dates of a record out of order": ("duration that does not hold",),
    "nearly alike records": ("duplicate records", "near duplicates"),
    "does not fit its type": ("serial number for a date", "year of five digits", "two-digit year"),
    "spike in a series": ("outlier in its group", "outliers"),
    "outlier in its group": ("spike in a series", "outliers"),
    "unit does not fit the magnitude": ("outlier in its group", "outliers", "scale slip"),
    "moment repeated in a series": ("duplicate records", "nearly alike records"),
    "swapped columns": ("dependent columns disagree", "breaks the form of its column"),
}
ANSWERS = ("repaired", "answered", "set aside", "left", "misrepaired")


class Tally:
    """What was spoiled, pointed at and done, over all tables."""

    def __init__(self) -> None:
        self.true: dict[str, set[Cell]] = defaultdict(set)
        self.pointed: dict[str, set[Cell]] = defaultdict(set)
        self.wrong_doors: list[str] = []
        self.done: dict[str, Counter[str]] = defaultdict(Counter)  # by kind of fault
        self.repairable: Counter[str] = Counter()  # where what was there can be told
        self.good: Counter[str] = Counter()
        self.clean: Counter[str] = Counter()
        self.clean_columns = 0


def main(seed: int, seeds: int = 3, rows: int = 2000, show: bool = False) -> None:
    """Measure some seeds of every world; ends with 1 when a mark is missed."""
    tally = Tally()
    with tempfile.TemporaryDirectory(prefix="pravin-worlds-") as place:
        for world in WORLDS:
            for number in range(seed, seed + seeds):
                _spoiled(Path(place), world, number, rows, tally, show)
                _clean(Path(place), world, number, rows, tally, show)
    sys.exit(1 if _report(tally) else 0)


def _profile(path: Path, place: Path) -> tuple[Snapshot, Profile]:
    snapshot = snapshot_of(path)
    profile = profile_snapshot(snapshot, place / "scratch", NOW)
    if profile.unjudged:
        sys.exit(f"not judged: {profile.unjudged}")
    return snapshot, profile


def _spoiled(place: Path, world: str, seed: int, rows: int, tally: Tally, show: bool) -> None:
    path, truth, columns = write(place, world, seed, rows, spoiled=True)
    snapshot, profile = _profile(path, place)
    table = path.name
    for entry in truth.entries:
        tally.true[str(entry["kind"])].add((table, int(str(entry["row"])), str(entry["column"])))
    spoiled = set().union(*tally.true.values())
    for finding in profile.findings:
        if not finding.filters:
            continue
        records = records_behind(snapshot, finding.filters, place / "scratch")
        if len(records) != (finding.opens if finding.opens is not None else finding.count):
            tally.wrong_doors.append(
                f"{table} {finding.kind} {finding.columns}: says {finding.count}, opens {len(records)}"
            )
        tally.pointed[finding.kind] |= _pointed(table, finding, records, spoiled)
    if show:
        _explain(table, truth, profile, tally)
    _accepted(snapshot, profile, truth, columns, place / f"{table}-run", tally, show)


def _pointed(table: str, finding: Finding, records: set[int], spoiled: set[Cell]) -> set[Cell]:
    """The cells that a finding points at; of one about several columns, in each record those that were spoiled, or the first
    where none was.
    """
    cells: set[Cell] = set()
    by_row: dict[int, set[Cell]] = defaultdict(set)
    for cell in spoiled:
        if cell[0] == table:
            by_row[cell[1]].add(cell)
    for record in records:
        if len(finding.columns) == 1:
            cells.add((table, record - 1, finding.columns[0]))
            continue
        own = {cell for cell in by_row[record - 1] if not finding.columns or cell[2] in finding.columns}
        cells |= own or {(table, record - 1, "")}
    return cells


def _explain(table: str, truth: Truth, profile: Profile, tally: Tally) -> None:
    noticed = set().union(*tally.pointed.values())
    missed: dict[tuple[str, str], list[str]] = defaultdict(list)
    for entry in truth.entries:
        if (table, entry["row"], entry["column"]) not in noticed:
            missed[str(entry["kind"]), str(entry["column"])].append(str(entry["dirty"]))
    for (kind, column), cells in missed.items():
        print(f"  unnoticed in {table}: {len(cells)} x {kind} in {column}: {cells[:4]}")


def _clean(place: Path, world: str, seed: int, rows: int, tally: Tally, show: bool) -> None:
    path, _, columns = write(place, world, seed, rows, spoiled=False)
    _, profile = _profile(path, place)
    tally.clean_columns += len(columns)
    for finding in profile.findings:
        if finding.severity in GRAVE:
            tally.clean[finding.kind] += 1
            if show:
                print(f"  clean {path.name}: {finding.kind} {finding.columns}: {finding.says}")


def _rules(findings: list[Finding]) -> Rulebook:
    """The proposed rules as the application puts them: what repairs text before what reads types, checks last."""
    rules = [{**finding.rule, "id": f"f{at}"} for at, finding in enumerate(findings) if finding.rule]
    rules.sort(key=lambda rule: (KINDS[rule["kind"]].is_check, KINDS[rule["kind"]].reads_types))
    return as_rulebook({"rules": rules})


def _accepted(
    snapshot: Snapshot, profile: Profile, truth: Truth, columns: list[Field], out: Path, tally: Tally, show: bool
) -> None:
    """Accept every grave proposal blindly, run, and compare each cell with what it was before it was spoiled."""
    grave = [finding for finding in profile.findings if finding.severity in GRAVE]
    try:
        run_rulebook(snapshot, _rules(grave), out)
    except RulebookError as error:
        tally.wrong_doors.append(f"{out.name}: the proposals do not run together: {error.message}")
        return
    original = {(int(str(entry["row"])), str(entry["column"])): entry for entry in truth.entries}
    dirty_rows = {row for row, _ in original}
    rows: list[dict[str, Any]] = [row for part in result_parts(out) for row in pq.read_table(part).to_pylist()]
    damaged: Counter[str] = Counter()
    for row in rows:
        at = row["__record"] - 1
        set_aside = row["__state"] in ("quarantined", "removed")
        for column in columns:
            now, entry = row.get(column.name), original.get((at, column.name))
            if entry is not None and entry["kind"] != TWIN:
                answer = _answer(now, set_aside, str(entry["clean"]), column.cells[at])
                tally.done[str(entry["kind"])][answer] += 1
                if entry["clean"] != LOST:
                    tally.repairable[answer] += 1
            elif not _same(now, column.cells[at]) or (set_aside and at not in dirty_rows):
                tally.good["damaged"] += 1
                damaged[column.name] += 1
            else:
                tally.good["good"] += 1
    if show and damaged:
        print(f"  damaged in {out.name}: {dict(damaged)}; rules {[(f.kind, f.rule) for f in grave if f.rule][:12]}")


def _answer(now: Any, held: bool, was: str, dirty: str) -> str:
    """What became of a spoiled cell: as it was; empty or held back, where nothing can tell what it was (or else "set aside");
    left as it came; or made something else.
    """
    if was != LOST and not held and _same(now, was):
        return "repaired"
    if held or now is None:
        return "answered" if was == LOST else "set aside"
    return "left" if was == LOST or _same(now, dirty) else "misrepaired"


def _same(now: Any, was: str) -> bool:
    """Whether a cell is what it was: as text, or as the number or day that the text is."""
    if now is None:
        return was == ""
    if str(now) == was:
        return True
    try:
        return abs(float(str(now).replace(",", ".")) - float(was.replace(",", "."))) < 1e-9 * max(
            1, abs(float(was.replace(",", ".")))
        )
    except ValueError:
        return (
            str(now)[:10] in was or sorted(filter(str.isdigit, str(now)[:10])) == sorted(filter(str.isdigit, was)) != []
        )


def _report(tally: Tally) -> int:
    every = set().union(*tally.true.values())
    noticed = set().union(*tally.pointed.values())
    missed = 0
    print(f"{'':34}{'cells':>8}{'recall':>9}{'precision':>11}{''.join(f'{state:>13}' for state in ANSWERS)}")
    for kind in sorted(tally.true.keys() - {TWIN, OPAQUE}):
        true, pointed = tally.true[kind], tally.pointed[kind]
        seen = pointed.union(*(tally.pointed[other] for other in ALSO.get(kind, ())))
        recall = len(true & seen) / (len(true) or 1)
        precision = len(every & pointed) / (len(pointed) or 1)
        done = tally.done[kind]
        shares = "".join(f"{done[state] / (done.total() or 1):>13.3f}" for state in ANSWERS)
        bad = recall < 0.95 or precision < 0.9
        missed += bad
        print(f"{kind:34}{len(true):>8,}{recall:>9.3f}{precision:>11.3f}{shares}{'   misses the mark' if bad else ''}")
    if opaque := tally.true.get(OPAQUE):
        print(f"{len(opaque):,} cells that no good value tells, noticed {len(opaque & noticed):,}")
    spoiled = every - tally.true[TWIN]
    print(f"noticed in all: {len(spoiled & noticed) / len(spoiled):.3f} of {len(spoiled):,} spoiled cells")
    done = sum(tally.done.values(), Counter())
    parts = ", ".join(f"{state} {done[state] / done.total():.3f}" for state in ANSWERS)
    print(
        f"every grave proposal accepted: {parts}; good cells damaged {tally.good['damaged']:,} of {tally.good.total():,}"
    )
    able = ", ".join(
        f"{state} {tally.repairable[state] / tally.repairable.total():.3f}" for state in ANSWERS if state != "answered"
    )
    print(f"where the value can be told, {tally.repairable.total():,} cells: {able}")
    per = 20 * sum(tally.clean.values()) / tally.clean_columns
    print(f"clean tables: {per:.2f} grave findings in 20 columns: {dict(tally.clean)}")
    for line in tally.wrong_doors[:20]:
        print(f"count and door differ: {line}")
    return missed + (per >= 0.5) + bool(tally.wrong_doors)
