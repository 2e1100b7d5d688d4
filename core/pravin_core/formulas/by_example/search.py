"""The simplest ways to put wanted results together from pieces: a best-first search over all examples at once."""

from __future__ import annotations

import heapq
from collections import defaultdict
from collections.abc import Iterable, Sequence
from itertools import count

from pravin_core.formulas.by_example.pieces import Piece
from pravin_core.formulas.by_example.writing import text

JOINT = 0.35  # what each further piece costs
ALIKE = 5  # how many pieces that give the same for the examples are followed
MOST_STEPS = 60_000


def programs(pieces: Iterable[Piece], wanted: Sequence[str], most: int) -> list[tuple[float, str]]:
    """Up to `most` formulas that give every wanted result, with their cost, simplest first."""
    useful = _useful(pieces, wanted)
    goal = tuple(len(each_text) for each_text in wanted)
    number = count()
    heap: list[tuple[float, int, tuple[int, ...], tuple[str, ...], bool]] = [
        (0.0, next(number), (0,) * len(wanted), (), False)
    ]
    met: dict[tuple[int, ...], int] = defaultdict(int)
    results: list[tuple[float, str]] = []
    for _ in range(MOST_STEPS):
        if not heap or len(results) >= most:
            break
        cost, _, at, parts, constant = heapq.heappop(heap)
        if at == goal:
            results.append((cost, " || ".join(parts)))
            continue
        met[at] += 1
        if met[at] > most:
            continue
        joint = JOINT if parts else 0.0
        for piece in useful.get(wanted[0][at[0] : at[0] + 1], ()):
            if all(
                whole.startswith(value, start) for whole, value, start in zip(wanted, piece.values, at, strict=True)
            ):
                after = tuple(start + len(value) for start, value in zip(at, piece.values, strict=True))
                heapq.heappush(heap, (cost + piece.cost + joint, next(number), after, (*parts, piece.formula), False))
        if not constant:
            for fixed in _shared(wanted, at):
                after = tuple(start + len(fixed) for start in at)
                heapq.heappush(
                    heap, (cost + _of_constant(fixed) + joint, next(number), after, (*parts, text(fixed)), True)
                )
    return results


def _useful(pieces: Iterable[Piece], wanted: Sequence[str]) -> dict[str, list[Piece]]:
    """Pieces that stand in every wanted result, by their first character in the first one; few that give the same."""
    alike: dict[tuple[str, ...], list[Piece]] = defaultdict(list)
    for piece in pieces:
        if all(value in whole for value, whole in zip(piece.values, wanted, strict=True)):
            alike[piece.values].append(piece)
    first: dict[str, list[Piece]] = defaultdict(list)
    for values, same in alike.items():
        first[values[0][:1]] += sorted(same, key=lambda piece: (piece.cost, len(piece.formula)))[:ALIKE]
    return first


def _shared(wanted: Sequence[str], at: Sequence[int]) -> list[str]:
    """The beginnings that all rests share; shorter ones only where a piece could follow."""
    rests = [whole[start:] for whole, start in zip(wanted, at, strict=True)]
    length = 0
    while all(len(rest) > length for rest in rests) and len({rest[length] for rest in rests}) == 1:
        length += 1
    return [rests[0][:n] for n in range(1, min(length, 40) + 1)]


def _of_constant(fixed: str) -> float:
    """Marks are likely constants, words and digits less so."""
    return 0.45 + sum(0.08 if not c.isalnum() else 0.3 for c in fixed)
