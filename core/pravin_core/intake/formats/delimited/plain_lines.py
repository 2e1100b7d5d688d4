"""The fastest lane: text of one record a line, whose quotation marks, if any, enclose whole fields.

The bytes are read once, in chunks of whole lines: each is looked at for all that does not belong here, parsed by Arrow,
numbered and written as a row group, while the next ones are being parsed. Arrow lets pass what is no well-formed
quotation; so where each mark stands is looked at before.
"""

from __future__ import annotations

import codecs
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow
import pyarrow.compute
import pyarrow.csv
import pyarrow.parquet

from pravin_core.intake.encoding import CHUNK
from pravin_core.intake.formats.base import FastRead
from pravin_core.intake.formats.delimited.lines import LONGEST_LINE, too_long
from pravin_core.intake.settings import FileSettings
from pravin_core.tables.columns import FILE, LINE, RECORD

pa: Any = pyarrow
pc: Any = pyarrow.compute
csv: Any = pyarrow.csv
parquet: Any = pyarrow.parquet

TRAILING = "__trailing"
ROW_GROUP = 100_000
PARSERS = 2
AHEAD = 2
REPEATING = 0.2


class NotPlain(Exception):
    """The file holds something that this lane does not read exactly."""


@dataclass(frozen=True)
class _Lines:
    """Whole lines, how many they are, and whether they hold quotation marks."""

    data: bytes
    count: int
    quoted: bool = False


def read_lines(path: Path, settings: FileSettings, source: str, origin: tuple[int, int], out: Path) -> FastRead | None:
    """Write a file's records as Parquet to `out`; None when the file does not fit this lane.

    `path` is UTF-8 without a byte order mark; `source` the name of the file; `origin` the number of the first record
    and the source's place in the delivery. Raises IntakeError for a line that is too long to be one of a table.
    """
    writer = _Writer(settings, source, origin, out)
    ahead: deque[tuple[_Lines, Future[Any]]] = deque()
    with ThreadPoolExecutor(PARSERS) as pool:
        try:
            for lines in _chunks(path, settings, source):
                ahead.append((lines, pool.submit(_parsed, lines, settings)))
                if len(ahead) > AHEAD:
                    writer.add(*_result(ahead))
            while ahead:
                writer.add(*_result(ahead))
        except (NotPlain, pa.ArrowInvalid):
            writer.close()
            return None
    writer.close()
    return writer.found() if writer.records else None


def _result(ahead: deque[tuple[_Lines, Future[Any]]]) -> tuple[_Lines, Any]:
    lines, table = ahead.popleft()
    return lines, table.result()


def _chunks(path: Path, settings: FileSettings, source: str) -> Iterator[_Lines]:
    """The lines below the header in chunks. Raises NotPlain where one is found that does not belong here."""
    seen, done = _Seen(settings), 0
    with path.open("rb") as file:
        for _ in range(settings.skip_lines + settings.header_rows):
            line = file.readline(LONGEST_LINE + 1)
            if len(line) > LONGEST_LINE:
                raise too_long(source, done + 1)
            if not line.endswith(b"\n"):
                raise NotPlain
            seen.look(line, above=True)
            done += 1
        rest = b""
        while data := file.read(CHUNK):
            whole, end, more = data.rpartition(b"\n")
            if not end:
                rest += data
                if len(rest) > LONGEST_LINE:
                    raise too_long(source, done + 1)
                continue
            lines = rest + whole + end
            rest = more
            yield seen.look(lines)
            done += lines.count(b"\n")
        if rest:
            yield seen.look(rest + (b"\r\n" if seen.pairs else b"\n"))


class _Seen:
    """What was seen of the line ends so far: there must be one kind only, the one that was said."""

    def __init__(self, settings: FileSettings) -> None:
        self.quote, self.mark, self.wanted = settings.quote.encode(), settings.delimiter.encode(), settings.line_end
        self.newlines = self.pairs = 0

    def look(self, lines: bytes, above: bool = False) -> _Lines:
        """Count whole lines; raises NotPlain for what does not belong here. `above` the records marks may stand."""
        newlines, returns = lines.count(b"\n"), lines.count(b"\r")
        self.newlines += newlines
        self.pairs += returns
        alike = self.pairs in (0, self.newlines) and (not returns or lines.count(b"\r\n") == returns)
        said = self.wanted in ("any", "\r\n" if self.pairs else "\n")
        quoted = bool(self.quote) and self.quote in lines and not above
        if not alike or not said or b"\0" in lines or (quoted and not _enclosing(lines, self.quote, self.mark)):
            raise NotPlain
        if not lines.isascii():
            try:
                codecs.decode(lines, "utf-8")
            except UnicodeDecodeError as error:
                raise NotPlain from error
        return _Lines(lines, newlines, quoted)


