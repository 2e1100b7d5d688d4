"""The snapshot: a delivery as Parquet files of text with record number, source and line.

A pure function of the source bytes, the import settings and the repairs; may be deleted and made again at any time.
"""

from __future__ import annotations

import hashlib
import json
import shutil
from collections import Counter
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
from pydantic import BaseModel, ConfigDict, Field

from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect
from pravin_core.errors import IntakeError, NoMemory
from pravin_core.intake.formats.base import (
    COMMENT,
    HEADER,
    PREAMBLE,
    RECORD,
    REJECTED,
    REPEATED,
    TOTALS,
    Detected,
    FastRead,
    LineOutcome,
    Place,
)
from pravin_core.intake.formats.registry import reader_of, recognise
from pravin_core.intake.repairs import Repair, RepairedLine, repair_lines
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.intake.writing import RecordsFile, RejectedFile
from pravin_core.tables.folders import made_whole

READING = "400MB"  # of memory for the engine while it reads text: more makes it no faster
VERSION = 2  # raise when the content of a snapshot changes for the same input


@dataclass(frozen=True)
class SourceFile:
    """One table to read: the name of its source for people, where the bytes are, which table, and how to read it."""

    name: str
    path: Path
    settings: FileSettings
    table: str = ""

    @property
    def place(self) -> Place:
        return Place(self.name, self.path, self.table)


class FileCounts(BaseModel):
    """Where the physical lines (rows, elements) of a source went: every one is in exactly one count.

    `records` counts those with `repaired` ones, `totals_cells` are the cells of the totals line.
    """

    model_config = ConfigDict(frozen=True)

    name: str
    lines: int
    preamble: int = 0
    header: int = 0
    record_lines: int
    records: int
    rejected: int = 0
    lane: str
    comments: int = 0
    repeated: int = 0
    totals: int = 0
    repaired: int = 0
    unit: str = "line"
    totals_cells: tuple[str | None, ...] = Field(default=())


@dataclass(frozen=True)
class Snapshot:
    """A delivery ready for computing. `columns` in order; `files` (its sources) in order of delivery. With `lacks` some
    of the columns are agreed but filled by no source.
    """

    folder: Path
    columns: tuple[str, ...]
    files: tuple[FileCounts, ...]
    lacks: bool = False

    @property
    def parts(self) -> list[Path]:
        """The Parquet files of the records, in order; those that were repaired come last."""
        repaired = [number for number, file in enumerate(self.files) if file.repaired]
        own = [part_of(self.folder, n) for n in range(len(self.files))] + [_repaired(self.folder, n) for n in repaired]
        return own + [_lacking(self.folder)] * self.lacks

    def parts_of(self, number: int) -> list[Path]:
        """The Parquet files of the records of one source, by its place in the delivery."""
        return [part_of(self.folder, number)] + [_repaired(self.folder, number)] * bool(self.files[number].repaired)

    @property
    def rejected_path(self) -> Path:
        """The Parquet file of the rejected lines: file, line, text, reason."""
        return self.folder / "rejected.parquet"

    @property
    def records(self) -> int:
        return sum(file.records for file in self.files)

    @property
    def rejected(self) -> int:
        return sum(file.rejected for file in self.files)


def settle(
    path: Path, name: str, request: SettingsRequest, known: Sequence[str] = (), place: Place | None = None
) -> Detected:
    """Complete the import settings of a source from its content. Raises IntakeError when it is no table.

    `known`: the columns agreed for the feed. `place` says more than path and name: the table, the encoding.
    """
    place = place or Place(name, path)
    reader, why = recognise(place, request)
    detected = reader.settle(place, request, known)
    return Detected(
        detected.settings, {"format": why, **detected.evidence}, detected.notes, detected.rivals, detected.doubts
    )


