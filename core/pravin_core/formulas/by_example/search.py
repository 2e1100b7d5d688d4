"""The simplest ways to put wanted results together from pieces: a best-first search over all examples at once."""

from __future__ import annotations

import heapq
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import count

from pravin_core.formulas.by_example.pieces import Piece, Values
from pravin_core.formulas.by_example.writing import text

JOINT = 0.35  # what each further piece costs
ALIKE = 12  # how many pieces that give the same for the examples are followed; the other records tell them apart
MOST_STEPS = 40_000


@dataclass(frozen=True)
class Program:
    """A formula that gives every wanted result it was looked for, what it gives for all examples, and its cost.

    `is_constant`: it reads no column.
    """

    formula: str
    values: Values
    cost: float
    is_constant: bool = False


def programs(
    pieces: Iterable[Piece], wanted: Sequence[str | None], places: Sequence[int], most: int, steps: int = MOST_STEPS
) -> list[Program]:
    """Up to `most` formulas that give the wanted results of the examples at `places`, simplest first.

    Texts that all results share may stand between the pieces; a formula may be such a text alone.
    """
    goals = [wanted[place] or "" for place in places]
    useful = _useful(pieces, goals, places)
    end = tuple(map(len, goals))
    number = count()
    heap: list[tuple[float, int, tuple[int, ...], tuple[Piece, ...]]] = [(0.0, next(number), (0,) * len(goals), ())]
    met: dict[tuple[int, ...], int] = defaultdict(int)
    results: list[Program] = []
    for _ in range(steps):
        if not heap or len(results) >= most:
            break
        cost, _, at, parts = heapq.heappop(heap)
        if at == end:
            results.append(_program(parts, cost, len(wanted)))
            continue
        met[at] += 1
        if met[at] > most:
            continue
        joint = JOINT if parts else 0.0
        for piece, values in useful.get(goals[0][at[0] : at[0] + 1], ()):
            if all(goal.startswith(value, start) for goal, value, start in zip(goals, values, at, strict=True)):
                after = tuple(start + len(value) for start, value in zip(at, values, strict=True))
                heapq.heappush(heap, (cost + piece.cost + joint, next(number), after, (*parts, piece)))
        if not (parts and parts[-1].formula.startswith("'")):
            for shared in _shared(goals, at):
                after = tuple(start + len(shared) for start in at)
                constant = Piece(text(shared), (shared,) * len(wanted), _of_constant(shared))
                heapq.heappush(heap, (cost + constant.cost + joint, next(number), after, (*parts, constant)))
    return results


def _program(parts: Sequence[Piece], cost: float, examples: int) -> Program:
    values = []
    for at in range(examples):
        cells = [part.values[at] for part in parts]
        values.append(None if any(cell is None for cell in cells) else "".join(cell or "" for cell in cells))
    formulas = [part.formula for part in parts]
    return Program(" || ".join(formulas), tuple(values), cost, all(each_text.startswith("'") for each_text in formulas))


def _useful(
    pieces: Iterable[Piece], goals: Sequence[str], places: Sequence[int]
) -> dict[str, list[tuple[Piece, tuple[str, ...]]]]:
    """Pieces that stand in every wanted result, by their first character in the first one; few that give the same."""
    alike: dict[tuple[str, ...], list[Piece]] = defaultdict(list)
    for piece in pieces:
        values = tuple(piece.values[place] or "" for place in places)
        if all(value and value in goal for value, goal in zip(values, goals, strict=True)):
            alike[values].append(piece)
    first: dict[str, list[tuple[Piece, tuple[str, ...]]]] = defaultdict(list)
    for values, same in alike.items():
        chosen = sorted(same, key=lambda piece: (piece.cost, len(piece.formula)))[:ALIKE]
        first[values[0][:1]] += [(piece, values) for piece in chosen]
    return first


def _shared(wanted: Sequence[str], at: Sequence[int]) -> list[str]:
    """The beginnings that all rests share."""
    rests = [whole[start:] for whole, start in zip(wanted, at, strict=True)]
    length = 0
    while all(len(rest) > length for rest in rests) and len({rest[length] for rest in rests}) == 1:
        length += 1
    return [rests[0][:n] for n in range(1, min(length, 40) + 1)]


def _of_constant(shared: str) -> float:
    """Marks are likely constants, words and digits less so."""
    return 0.45 + sum(0.45 if c.isdigit() else 0.3 if c.isalpha() else 0.08 for c in shared)
