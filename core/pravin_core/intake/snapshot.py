"""The snapshot: a delivery as Parquet files of text with record number, source file and line.

A pure function of the source bytes and the import settings; may be deleted and made again at any time.
"""

from __future__ import annotations

import hashlib
import io
import json
import shutil
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import ClassVar

import pyarrow as pa
import pyarrow.parquet as pq

from pravin_core.engines.duckdb import Limits, connect
from pravin_core.errors import IntakeError
from pravin_core.intake.detect import Detected, detect
from pravin_core.intake.encoding import EncodingGuess, detect_encoding
from pravin_core.intake.lanes import read_fast, scan
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.intake.tolerant import read_pieces
from pravin_core.tables.columns import FILE, LINE, RECORD
from pravin_core.tables.folders import made_whole

VERSION = 1  # raise when the content of a snapshot changes for the same input
_BATCH = 20_000
_HEAD = 2**18


@dataclass(frozen=True)
class SourceFile:
    """One file to read: its name as delivered, where its bytes are, and how to read them."""

    name: str
    path: Path
    settings: FileSettings


@dataclass(frozen=True)
class FileCounts:
    """Where the physical lines of a file went: every line is in exactly one count."""

    name: str
    lines: int
    preamble: int
    header: int
    record_lines: int
    records: int
    rejected: int
    lane: str


@dataclass(frozen=True)
class Snapshot:
    """A delivery ready for computing. `columns` in order; `files` in order of delivery."""

    folder: Path
    columns: tuple[str, ...]
    files: tuple[FileCounts, ...]

    @property
    def parts(self) -> list[Path]:
        """The Parquet files of the records, in order."""
        return [self.folder / f"part-{n:04d}.parquet" for n in range(len(self.files))]

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


def head_of(path: Path, encoding: str) -> tuple[str, bool]:
    """The decoded beginning of a file and whether that is all of it."""
    with path.open("rb") as file:
        data = file.read(_HEAD)
        whole = not file.read(1)
    text = data.decode(encoding, errors="surrogateescape" if not encoding.startswith("utf-16") else "replace")
    return text, whole


def settle(path: Path, name: str, request: SettingsRequest, known: Sequence[str] = ()) -> Detected:
    """Complete the import settings of a file from its content. Raises IntakeError when it is no text."""
    if request.encoding:
        guess = EncodingGuess(request.encoding, "chosen by hand")
    else:
        try:
            guess = detect_encoding(path)
        except IntakeError as error:
            raise IntakeError(error.message, advice=error.advice, file=name) from error
    text, whole = head_of(path, guess.name)
    if not text.strip():
        raise IntakeError("The file holds only blank lines.", file=name, advice="Ask for it again.")
    return detect(text.lstrip("\ufeff"), whole, guess, request, known)


def snapshot_key(sources: Sequence[tuple[str, str, FileSettings]]) -> str:
    """The name of a snapshot: a hash of file names, SHA-256 of the bytes and settings, in order."""
    said = json.dumps([VERSION, [(n, s, f.model_dump()) for n, s, f in sources]], sort_keys=True)
    return hashlib.sha256(said.encode()).hexdigest()[:32]


def load_snapshot(folder: Path) -> Snapshot | None:
    """A snapshot made earlier, or None when it is not there."""
    try:
        meta = json.loads((folder / "meta.json").read_text())
    except FileNotFoundError:
        return None
    return Snapshot(folder, tuple(meta["columns"]), tuple(FileCounts(**file) for file in meta["files"]))


def make_snapshot(sources: Sequence[SourceFile], folder: Path, limits: Limits = Limits()) -> Snapshot:
    """Read all files of a delivery into `folder` (whole or not at all) and return the snapshot."""
    if found := load_snapshot(folder):
        return found
    with made_whole(folder, lambda place: load_snapshot(place) is not None) as work:
        columns: dict[str, None] = {}
        counts: list[FileCounts] = []
        with _RejectedFile(work / "rejected.parquet") as rejected:
            for number, source in enumerate(sources):
                first = 1 + sum(file.records for file in counts)
                out = work / f"part-{number:04d}.parquet"
                counts.append(_read_file(source, number, first, out, work, rejected, limits))
                columns.update(dict.fromkeys(source.settings.names))
        _refuse_clashing(list(columns))
        meta = {"columns": list(columns), "files": [asdict(file) for file in counts]}
        (work / "meta.json").write_text(json.dumps(meta, ensure_ascii=False))
        shutil.rmtree(work / "scratch", ignore_errors=True)
    return Snapshot(folder, tuple(columns), tuple(counts))