def snapshot_key(
    sources: Sequence[tuple[str, str, FileSettings]], order: Sequence[str] = (), repairs: Sequence[Repair] = ()
) -> str:
    """The name of a snapshot: a hash of source names, SHA-256 of the bytes and settings, in order, and the repairs."""
    files = [(name, digest, settings.model_dump()) for name, digest, settings in sources]
    serialized = json.dumps([VERSION, files, list(order), [asdict(repair) for repair in repairs]], sort_keys=True)
    return hashlib.sha256(serialized.encode()).hexdigest()[:32]


def load_snapshot(folder: Path) -> Snapshot | None:
    """A snapshot made earlier, or None when it is not there."""
    try:
        meta = json.loads((folder / "meta.json").read_text())
    except FileNotFoundError:
        return None
    return Snapshot(
        folder, tuple(meta["columns"]), tuple(FileCounts(**file) for file in meta["files"]), meta.get("lacks", False)
    )


def make_snapshot(
    sources: Sequence[SourceFile],
    folder: Path,
    limits: Limits = Limits(),
    order: Sequence[str] = (),
    repairs: Sequence[Repair] = (),
) -> Snapshot:
    """Read all sources of a delivery into `folder` (whole or not at all) and return the snapshot.

    The table's columns come in the given `order`, then in that of the sources. Repaired lines become the last
    records, so that the numbers of the others do not change.
    """
    if snapshot := load_snapshot(folder):
        return snapshot
    with made_whole(folder, lambda place: load_snapshot(place) is not None) as work:
        columns = table_columns([source.settings for source in sources], order)
        repaired_lines = repair_lines(repairs, [source.settings for source in sources])
        readings: list[_Reading] = []
        with RejectedFile(work / "rejected.parquet") as rejected:
            first = 1
            for number, source in enumerate(sources):
                own = [repaired for repaired in repaired_lines if repaired.repair.source == number]
                reading = _Reading(source, (first, number), work, limits, own)
                reading.read(rejected)
                first += reading.counts.records
                readings.append(reading)
        for reading in readings:
            first += reading.write_repaired(first)
        counts = [reading.counts for reading in readings]
        lacking = lacking_columns([source.settings for source in sources], columns)
        if lacking:
            pq.write_table(pa.table({name: pa.array([], pa.string()) for name in lacking}), _lacking(work))
        meta = {"columns": list(columns), "files": [file.model_dump() for file in counts], "lacks": bool(lacking)}
        (work / "meta.json").write_text(json.dumps(meta, ensure_ascii=False))
        shutil.rmtree(work / "scratch", ignore_errors=True)
    return Snapshot(folder, tuple(columns), tuple(counts), bool(lacking))


def table_columns(settings: Sequence[FileSettings], order: Sequence[str] = ()) -> list[str]:
    """The columns of the table that sources make: those of the given order, filled or not, then theirs.

    Raises IntakeError when two differ in letter case only, or none is kept.
    """
    filled = dict.fromkeys(name for setting in settings for name in setting.fills)
    seen: dict[str, str] = {}
    for name in filled:
        if other := seen.get(name.casefold()):
            raise IntakeError(
                f"Two sources name a column {other!r} and {name!r}, which differ in letter case only.",
                advice="Name the columns alike: match one with the other in Intake.",
            )
        seen[name.casefold()] = name
    if not filled:
        raise IntakeError("No column is kept.", advice="Keep at least one column in the import settings.")
    first = [name for name in order if name in filled or name.casefold() not in seen]
    return list(dict.fromkeys([*first, *filled]))


def lacking_columns(settings: Sequence[FileSettings], columns: Sequence[str]) -> list[str]:
    """Those of the table's columns that no source fills: they are missing in every record."""
    filled = {name for setting in settings for name in setting.fills}
    return [name for name in columns if name not in filled]


def part_of(folder: Path, number: int) -> Path:
    """Where the records of a source lie in the folder of a snapshot."""
    return folder / f"part-{number:04d}.parquet"


def _lacking(folder: Path) -> Path:
    """A part without records, for the columns that are agreed and that no source fills."""
    return folder / "lacking.parquet"


def _repaired(folder: Path, number: int) -> Path:
    return folder / f"mended-{number:04d}.parquet"  # what snapshots made before have


