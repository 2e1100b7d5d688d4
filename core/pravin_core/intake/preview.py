"""The beginning of a file as it is, and what it becomes under some settings."""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path

from pravin_core.intake.settings import FileSettings
from pravin_core.intake.snapshot import head_of
from pravin_core.intake.tolerant import Piece, read_pieces

_LONGEST_SHOWN = 2000


@dataclass(frozen=True)
class Preview:
    """`lines`: (line number, raw text, fate, reason); `records`: (line, cells); both from the beginning."""

    lines: tuple[tuple[int, str, str, str], ...]
    records: tuple[tuple[int, tuple[str, ...]], ...]
    whole: bool


def preview(path: Path, settings: FileSettings, limit: int = 80) -> Preview:
    """Read the first lines of a file; cost does not grow with its size."""
    text, whole = head_of(path, settings.encoding)
    physical = io.StringIO(text.lstrip("\ufeff"), newline="").readlines()
    if not whole and len(physical) > 1:
        physical = physical[:-1]
    lines: list[tuple[int, str, str, str]] = []
    records: list[tuple[int, tuple[str, ...]]] = []
    for piece in read_pieces(physical, settings):
        lines.extend(_fates(piece, physical))
        if piece.fate == "record":
            records.append((piece.line, tuple(_shown(cell) for cell in piece.cells)))
        if len(lines) >= limit:
            break
    return Preview(tuple(lines), tuple(records), whole and len(lines) < limit)


def _fates(piece: Piece, physical: list[str]) -> list[tuple[int, str, str, str]]:
    numbers = range(piece.line, piece.line + piece.lines)
    return [(n, _shown(physical[n - 1]), piece.fate, piece.reason) for n in numbers]


def _shown(text: str) -> str:
    return text[:_LONGEST_SHOWN].encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
