"""What a fault is."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass

Spoil = Callable[[random.Random, str], str | None]


@dataclass(frozen=True)
class Fault:
    """A way to spoil a cell: the kind of finding that should see it, and whether what stood there is lost for good (then
    a missing cell, or a record set aside, is all that can be asked for).
    """

    kind: str
    spoil: Spoil
    is_lost: bool = False


def plain(value: str) -> float:
    """The number that a text of a clean table is."""
    return float(value.replace(",", "."))