def _enclosing(lines: bytes, quote: bytes, mark: bytes) -> bool:
    """Whether the quotation marks of whole lines enclose fields, those within a field being doubled.

    Taken in turn they open and close; one that opens stands at the beginning of a field or right after one that closes
    (which is a doubled one), one that closes at the end of a field or right before one that opens.
    """
    data = np.frombuffer(lines, dtype=np.uint8)
    at = np.flatnonzero(data == quote[0])
    opens, closes = at[::2], at[1::2]
    if len(opens) != len(closes):
        return False
    ends = np.array([mark[0], ord("\n"), ord("\r")], dtype=np.uint8)
    before = np.where(opens == 0, ord("\n"), data[opens - 1])
    begins_field = np.isin(before, ends[:2]) | np.concatenate([[False], opens[1:] - closes[:-1] == 1])
    ends_field = np.isin(data[closes + 1], ends) | np.concatenate([opens[1:] - closes[:-1] == 1, [False]])
    line_ends = np.flatnonzero(data == ord("\n"))
    in_one_line = np.searchsorted(line_ends, opens) == np.searchsorted(line_ends, closes)
    return bool((begins_field & ends_field & in_one_line).all())


def _parsed(lines: _Lines, settings: FileSettings) -> Any:
    names = [*settings.names, *([TRAILING] if settings.trailing_delimiter else [])]
    table = csv.read_csv(
        pa.BufferReader(lines.data),
        read_options=csv.ReadOptions(use_threads=False, block_size=len(lines.data) + 1, column_names=names),
        parse_options=csv.ParseOptions(
            delimiter=settings.delimiter, quote_char=settings.quote if lines.quoted else False
        ),
        convert_options=csv.ConvertOptions(
            column_types=dict.fromkeys(names, pa.string()), strings_can_be_null=False, check_utf8=False
        ),
    )
    if table.num_rows != lines.count:  # blank lines
        raise NotPlain
    if settings.trailing_delimiter and pc.any(pc.not_equal(table[TRAILING], "")).as_py():
        raise NotPlain
    return table


class _Writer:
    """Numbers the records and writes them, a chunk at a time."""

    def __init__(self, settings: FileSettings, source: str, origin: tuple[int, int], out: Path) -> None:
        self._settings, self._out = settings, out
        self._first, self._place = origin
        self._constants = {**settings.facts, **({settings.source_column: source} if settings.source_column else {})}
        self._file: Any = None
        self.lines = settings.skip_lines + settings.header_rows
        self.records = self.heads = 0

    def add(self, lines: _Lines, table: Any) -> None:
        """Write the records of a chunk."""
        numbers = np.arange(self.lines + 1, self.lines + lines.count + 1)
        self.lines += lines.count
        if self._settings.repeated_header:
            kept = pc.invert(self._heads(table))
            table, numbers = table.filter(kept), numbers[kept.to_numpy(zero_copy_only=False)]
            self.heads += lines.count - table.num_rows
        count = table.num_rows
        first = self._first + self.records
        columns = {
            RECORD: pa.array(np.arange(first, first + count)),
            FILE: pa.array(np.full(count, self._place, dtype=np.int16)),
            LINE: pa.array(numbers),
        }
        for name, target in zip(self._settings.names, self._settings.columns, strict=True):
            if target is not None:
                columns[target] = table[name]
        columns |= {name: pa.repeat(pa.scalar(value), count) for name, value in self._constants.items()}
        made = pa.table(columns)
        if self._file is None:
            self._file = parquet.ParquetWriter(
                self._out, made.schema, use_dictionary=_repeating(made), write_statistics=[RECORD, FILE, LINE],
                store_schema=False,
            )  # fmt: skip
        self._file.write_table(made, row_group_size=ROW_GROUP)
        self.records += count

    def _heads(self, table: Any) -> Any:
        """Which rows are the header once more."""
        same = pa.repeat(pa.scalar(True), table.num_rows)
        for name in self._settings.names:
            if not pc.any(same).as_py():
                break
            same = pc.and_(same, pc.equal(table[name].combine_chunks(), name))
        return same

    def close(self) -> None:
        """End the file."""
        if self._file is not None:
            self._file.close()
        pa.default_memory_pool().release_unused()

    def found(self) -> FastRead:
        """What was read."""
        return FastRead(self.lines, self.records, self.heads)


def _repeating(table: Any) -> list[str]:
    """The columns whose values repeat so much that a dictionary makes them smaller and faster to read."""
    most = REPEATING * table.num_rows
    return [name for name in table.column_names if pc.count_distinct(table[name]).as_py() <= most]
