"""The tolerant lane: any delimited text, line by line, nothing lost.

What does not fit becomes rejected lines with the raw text and the reason, and reading goes on at the next line
that reads as a whole record by itself, so that one broken quotation mark cannot swallow the rest of a file.
"""

from __future__ import annotations

import csv
from collections import deque
from collections.abc import Iterable, Iterator

from pravin_core.intake.encoding import holds_bad_bytes, split_lines
from pravin_core.intake.formats.base import (
    COMMENT,
    HEADER,
    PREAMBLE,
    RECORD,
    REJECTED,
    REPEATED,
    LineOutcome,
    with_totals,
)
from pravin_core.intake.formats.delimited.lines import Marks, reader
from pravin_core.intake.settings import FileSettings

TOGETHER = 50  # lines; a closed quoted field over so many is one field, even where its record has not the right fields
LONGEST_RECORD = 1000  # lines; a quoted field that runs on for longer is taken for a broken quotation mark
FIELD_LIMIT = 16 * 2**20


class _Source:
    """Physical lines with their numbers, some of which can be put back."""

    def __init__(self, lines: Iterable[str]) -> None:
        self._lines = iter(lines)
        self._back: deque[str] = deque()
        self.taken: list[str] = []
        self.line = 1  # number of the first line in `taken`
        self._exhausted = False

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
                self._exhausted = True
                raise
        self.taken.append(line)
        return line

    def done(self, count: int | None = None) -> None:
        """Let go of the first `count` lines taken (all of them when None); the others are put back."""
        count = len(self.taken) if count is None else count
        self._back.extendleft(reversed(self.taken[count:]))
        self.line += count
        self.taken = []

    def peek(self) -> str | None:
        """The next line, still to come."""
        line = next(self, None)
        self.done(0)
        return line

    @property
    def over(self) -> bool:
        return self._exhausted and not self._back


class _Cutter:
    """Cuts lines into cells under some settings."""

    def __init__(self, settings: FileSettings) -> None:
        self.settings, self.marks = (
            settings,
            Marks(settings.delimiter, settings.line_end, settings.quote, settings.escape, settings.spaced_quotes),
        )
        self.width = len(settings.names)

    def next_cells(self, lines: Iterable[str]) -> list[str] | None:
        """The cells of the next record; None when there is none. Raises csv.Error."""
        if not self.marks.needed:
            return next(reader(lines, self.settings, self.marks), None)
        results = next(reader((self.marks.put(line) for line in lines), self.settings, self.marks), None)
        return None if results is None else [self.marks.back(cell) for cell in results]

    def trimmed(self, cells: list[str]) -> list[str]:
        """The cells without the empty one after a trailing delimiter."""
        drop = self.settings.trailing_delimiter and len(cells) == self.width + 1 and not cells[-1]
        return cells[:-1] if drop else cells


def read_pieces(lines: Iterable[str], settings: FileSettings, ends: bool = True) -> Iterator[LineOutcome]:
    """Read text lines (with their line ends) as pieces, in order.

    `ends`: the end of the lines is the end of the file, so that the last may be the totals line.
    """
    csv.field_size_limit(FIELD_LIMIT)
    source, cutter = _Source(lines), _Cutter(settings)
    for _ in range(settings.skip_lines):
        line = next(source, None)
        if line is None:
            return
        yield LineOutcome(PREAMBLE, source.line, 1, _raw(line))
        source.done()
    head: list[tuple[str, ...]] = []
    while len(head) < settings.header_rows and (line := source.peek()) is not None:
        yield _comment(source) if _is_comment(line, settings) else _header(source, cutter, head)
    outcomes = _body(source, cutter, head)
    yield from with_totals(outcomes) if settings.totals_line and ends else outcomes


def read_one(text: str, settings: FileSettings) -> tuple[str | None, ...] | str:
    """A text read as one whole record: its cells, or the reason why it is none."""
    csv.field_size_limit(FIELD_LIMIT)
    cutter = _Cutter(settings)
    ended = text + (settings.line_end if settings.line_end != "any" else "\n")
    lines = iter(split_lines(ended, settings.line_end))
    try:
        cells = cutter.next_cells(lines)
    except csv.Error as error:
        return _explain(error)
    if next(lines, None) is not None:
        return "the text is more than one record"
    cells = cutter.trimmed(cells) if cells else cells
    return _judge(cells, text, cutter.width) or tuple(cells or [""])


