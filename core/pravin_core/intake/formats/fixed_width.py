"""Fixed-width text: every column begins at the same character of every line."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise
from pathlib import Path

from pravin_core.errors import IntakeError
from pravin_core.intake.encoding import detect_encoding, holds_bad_bytes, split_lines, text_head
from pravin_core.intake.formats.base import (
    BY_HAND,
    COMMENT,
    HEADER,
    PREAMBLE,
    RECORD,
    REJECTED,
    REPEATED,
    Detected,
    LineOutcome,
    Place,
    Reader,
    assign,
    joined_header,
    with_totals,
)
from pravin_core.intake.formats.delimited.detect import DELIMITERS
from pravin_core.intake.formats.delimited.lines import physical_lines
from pravin_core.intake.formats.header_detection import header_rows, names_of
from pravin_core.intake.formats.text import doubts_of, encoding_of
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.tables.columns import unique_names

_SAMPLE_LINES = 1000
_FEWEST_LINES = 3


def proposed_borders(lines: Sequence[str]) -> tuple[int, ...]:
    """Characters before which a column begins, by the blank columns of characters that run through the lines.

    A line in fifty (of twenty lines, one) may be broken; such lines are rejected later, not allowed to hide the columns. The first line,
    often the header, counts fully.
    """
    lines = [line.rstrip("\r\n") for line in lines if line.strip()]
    width = max(map(len, lines), default=0)
    filled = [sum(at < len(line) and line[at] != " " for line in lines) for at in range(width)]
    first = f"{lines[0]:<{width}}" if lines else ""
    broken = max(len(lines) // 50, int(len(lines) >= 20))
    blank = [count <= broken and first[at] == " " for at, count in enumerate(filled)]
    results = [at for at in range(1, width) if blank[at - 1] and not blank[at] and not all(blank[:at])]
    enough = max(2, 0.3 * len(lines))
    edges = [*results, width]
    kept = [sum(bool(line[low:high].strip()) for line in lines) for low, high in pairwise(edges)]
    named = [bool(lines[0][low:high].strip()) for low, high in pairwise(edges)]
    return tuple(at for at, count, name in zip(results, kept, named, strict=True) if count >= enough or name)


class FixedWidth(Reader):
    """Lines cut at fixed characters; the spaces that fill a column up are not part of its values."""

    format, label = "fixed width", "fixed-width text"
    asked = 50
    first = ("borders", "encoding", "header_rows")
    more = ("skip_lines", "line_end", "comment", "repeated_header", "totals_line", "names")

    def recognises(self, path: Path, name: str, head: bytes) -> str:
        try:
            text, whole = text_head(path, detect_encoding(path).name, len(head))
        except IntakeError:
            return ""
        lines = _sample(split_lines(text), whole)
        body = [line for line in lines[_preamble(lines) :] if line.strip()]
        if len(body) < _FEWEST_LINES or any("\t" in line for line in body):
            return ""
        delimited = any(min(line.count(mark) for line in body) for mark in DELIMITERS)
        borders = proposed_borders(body)
        lengths = [len(line.rstrip()) for line in body]
        tight = max(lengths) - min(lengths) <= max(24, 0.5 * max(lengths))
        padded = sum("  " in line.strip() for line in body) > 0.3 * len(body)
        fits = not delimited and tight and padded and len(borders) >= 1
        return f"{len(borders) + 1} columns begin at the same characters of all lines looked at" if fits else ""

    def settle(self, place: Place, request: SettingsRequest, known: Sequence[str]) -> Detected:
        guess = encoding_of(place, request)
        head, whole = text_head(place.path, guess.name)
        lines = _sample(split_lines(head, request.line_end or "any"), whole)
        skip = _preamble(lines) if request.skip_lines is None else request.skip_lines
        body = [line for line in lines[skip:] if line.strip()]
        if request.comment:
            body = [line for line in body if not line.startswith(request.comment)]
        borders = proposed_borders(body) if request.borders is None else request.borders
        gaps = sum(_crosses(line, borders) is not None for line in body) <= 0.25 * len(body)
        rows = [_cut(line, borders) for line in body]
        header, why = header_rows(rows, known)
        if request.header_rows is not None:
            header, why = request.header_rows, BY_HAND
        width = len(borders) + 1
        delivered, named = names_of(joined_header(rows[:header], width) if header else None, request, known, width)
        names, notes = unique_names(delivered)
        settings = FileSettings(
            format="fixed width", encoding=request.encoding or guess.name, line_end=request.line_end or "any",
            borders=borders, gaps=gaps, skip_lines=skip, header_rows=header, comment=request.comment or "",
            repeated_header=bool(header) and request.repeated_header is not False,
            totals_line=bool(request.totals_line), **assign(names, request, place.name),
        )  # fmt: skip
        clear = "blanks stand before each" if gaps else "text stands across some"
        evidence = {
            "encoding": BY_HAND if request.encoding else guess.evidence,
            "borders": f"{len(borders)} borders{' ' + BY_HAND if request.borders is not None else ''}; {clear}",
            "skip_lines": BY_HAND if request.skip_lines is not None else f"{skip} lines differ from those below",
            "header_rows": why,
            "names": named,
        }
        return Detected(settings, evidence, tuple(notes), {"encoding": guess.rivals}, doubts_of(place, guess))

    def outcomes(self, place: Place, settings: FileSettings, limit: int | None = None) -> Iterator[LineOutcome]:
        lines: Iterator[str] = physical_lines(place.path, settings.encoding, settings.line_end)
        pieces = self._pieces(lines, settings)
        yield from with_totals(pieces) if settings.totals_line and limit is None else pieces

    def _pieces(self, lines: Iterator[str], settings: FileSettings) -> Iterator[LineOutcome]:
        heads: list[tuple[str, ...]] = []
        for number, line in enumerate(lines, start=1):
            text = line.rstrip("\r\n")
            if number <= settings.skip_lines:
                yield LineOutcome(PREAMBLE, number, text=text)
            elif settings.comment and text.startswith(settings.comment):
                yield LineOutcome(COMMENT, number, text=text)
            elif len(heads) < settings.header_rows and text.strip():
                heads.append(_cut(text, settings.borders))
                yield LineOutcome(HEADER, number, text=text, cells=heads[-1])
            else:
                cells = self.read_one(text, settings)
                if isinstance(cells, str):
                    yield LineOutcome(REJECTED, number, text=text, reason=cells)
                else:
                    again = settings.repeated_header and cells in heads
                    yield LineOutcome(REPEATED if again else RECORD, number, text=text, cells=cells)

    def read_one(self, text: str, settings: FileSettings) -> tuple[str | None, ...] | str:
        text = text.rstrip("\r\n")
        if not text.strip():
            return "the line is empty"
        if "\x00" in text:
            return "the line holds a NUL byte"
        if holds_bad_bytes(text):
            return "the line holds bytes that are not valid in the encoding"
        crossed = _crosses(text, settings.borders) if settings.gaps else None
        if crossed is not None:
            return f"text stands across the border before character {crossed + 1:,}"
        return _cut(text, settings.borders)


def _sample(lines: Sequence[str], whole: bool) -> list[str]:
    return [line.rstrip("\r\n") for line in (lines if whole or len(lines) < 2 else lines[:-1])[:_SAMPLE_LINES]]


def _preamble(lines: Sequence[str]) -> int:
    """Lines before a blank one near the beginning, when they do not have the columns of those below."""
    blanks = [at for at, line in enumerate(lines[:20]) if not line.strip()]
    if not blanks or len(lines) - blanks[-1] <= _FEWEST_LINES:
        return 0
    after = blanks[-1] + 1
    borders = proposed_borders(lines[after:])
    above = [line for line in lines[:after] if line.strip()]
    odd = [line for line in above if _crosses(line, borders) is not None or sum(map(bool, _cut(line, borders))) < 2]
    return after if borders and len(odd) == len(above) else 0


def _crosses(line: str, borders: Sequence[int]) -> int | None:
    """The first border with text on both sides, or None."""
    return next((at for at in borders if at < len(line) and line[at - 1] != " " and line[at] != " "), None)


def _cut(line: str, borders: Sequence[int]) -> tuple[str, ...]:
    edges = [0, *borders, max(len(line), borders[-1] if borders else 0)]
    return tuple(line[low:high].strip(" ") for low, high in pairwise(edges))


READER = FixedWidth()
