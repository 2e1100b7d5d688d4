"""Rejected lines that a person repaired: what was meant stands for what was delivered, and is recorded."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from pravin_core.errors import IntakeError
from pravin_core.intake.formats.registry import reader_of
from pravin_core.intake.settings import FileSettings


@dataclass(frozen=True)
class Repair:
    """`text` stands for `lines` physical lines of a source (by place in the delivery) from `line`, as one record."""

    source: int
    line: int
    text: str
    lines: int = 1

    @property
    def covered(self) -> range:
        """The physical lines it stands for."""
        return range(self.line, self.line + self.lines)


@dataclass(frozen=True)
class RepairedLine:
    """A repair with the cells it reads as."""

    repair: Repair
    cells: tuple[str | None, ...]


def read_repair(text: str, settings: FileSettings) -> tuple[str | None, ...] | str:
    """The cells of a repaired line under a source's settings, or the reason why it is still no record."""
    return reader_of(settings.format).read_one(text, settings)


def repair_lines(repairs: Sequence[Repair], settings: Sequence[FileSettings]) -> list[RepairedLine]:
    """Repairs with their cells, in order. One that does not read under the settings is left out: its lines stay
    rejected. Raises IntakeError when a repair names a source that is not there."""
    repaired_lines = []
    for repair in repairs:
        if not 0 <= repair.source < len(settings):
            raise IntakeError("A repair names a source that the delivery does not have.", source=repair.source)
        cells = read_repair(repair.text, settings[repair.source])
        if not isinstance(cells, str):
            repaired_lines.append(RepairedLine(repair, cells))
    return repaired_lines
