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
from pravin_core.stopping import go_on
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


def read_lines(path: Path, settings: FileSettings, source: str, origin: tuple[int, int], out: Path) -> FastRead | None:
    """Write a file's records as Parquet to `out`; None when the file does not fit this lane.

    `path` is UTF-8 without a byte order mark; `source` the name of the file; `origin` the number of the first record
    and the source's place in the delivery. Raises IntakeError for a line that is too long to be one of a table.
    """
    writer = _Writer(settings, source, origin, out)
    end = _line_end(path)
    if settings.line_end not in ("any", end.decode()):
        return None
    ahead: deque[Future[tuple[int, Any]]] = deque()
    with ThreadPoolExecutor(PARSERS) as pool:
        try:
            for lines in _chunks(path, settings, source, end):
                ahead.append(pool.submit(_parsed, lines, settings, end))
                if len(ahead) > AHEAD:
                    writer.add(*ahead.popleft().result())
            while ahead:
                writer.add(*ahead.popleft().result())
        except (NotPlain, pa.ArrowInvalid):
            writer.close()
            return None
    writer.close()
    return writer.found() if writer.records else None


def _line_end(path: Path) -> bytes:
    """The end of the first line, which must be that of all."""
    with path.open("rb") as file:
        return b"\r\n" if file.readline(LONGEST_LINE + 1).endswith(b"\r\n") else b"\n"


def _chunks(path: Path, settings: FileSettings, source: str, end: bytes) -> Iterator[bytes]:
    """The lines below the header, whole ones, in chunks. Raises NotPlain where one above does not belong here."""
    done = 0
    with path.open("rb") as file:
        for _ in range(settings.skip_lines + settings.header_rows):
            line = file.readline(LONGEST_LINE + 1)
            if len(line) > LONGEST_LINE:
                raise too_long(source, done + 1)
            if not line.endswith(b"\n"):
                raise NotPlain
            _count(line, end)
            done += 1
        rest = b""
        while data := file.read(CHUNK):
            go_on()
            whole, result, more = data.rpartition(b"\n")
            if result:
                lines, rest = rest + whole + result, more
                yield lines
                done += lines.count(b"\n")
            else:
                rest += data
            if len(rest) > LONGEST_LINE:
                raise too_long(source, done + 1)
        if rest:
            yield rest + end


def _count(lines: bytes, end: bytes) -> int:
    """The number of whole lines; raises NotPlain where one ends otherwise, holds a zero byte or is no UTF-8."""
    newlines, returns = lines.count(b"\n"), lines.count(b"\r")
    expected = newlines if end == b"\r\n" else 0
    if returns != expected or (returns and lines.count(end) != returns) or b"\0" in lines:
        raise NotPlain
    if not lines.isascii():
        try:
            codecs.decode(lines, "utf-8")
        except UnicodeDecodeError as error:
            raise NotPlain from error
    return newlines


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


def _parsed(lines: bytes, settings: FileSettings, end: bytes) -> tuple[int, Any]:
    """How many lines there are and what they hold; raises NotPlain or ArrowInvalid for what does not belong here."""
    count, quote = _count(lines, end), settings.quote.encode()
    quoted = bool(quote) and quote in lines
    if quoted and not _enclosing(lines, quote, settings.delimiter.encode()):
        raise NotPlain
    names = [*settings.names, *([TRAILING] if settings.trailing_delimiter else [])]
    table = csv.read_csv(
        pa.BufferReader(lines),
        read_options=csv.ReadOptions(use_threads=False, block_size=len(lines) + 1, column_names=names),
        parse_options=csv.ParseOptions(
            delimiter=settings.delimiter, quote_char=settings.quote if quoted else False, ignore_empty_lines=True
        ),
        convert_options=csv.ConvertOptions(
            column_types=dict.fromkeys(names, pa.string()), strings_can_be_null=False, check_utf8=False
        ),
    )
    if table.num_rows != count:  # blank lines
        raise NotPlain
    if settings.trailing_delimiter and pc.any(pc.not_equal(table[TRAILING], "")).as_py():
        raise NotPlain
    return count, table


class _Writer:
    """Numbers the records and writes them, a chunk at a time."""

    def __init__(self, settings: FileSettings, source: str, origin: tuple[int, int], out: Path) -> None:
        self._settings, self._out = settings, out
        self._first, self._place = origin
        self._constants = {**settings.facts, **({settings.source_column: source} if settings.source_column else {})}
        self._file: Any = None
        self.lines = settings.skip_lines + settings.header_rows
        self.records = self.header_lines = 0

    def add(self, lines: int, table: Any) -> None:
        """Write the records of a chunk of so many lines."""
        numbers = np.arange(self.lines + 1, self.lines + lines + 1)
        self.lines += lines
        if self._settings.repeated_header:
            kept = pc.invert(self._heads(table))
            table, numbers = table.filter(kept), numbers[kept.to_numpy(zero_copy_only=False)]
            self.header_lines += lines - table.num_rows
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
        new_table = pa.table(columns)
        if self._file is None:
            self._file = parquet.ParquetWriter(
                self._out, new_table.schema, use_dictionary=_repeating(new_table), write_statistics=[RECORD, FILE, LINE],
                store_schema=False,
            )  # fmt: skip
        self._file.write_table(new_table, row_group_size=ROW_GROUP)
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
        return FastRead(self.lines, self.records, self.header_lines)


def _repeating(table: Any) -> list[str]:
    """The columns whose values repeat so much that a dictionary makes them smaller and faster to read."""
    most = REPEATING * table.num_rows
    return [name for name in table.column_names if pc.count_distinct(table[name]).as_py() <= most]
