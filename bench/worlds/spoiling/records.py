"""Faults of whole records: repeated ones, cells exchanged, a column too far, lines that are no records."""

from __future__ import annotations

import random
from collections.abc import Callable
from itertools import combinations

from bench.worlds.fields import Field
from bench.worlds.spoiling.base import plain

Row = list[str]
OfRecord = Callable[[random.Random, list[Field], int], dict[int, str] | None]
TWIN = "twin"  # a good record that a spoiled one repeats: found with it, and rightly so
IN_PAIRS = ("duplicate records", "nearly alike records")
EXCHANGEABLE = (("name", "name"), ("email", "phone"), ("category", "category"))


def faults(columns: list[Field]) -> list[tuple[str, OfRecord]]:
    """By kind, a way to spoil a record: the new cells by the place of their column."""
    some: list[tuple[str, OfRecord]] = [
        ("duplicate records", repeated), ("nearly alike records", nearly_repeated), ("shifted columns", shifted),
        ("header among the records", header),
    ]  # fmt: skip
    numbers = [at for at, column in enumerate(columns) if column.sort == "number"]
    if columns[0].sort == "code" and len(numbers) > 1:
        some.append(("subtotal among the records", subtotal))
    for pair in pairs(columns):
        some.append(("swapped columns", exchanged(pair)))
    return some


def pairs(columns: list[Field]) -> list[tuple[int, int]]:
    """Columns whose cells can be exchanged and told apart."""
    return [
        (a, b)
        for a, b in combinations(range(len(columns)), 2)
        if (columns[a].sort, columns[b].sort) in EXCHANGEABLE and not columns[a].is_hard and not columns[b].is_hard
    ]


def repeated(rng: random.Random, columns: list[Field], row: int) -> dict[int, str] | None:
    """The record above once more."""
    return {at: column.cells[row - 1] for at, column in enumerate(columns)}


def nearly_repeated(rng: random.Random, columns: list[Field], row: int) -> dict[int, str] | None:
    """The record above with a key of its own and one or two cells that differ a little."""
    cells = repeated(rng, columns, row)
    if cells is None:
        return None
    for at, column in enumerate(columns):
        if column.sort == "code" and not column.is_hard and len(set(column.cells)) > 0.9 * len(column.cells):
            cells[at] = column.cells[row]
    able = [at for at, column in enumerate(columns) if column.sort in ("text", "name", "category", "email", "number")]
    for at in rng.sample(able, min(len(able), rng.randint(1, 2))):
        value = cells[at]
        if columns[at].sort == "number":
            places = len(value.partition(columns[at].form)[2])
            cells[at] = f"{plain(value) * 1.01:.{places}f}".replace(".", columns[at].form)
        elif len(value) > 5:
            place = rng.randrange(1, len(value) - 1)
            cells[at] = value[:place] + value[place + 1 :]
    return cells


def shifted(rng: random.Random, columns: list[Field], row: int) -> dict[int, str] | None:
    """From a column on every cell one place too far."""
    start = rng.randrange(1, len(columns) // 2)
    cells = [column.cells[row] for column in columns]
    moved = [*cells[:start], "", *cells[start:-1]]
    return {at: cell for at, cell in enumerate(moved) if at >= start}


def header(rng: random.Random, columns: list[Field], row: int) -> dict[int, str] | None:
    """The names of the columns."""
    return {at: column.name for at, column in enumerate(columns)}


def subtotal(rng: random.Random, columns: list[Field], row: int) -> dict[int, str] | None:
    """The sums of the numbers above, with a word for sum, all else empty."""
    cells = dict.fromkeys(range(len(columns)), "")
    cells[0] = rng.choice(("Total", "Subtotal", "Summe", "Sum"))
    for at, column in enumerate(columns):
        if column.sort == "number":
            above = column.cells[max(0, row - 40) : row]
            total = sum(plain(cell) for cell in above if cell.replace(column.form, "").isdigit())
            cells[at] = f"{total:.2f}".replace(".", column.form)
    return cells


def exchanged(pair: tuple[int, int]) -> OfRecord:
    """The cells of two columns in each other's place."""

    def spoil(rng: random.Random, columns: list[Field], row: int) -> dict[int, str] | None:
        a, b = (columns[at].cells[row] for at in pair)
        return {pair[0]: b, pair[1]: a} if a != b else None

    return spoil
