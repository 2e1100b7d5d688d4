"""Spoil cells of clean tables and remember each: what it was, what it became, and the kind of damage."""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

Row = dict[str, str]


@dataclass
class Truth:
    """Everything that was spoiled in a file, in order of row (from 0, the records of the file)."""

    entries: list[dict[str, object]] = field(default_factory=list)

    def add(self, row: int, column: str, kind: str, clean: str, dirty: str) -> None:
        self.entries.append({"row": row, "column": column, "kind": kind, "clean": clean, "dirty": dirty})

    def write(self, path: Path) -> None:
        path.write_text(json.dumps(self.entries, indent=0, ensure_ascii=False) + "\n")


@dataclass
class Spoiler:
    """Spoils a share of the cells of a column, never a cell twice."""

    rng: random.Random
    rows: list[Row]
    truth: Truth
    touched: set[tuple[int, str]] = field(default_factory=set)

    def spoil(self, column: str, kind: str, share: float, how: Callable[[str], str | None]) -> None:
        """Change about `share` of the cells by `how`, which returns None where it cannot."""
        for index, row in enumerate(self.rows):
            if self.rng.random() >= share or (index, column) in self.touched:
                continue
            clean = row[column]
            dirty = how(clean)
            if dirty is None or dirty == clean:
                continue
            row[column] = dirty
            self.touched.add((index, column))
            self.truth.add(index, column, kind, clean, dirty)
