"""What a fault is."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass

Spoil = Callable[[random.Random, str], str | None]
SpoilAt = Callable[[random.Random, int], str | None]


@dataclass(frozen=True)
class Fault:
    """A way to spoil a cell: the kind of finding that should see it, and whether what stood there is lost for good (then
    a missing cell, or a record set aside, is all that can be asked for). `spoil_at` spoils the cell of a row, where it needs
    the cells around; `twin` is the row of a good record that is found with it, and rightly so.
    """

    kind: str
    spoil: Spoil = lambda rng, value: None
    is_lost: bool = False
    spoil_at: SpoilAt | None = None
    twin: Callable[[int], int] | None = None


def plain(value: str) -> float:
    """The number that a text of a clean table is."""
    return float(value.replace(",", "."))