def _refuse_clashing(columns: list[str]) -> None:
    seen: dict[str, str] = {}
    for name in columns:
        if other := seen.get(name.casefold()):
            raise IntakeError(
                f"Two files name a column {other!r} and {name!r}, which differ in letter case only.",
                advice="Name the columns alike in the import settings of one of the files.",
            )
        seen[name.casefold()] = name


def _read_file(
    source: SourceFile, number: int, first: int, out: Path, work: Path, rejected: _RejectedFile, limits: Limits
) -> FileCounts:
    settings = source.settings
    seen = scan(source.path, settings)
    with connect([source.path.parent, work], work / "scratch", limits) as con:
        records = read_fast(con, source.path, settings, seen, first, number, out)
    if records is not None:
        above = min(seen.lines, settings.skip_lines)
        return FileCounts(source.name, seen.lines, above, int(settings.header), records, records, 0, "fast")
    return _read_tolerant(source, number, first, out, rejected)


def _read_tolerant(source: SourceFile, number: int, first: int, out: Path, rejected: _RejectedFile) -> FileCounts:
    settings, width = source.settings, len(source.settings.names)
    fields: dict[str, pa.DataType] = {RECORD: pa.int64(), FILE: pa.int16(), LINE: pa.int64()}
    schema = pa.schema(fields | {name: pa.string() for name in settings.names})
    tally = dict.fromkeys(("preamble", "header", "record", "rejected"), 0)
    records, lines, batch = 0, [], []
    batch_size = max(100, min(_BATCH, 2_000_000 // width))
    with pq.ParquetWriter(out, schema) as writer, _text_lines(source) as text:
        for piece in read_pieces(text, settings):
            tally[piece.fate] += piece.lines
            if piece.fate == "record":
                batch.append(piece.cells)
                lines.append(piece.line)
                if len(batch) == batch_size:
                    records += _write(writer, schema, batch, lines, first + records, number)
                    batch, lines = [], []
            elif piece.fate == "rejected":
                rejected.add(number, piece.line, piece.text, piece.reason)
        records += _write(writer, schema, batch, lines, first + records, number)
    total = sum(tally.values())
    return FileCounts(
        source.name, total, tally["preamble"], tally["header"], tally["record"], records, tally["rejected"], "tolerant"
    )


def _text_lines(source: SourceFile) -> io.TextIOWrapper:
    """Lines of text with their ends as they are; undecodable bytes kept as surrogate escapes."""
    errors = "replace" if source.settings.encoding.startswith(("utf-16", "utf-32")) else "surrogateescape"
    encoding = "utf-8-sig" if source.settings.encoding == "utf-8" else source.settings.encoding
    return open(source.path, encoding=encoding, errors=errors, newline="")  # type: ignore[return-value]


def _write(
    writer: pq.ParquetWriter, schema: pa.Schema, batch: list[tuple[str, ...]], lines: list[int], first: int, number: int
) -> int:
    count = len(batch)
    columns: Iterator[tuple[str, ...]] = zip(*batch, strict=True) if batch else iter([()] * (len(schema) - 3))
    arrays = [
        pa.array(range(first, first + count), pa.int64()),
        pa.array([number] * count, pa.int16()),
        pa.array(lines, pa.int64()),
        *(pa.array(cells, pa.string()) for cells in columns),
    ]
    writer.write_batch(pa.record_batch(arrays, schema=schema))
    return count


class _RejectedFile:
    """Collects rejected lines into a Parquet file, a batch at a time."""

    _fields: ClassVar[dict[str, pa.DataType]] = {
        "file": pa.int16(),
        "line": pa.int64(),
        "text": pa.string(),
        "reason": pa.string(),
    }
    _schema = pa.schema(_fields)

    def __init__(self, path: Path) -> None:
        self._writer = pq.ParquetWriter(path, self._schema)
        self._rows: list[tuple[int, int, str, str]] = []

    def add(self, file: int, line: int, text: str, reason: str) -> None:
        shown = text.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
        self._rows.append((file, line, shown, reason))
        if len(self._rows) >= _BATCH:
            self._flush()

    def _flush(self) -> None:
        columns = list(zip(*self._rows, strict=True)) or [()] * 4
        arrays = [pa.array(cells, field.type) for cells, field in zip(columns, self._schema, strict=True)]
        self._writer.write_batch(pa.record_batch(arrays, schema=self._schema))
        self._rows = []

    def __enter__(self) -> _RejectedFile:
        return self

    def __exit__(self, *_: object) -> None:
        self._flush()
        self._writer.close()
