"""Pieces that a wanted result may be made of: each a formula, with what it gives for every example.

What a piece gives is computed here for the few examples only; the engine computes the formula for all records, and a
candidate whose formula does not reproduce the examples there is dropped.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

Values = tuple[str | None, ...]


@dataclass(frozen=True)
class Piece:
    """A formula, what it gives for each example (None: nothing), and how far-fetched it is (smaller is simpler)."""

    formula: str
    values: Values
    cost: float


@dataclass(frozen=True)
class Traits:
    """What all values of a column have in common, beyond the examples.

    `uniform`: all are equally long, so that positions mean something. `decimals`: numbers with a fraction stand in them.
    """

    uniform: bool = False
    decimals: bool = False


def derived(
    source: Piece, formula: str, cost: float, give: Callable[..., str | None], *how: str | int
) -> Iterator[Piece]:
    """The piece that `give` makes of the values of another one, if it gives something for an example; `how` is handed on."""
    values = tuple(None if value is None else give(value, *how) or None for value in source.values)
    if any(values) and values != source.values:
        yield Piece(formula, values, source.cost + cost)


def somewhere(piece: Piece) -> list[str]:
    """The values that are there."""
    return [value for value in piece.values if value is not None]
