"""The tolerant lane: any delimited text, line by line, nothing lost.

What does not fit becomes rejected lines with the raw text and the reason, and reading goes on at the next line
that reads as a whole record by itself, so that one broken quotation mark cannot swallow the rest of a file.
"""

from __future__ import annotations

import csv
from collections import deque
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from pravin_core.intake.detect import quoting
from pravin_core.intake.settings import FileSettings

LONGEST_RECORD = 1000  # lines; a quoted field that runs on for longer is taken for a broken quotation mark
FIELD_LIMIT = 16 * 2**20


@dataclass(frozen=True)
class Piece:
    """What a line or several lines of a file turned out to be.

    `fate` is preamble, header, record or rejected; `line` the first physical line, from 1; `text` the raw text
    without the last line end (given for all but records).
    """

    fate: str
    line: int
    lines: int
    text: str = ""
    cells: tuple[str, ...] = ()
    reason: str = ""


class _Source:
    """Physical lines with their numbers, some of which can be put back."""

    def __init__(self, lines: Iterable[str]) -> None:
        self._lines = iter(lines)
        self._back: deque[str] = deque()
        self.taken: list[str] = []
        self.line = 1  # number of the first line in `taken`
        self.last_reached = False

    def __iter__(self) -> Iterator[str]:
        return self

    def __next__(self) -> str:
        if len(self.taken) >= LONGEST_RECORD:
            raise StopIteration
        if self._back:
            line = self._back.popleft()
        else:
            try:
                line = next(self._lines)
            except StopIteration:
                self.last_reached = True
                raise
        self.taken.append(line)
        return line

    def done(self, count: int | None = None) -> None:
        """Let go of the first `count` lines taken (all of them when None); the others are put back."""
        count = len(self.taken) if count is None else count
        self._back.extendleft(reversed(self.taken[count:]))
        self.line += count
        self.taken = []


def read_pieces(lines: Iterable[str], settings: FileSettings) -> Iterator[Piece]:
    """Read text lines (with their line ends; undecodable bytes as surrogate escapes) as pieces, in order."""
    csv.field_size_limit(FIELD_LIMIT)
    source, width = _Source(lines), len(settings.names)
    for _ in range(settings.skip_lines):
        line = next(source, None)
        if line is None:
            return
        yield Piece("preamble", source.line, 1, _raw(line))
        source.done()
    if settings.header:
        yield from _header(source, settings)
    while True:
        yield from _record(source, settings, width)
        if source.last_reached and not source._back:
            return


def _reader(source: Iterable[str], settings: FileSettings) -> Iterator[list[str]]:
    return csv.reader(source, delimiter=settings.delimiter, strict=True, **quoting(settings.quote))  # type: ignore[arg-type]


def _header(source: _Source, settings: FileSettings) -> Iterator[Piece]:
    try:
        next(_reader(source, settings), None)
    except csv.Error:
        source.done(1) if len(source.taken) > 1 else None
    if source.taken:
        text = "".join(source.taken)
        yield Piece("header", source.line, len(source.taken), _raw(text))
        source.done()


def _record(source: _Source, settings: FileSettings, width: int) -> Iterator[Piece]:
    """The next record, or the lines rejected in its place."""
    reason = ""
    try:
        cells = next(_reader(source, settings), None)
    except csv.Error as error:
        cells, reason = [], _explain(error)
    taken = source.taken
    if not taken:
        return
    text = "".join(taken)
    if not reason:
        reason = _judge(cells, text, width, len(taken))
    if not reason:
        values = cells if cells else [""]
        yield Piece("record", source.line, len(taken), cells=tuple(values))  # type: ignore[arg-type]
        source.done()
        return
    rejected = 1 + _lines_to_skip(taken[1:], settings, width)
    for offset in range(rejected):
        yield Piece("rejected", source.line + offset, 1, _raw(taken[offset]), reason=reason)
    source.done(rejected)


def _judge(cells: list[str] | None, text: str, width: int, lines: int) -> str:
    """Why the lines are no record; empty when they are one."""
    if cells is None:
        return "a quotation mark opened here is not closed"
    if "\x00" in text:
        return "the line holds a NUL byte"
    if not text.isascii() and any("\udc80" <= char <= "\udcff" for char in text):
        return "the line holds bytes that are not valid in the encoding"
    if not cells:
        return "" if width == 1 else "the line is empty"
    if len(cells) != width:
        return f"the line has {len(cells):,} field{'s' * (len(cells) != 1)}, the table has {width:,}"
    return ""


def _lines_to_skip(following: list[str], settings: FileSettings, width: int) -> int:
    """How many of the lines after a broken one go with it: up to the next that is a whole record by itself."""
    for position, line in enumerate(following):
        try:
            cells = next(_reader(iter([line]), settings), None)
        except csv.Error:
            continue
        if cells is not None and not _judge(cells, line, width, 1):
            return position
    return len(following)


def _explain(error: csv.Error) -> str:
    said = str(error)
    if "expected after" in said:
        return "text stands after a closing quotation mark"
    if "unexpected end of data" in said:
        return "a quotation mark opened here is not closed"
    if "field limit" in said:
        return f"a field is longer than {FIELD_LIMIT:,} characters"
    if "new-line character" in said:
        return "a lone carriage return stands inside the line"
    return f"the line cannot be read ({said})"


def _raw(line: str) -> str:
    return line.rstrip("\r\n") if line.endswith(("\n", "\r")) else line
