"""Cutting lines of a sample into cells, as detection needs it: what cannot be cut is left out."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from dataclasses import dataclass, replace

from pravin_core.intake.formats.delimited.lines import Marks, csv_options


@dataclass(frozen=True)
class Cut:
    """How lines are cut into cells."""

    delimiter: str
    quote: str
    escape: str = ""
    line_end: str = "any"
    spaced_quotes: bool = False

    def rows(self, lines: Sequence[str]) -> list[list[str]]:
        """The records in the lines, those that cannot be cut left out, blank ones too."""
        return [row for _, _, row in self.numbered(lines)]

    def numbered(self, lines: Sequence[str]) -> list[tuple[int, int, list[str]]]:
        """The records with the place of their first line (from 0) and how many lines they take."""
        marks = Marks(self.delimiter, self.line_end, self.quote, self.escape, self.spaced_quotes)
        put = (marks.put(line) for line in lines) if marks.needed else lines
        options = csv_options(self.quote, self.escape, self.spaced_quotes)
        cutter = csv.reader(put, delimiter=marks.delimiter, **options)
        results: list[tuple[int, int, list[str]]] = []
        while True:
            before = cutter.line_num
            try:
                row = next(cutter)
            except StopIteration:
                return results
            except csv.Error:
                continue
            if row:
                cells = [marks.back(cell) for cell in row] if marks.needed else row
                results.append((before, cutter.line_num - before, cells))

    def with_(self, **changes: object) -> Cut:
        """The same with other marks."""
        return replace(self, **changes)  # type: ignore[arg-type]
