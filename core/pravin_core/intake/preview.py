"""The beginning of a source as it is, and what it becomes under some settings."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from pravin_core.intake.encoding import shown, split_lines, text_head
from pravin_core.intake.formats.base import RECORD, LineOutcome, Place
from pravin_core.intake.formats.registry import reader_of
from pravin_core.intake.settings import FileSettings

_LONGEST_SHOWN = 2000
_LOOKED_AT = 600


@dataclass(frozen=True)
class PreviewLine:
    """A line (row, element) as it is: its text or, of a grid, its cells; its fate, and why it is rejected."""

    line: int
    text: str
    status: str
    reason: str
    cells: tuple[str | None, ...] = ()


@dataclass(frozen=True)
class Preview:
    """`records`: (line, cells of the delivered columns); both from the beginning."""

    view: Literal["text", "grid"]
    unit: str
    lines: tuple[PreviewLine, ...]
    records: tuple[tuple[int, tuple[str | None, ...]], ...]
    whole: bool


def preview(place: Place, settings: FileSettings, limit: int = 120) -> Preview:
    """Read the first lines of a source; the cost does not grow with its size."""
    reader = reader_of(settings.format)
    raw: list[str] = []
    if reader.view == "text" and reader.unit == "line":
        raw = split_lines(text_head(place.path, settings.encoding)[0], settings.line_end)
    lines: list[PreviewLine] = []
    records: list[tuple[int, tuple[str | None, ...]]] = []
    whole = True
    for outcome in reader.outcomes(place, settings, limit=_LOOKED_AT):
        if len(lines) >= limit:
            whole = False
            break
        lines.extend(_lines(outcome, raw, reader.view == "grid"))
        if outcome.status == RECORD:
            records.append((outcome.line, tuple(None if cell is None else _cut(cell) for cell in outcome.cells)))
    return Preview(reader.view, reader.unit, tuple(lines), tuple(records), whole and _at_end(lines, raw))


def _at_end(lines: list[PreviewLine], raw: list[str]) -> bool:
    return not raw or len(lines) >= len(raw)


def _lines(outcome: LineOutcome, raw: list[str], grid: bool) -> Iterator[PreviewLine]:
    if not raw or grid:
        cells = tuple(None if cell is None else _cut(cell) for cell in outcome.cells) if grid else ()
        yield PreviewLine(outcome.line, _cut(outcome.text), outcome.status, outcome.reason, cells)
        return
    for number in range(outcome.line, outcome.line + outcome.lines):
        text = raw[number - 1] if number <= len(raw) else outcome.text
        yield PreviewLine(number, _cut(text), outcome.status, outcome.reason)


def _cut(text: str) -> str:
    return shown(text[:_LONGEST_SHOWN])