class _Reading:
    """Reads one source into its part. `origin`: the number of its first record and its place in the delivery."""

    def __init__(
        self,
        source: SourceFile,
        origin: tuple[int, int],
        work: Path,
        limits: Limits,
        repaired_lines: Sequence[RepairedLine],
    ) -> None:
        self.source, self.origin, self.work, self.limits, self.repaired_lines = (
            source,
            origin,
            work,
            limits,
            repaired_lines,
        )
        self.reader = reader_of(source.settings.format)
        self.counts = FileCounts(name=source.name, lines=0, record_lines=0, records=0, lane="")

    def read(self, rejected: RejectedFile) -> None:
        """By the fast lane if it can, else piece by piece."""
        source, scratch = self.source, self.work / "scratch"
        out = part_of(self.work, self.origin[1])
        fast = None
        for limits in (Limits(READING, self.limits.threads), self.limits):
            try:
                with connect([source.path.parent, self.work], scratch, limits) as con:
                    fast = self.reader.read_fast(con, source.place, source.settings, self.origin, scratch, out)
                break
            except NoMemory:
                continue  # thousands of columns need more
        self.counts = self._of_fast(fast) if fast else self._read_pieces(rejected, out)

    def _of_fast(self, fast: FastRead) -> FileCounts:
        settings = self.source.settings
        return FileCounts(
            name=self.source.name, lines=fast.lines, preamble=settings.skip_lines, header=settings.header_rows,
            record_lines=fast.records, records=fast.records, lane="fast", repeated=fast.repeated,
            totals=int(settings.totals_line), unit=self.reader.unit, totals_cells=fast.totals_cells,
        )  # fmt: skip

    def _read_pieces(self, rejected: RejectedFile, out: Path) -> FileCounts:
        source, (first, number) = self.source, self.origin
        covered = {line for repaired in self.repaired_lines for line in repaired.repair.covered}
        tally: Counter[str] = Counter()
        kept: dict[int, LineOutcome] = {}
        totals: tuple[str | None, ...] = ()
        with RecordsFile(out, source.settings, source.name, first, number) as records:
            for outcome in self.reader.outcomes(source.place, source.settings):
                tally[outcome.status] += outcome.lines
                if outcome.status == RECORD:
                    records.add(outcome.line, outcome.cells)
                elif outcome.status == TOTALS:
                    totals = outcome.cells
                elif outcome.status == REJECTED and outcome.line in covered:
                    kept[outcome.line] = outcome
                elif outcome.status == REJECTED:
                    rejected.add(number, outcome.line, outcome.text, outcome.reason)
        self.repaired_lines = [
            repaired for repaired in self.repaired_lines if all(line in kept for line in repaired.repair.covered)
        ]
        gone = {line for repaired in self.repaired_lines for line in repaired.repair.covered}
        for line in kept.keys() - gone:
            rejected.add(number, line, kept[line].text, kept[line].reason)
        return FileCounts(
            name=source.name, lines=sum(tally.values()), preamble=tally[PREAMBLE], header=tally[HEADER],
            record_lines=tally[RECORD] + len(gone), records=records.records, rejected=tally[REJECTED] - len(gone),
            lane="tolerant", comments=tally[COMMENT], repeated=tally[REPEATED], totals=tally[TOTALS],
            unit=self.reader.unit, totals_cells=totals,
        )  # fmt: skip

    def write_repaired(self, first: int) -> int:
        """Write the records that repairs stand for, numbered from `first`; returns how many."""
        if not self.repaired_lines or self.counts.lane == "fast":
            return 0
        path = _repaired(self.work, self.origin[1])
        with RecordsFile(path, self.source.settings, self.source.name, first, self.origin[1]) as records:
            for repaired in self.repaired_lines:
                records.add(repaired.repair.line, repaired.cells)
        count = len(self.repaired_lines)
        self.counts = self.counts.model_copy(update={"records": self.counts.records + count, "repaired": count})
        return count