def _body(source: _Source, cutter: _Cutter, head: list[tuple[str, ...]]) -> Iterator[LineOutcome]:
    settings = cutter.settings
    while not source.over:
        if settings.comment:
            line = source.peek()
            if line is None:
                return
            if _is_comment(line, settings):
                yield _comment(source)
                continue
        for outcome in _record(source, cutter):
            if settings.repeated_header and outcome.status == RECORD and head and outcome.cells in head:
                outcome = LineOutcome(REPEATED, outcome.line, outcome.lines, outcome.text, outcome.cells)
            yield outcome


def _is_comment(line: str, settings: FileSettings) -> bool:
    return bool(settings.comment) and line.startswith(settings.comment)


def _comment(source: _Source) -> LineOutcome:
    outcome = LineOutcome(COMMENT, source.line, 1, _raw(next(source)))
    source.done()
    return outcome


def _header(source: _Source, cutter: _Cutter, head: list[tuple[str, ...]]) -> LineOutcome:
    cells: list[str] | None = []
    try:
        cells = cutter.next_cells(source)
    except csv.Error:
        source.done(0)
        next(source, None)
    head.append(tuple(cutter.trimmed(cells or [])))
    text = "".join(source.taken)
    outcome = LineOutcome(HEADER, source.line, len(source.taken), _raw(text), head[-1])
    source.done()
    return outcome


def _record(source: _Source, cutter: _Cutter) -> Iterator[LineOutcome]:
    """The next record, or the lines rejected in its place."""
    reason = ""
    try:
        cells = cutter.next_cells(source)
    except csv.Error as error:
        cells, reason = [], _explain(error)
    in_use = source.taken
    if not in_use:
        return
    text = "".join(in_use)
    if not reason:
        cells = cutter.trimmed(cells) if cells else cells
        reason = _judge(cells, text, cutter.width)
    if not reason:
        yield LineOutcome(RECORD, source.line, len(in_use), _raw(text), tuple(cells or [""]))
        source.done()
        return
    closed = bool(cells) and len(in_use) <= TOGETHER
    rejected = len(in_use) if closed else 1 + _lines_to_skip(in_use[1:], cutter)
    if closed and len(in_use) > 1 and len(cells or ()) != cutter.width:
        reason = f"the record over {len(in_use):,} lines has {len(cells or ()):,} field{'s' * (len(cells or ()) != 1)}, the table has {cutter.width:,}"
    for offset in range(rejected):
        yield LineOutcome(REJECTED, source.line + offset, 1, _raw(in_use[offset]), tuple(cells or ()), reason)
    source.done(rejected)


def _judge(cells: list[str] | None, text: str, width: int) -> str:
    """Why the lines are no record; empty when they are one."""
    if cells is None:
        return "a quotation mark opened here is not closed"
    if "\x00" in text:
        return "the line holds a NUL byte"
    if holds_bad_bytes(text):
        return "the line holds bytes that are not valid in the encoding"
    if not cells:
        return "" if width == 1 else "the line is empty"
    if len(cells) != width:
        return f"the line has {len(cells):,} field{'s' * (len(cells) != 1)}, the table has {width:,}"
    return ""


def _lines_to_skip(following: list[str], cutter: _Cutter) -> int:
    """How many of the lines after a broken one go with it: up to the next that is a whole record by itself."""
    for position, line in enumerate(following):
        try:
            cells = cutter.next_cells(iter([line]))
        except csv.Error:
            continue
        if cells is not None and not _judge(cutter.trimmed(cells), line, cutter.width):
            return position
    return len(following)


def _explain(error: csv.Error) -> str:
    message = str(error)
    if "expected after" in message:
        return "text stands after a closing quotation mark"
    if "unexpected end of data" in message:
        return "a quotation mark opened here is not closed"
    if "field limit" in message:
        return f"a field is longer than {FIELD_LIMIT:,} characters"
    if "new-line character" in message:
        return "a lone carriage return stands inside the line"
    return f"the line cannot be read ({message})"


def _raw(line: str) -> str:
    return line.rstrip("\r\n") if line.endswith(("\n", "\r")) else line
