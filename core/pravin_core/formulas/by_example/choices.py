"""Results that are made in one way here and in another there: by a condition, the first value that is not missing, a value
that means nothing, or a list of values and what they become.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import permutations

from pravin_core.formulas.by_example.parts import marks_of
from pravin_core.formulas.by_example.pieces import Piece, somewhere
from pravin_core.formulas.by_example.search import Program, programs
from pravin_core.formulas.by_example.writing import call, text

NOTHING = "NULL"
CONDITION, LISTED, JOINED = 1.5, 2.2, 1.0  # what each way costs beside its pieces
SIMPLE = 2.0  # what a way costs at most that one example is enough for, where another value is an exception
GUESSED = 0.8  # what a constant costs more that only one example shows
MOST_BRANCHES, BRANCH_STEPS = 5, 3_000
MOST_JOINED = 4  # columns that are tried in every order


@dataclass(frozen=True)
class Condition:
    """A formula that holds or not, and whether it holds for each example.

    `missing` is the formula of the column that is asked to be missing, `equal` the one that is asked to be `value`;
    `is_narrow`: only one value or length fits it.
    """

    formula: str
    holds: tuple[bool, ...]
    cost: float
    missing: str = ""
    equal: str = ""
    value: str = ""
    is_narrow: bool = False


def conditions_on(columns: Sequence[Piece]) -> Iterator[Condition]:
    """What can tell some examples from the others, simplest first; each way to divide them at most three times."""
    divided: dict[tuple[bool, ...], int] = {}
    every = sorted((condition for column in columns for condition in _of_column(column)), key=lambda c: c.cost)
    for condition in every:
        times = divided.get(condition.holds, 0)
        if any(condition.holds) and not all(condition.holds) and times < 3:
            divided[condition.holds] = times + 1
            yield condition


def _of_column(column: Piece) -> Iterator[Condition]:
    f, values = column.formula, somewhere(column)

    def condition(formula: str, cost: float, tells: Callable[..., bool], *how: str | int) -> Condition:
        return Condition(formula, tuple(value is not None and tells(value, *how) for value in column.values), cost)

    yield Condition(f"{f} IS NULL", tuple(value is None for value in column.values), 0.0, missing=f)
    for mark in marks_of(values):
        yield condition(call("contains", f, text(mark)), 0.2, lambda s, m: m in s, mark)
        yield condition(call("starts_with", f, text(mark)), 0.25, lambda s, m: s.startswith(m), mark)
    yield condition(call("matches", f, text("^[0-9]")), 0.5, lambda s: s[:1].isdigit() and s[:1].isascii())
    yield condition(call("is_number", f), 0.3, _is_number)
    for value in dict.fromkeys(values):
        if len(value) <= 60:
            same = condition(f"{f} = {text(value)}", 0.35, lambda s, v: s == v, value)
            yield replace(same, equal=f, value=text(value), is_narrow=True)
    for n in range(1, 5):
        yield condition(f"{call('words', f)} > {n}", 0.6, lambda s, n: len(s.split()) > n, n)
    for n in sorted({len(value) for value in values}):
        yield replace(condition(f"{call('length', f)} = {n}", 0.8, lambda s, n: len(s) == n, n), is_narrow=True)


def _is_number(value: str) -> bool:
    try:
        float(value)
    except ValueError:
        return False
    return "_" not in value and value.strip().lower().lstrip("+-")[:1].isdigit()


def chosen_by_condition(
    pieces: Sequence[Piece], columns: Sequence[Piece], wanted: Sequence[str | None]
) -> Iterator[Program]:
    """Formulas that make the results in one way where a condition holds and in another where it does not."""
    branches: dict[tuple[int, ...], list[Program]] = {}

    def branch(places: Sequence[int]) -> list[Program]:
        key = tuple(place for place in places if wanted[place] is not None)
        if not key:
            return [Program(NOTHING, (None,) * len(wanted), 0.0)]
        if key not in branches:
            branches[key] = programs(pieces, wanted, key, MOST_BRANCHES, BRANCH_STEPS)
        return branches[key]

    for condition in conditions_on(columns):
        here = [place for place, holds in enumerate(condition.holds) if holds]
        there = [place for place, holds in enumerate(condition.holds) if not holds]
        for first in branch(here):
            for second in branch(there):
                is_guess = len(there) < 2 and (second.is_constant or second.cost > SIMPLE)
                if not (condition.is_narrow and is_guess):
                    yield from _either(condition, here, there, first, second)


def _either(
    condition: Condition, here: Sequence[int], there: Sequence[int], first: Program, second: Program
) -> Iterator[Program]:
    values = tuple((first if holds else second).values[at] for at, holds in enumerate(condition.holds))
    cost = CONDITION + condition.cost + first.cost + second.cost
    cost += GUESSED * sum(
        program.is_constant and len(places) == 1 for program, places in ((first, here), (second, there))
    )
    if condition.missing and second.formula == condition.missing:
        yield Program(call("coalesce", condition.missing, first.formula), values, cost - 0.8)
        return
    for one_way, other_way, elsewhere in ((first, second, there), (second, first, here)):
        gives_nothing_there = all(one_way.values[place] is None for place in elsewhere)
        if gives_nothing_there and not one_way.is_constant and NOTHING not in (first.formula, second.formula):
            formula = call("coalesce", one_way.formula, other_way.formula)
            yield Program(formula, values, cost - condition.cost - 0.4)
    if first.formula == NOTHING and condition.equal and second.formula == condition.equal:
        yield Program(call("nullif", condition.equal, condition.value), values, cost - 0.6)
    elif first.formula == NOTHING:
        yield Program(f"CASE WHEN NOT ({condition.formula}) THEN {second.formula} END", values, cost + 0.1)
    elif second.formula == NOTHING:
        yield Program(f"CASE WHEN {condition.formula} THEN {first.formula} END", values, cost)
    else:
        yield Program(f"CASE WHEN {condition.formula} THEN {first.formula} ELSE {second.formula} END", values, cost)


def listed(column: Piece, wanted: Sequence[str | None], columns: Sequence[Piece]) -> Iterator[Program]:
    """Each value and what it becomes, where the examples do not contradict each other and no other column stands in it."""
    for other in columns:
        if other is not column and any(
            word in (result or "")
            for value, result in zip(other.values, wanted, strict=True)
            for word in (value or "").split()
        ):
            return
    becomes: dict[str, str | None] = {}
    for value, result in zip(column.values, wanted, strict=True):
        if value is None or becomes.setdefault(value, result) != result:
            return
    if len(becomes) < 2:
        return
    whens = " ".join(
        f"WHEN {text(value)} THEN {'NULL' if result is None else text(result)}" for value, result in becomes.items()
    )
    yield Program(f"CASE {column.formula} {whens} END", tuple(wanted), LISTED + 0.2 * len(becomes))


def joined(columns: Sequence[Piece], wanted: Sequence[str | None]) -> Iterator[Program]:
    """Columns joined by a mark, missing ones left out."""
    if not any(value is None for column in columns for value in column.values):
        return
    few = columns[:MOST_JOINED]
    for many in (2, 3):
        for chosen in permutations(few, many):
            for mark in (", ", " ", "; ", "-", " - ", "/", ",", ";", "|", " / ", "_", "."):
                rows = zip(*(column.values for column in chosen), strict=True)
                values = tuple(mark.join(cell for cell in row if cell is not None) or None for row in rows)
                if values == tuple(wanted):
                    formulas = [column.formula for column in chosen]
                    yield Program(call("join_texts", text(mark), *formulas), values, JOINED + many)


def first_of(columns: Sequence[Piece], wanted: Sequence[str | None]) -> Iterator[Program]:
    """The first of some columns that is not missing."""
    if not any(value is None for column in columns for value in column.values):
        return
    for many in (2, 3, 4):
        for chosen in permutations(columns[:MOST_JOINED], many):
            rows = zip(*(column.values for column in chosen), strict=True)
            values = tuple(next((cell for cell in row if cell is not None), None) for row in rows)
            if values == tuple(wanted):
                formulas = [column.formula for column in chosen]
                yield Program(call("coalesce", *formulas), values, 1.6 + 0.4 * many)
