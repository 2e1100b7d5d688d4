"""Faults that only the cells around tell: of the group, of the series, of the column beside."""

from __future__ import annotations

import datetime as dt
import random
from collections.abc import Callable

from bench.worlds.fields import Field
from bench.worlds.spoiling.base import Fault, SpoilAt, plain


def of_level(rng: random.Random, column: Field, columns: list[Field]) -> list[Fault]:
    """A level of another tank; one that leaves its neighbours for a moment."""
    tanks = columns[1].cells
    least, most = min(map(plain, column.cells)), max(map(plain, column.cells))

    def another(rng: random.Random, row: int) -> str | None:
        other = rng.randrange(len(tanks))
        return column.cells[other] if tanks[other] != tanks[row] else None

    def spike(rng: random.Random, row: int) -> str | None:
        new = plain(column.cells[row]) + rng.choice((-1, 1)) * rng.uniform(2.5, 4)
        beside = {row + turn for turn in range(-2 * len(set(tanks)), 2 * len(set(tanks)) + 1)} - {row}
        return f"{new:.2f}" if least < new < most and not beside & spiked and not spiked.add(row) else None

    spiked: set[int] = set()
    return [
        Fault("outlier in its group", is_lost=True, spoil_at=another),
        Fault("spike in a series", is_lost=True, spoil_at=spike),
    ]


def of_amount(rng: random.Random, column: Field, columns: list[Field]) -> list[Fault]:
    """The number of another unit."""
    units = columns[5].cells
    factor = {("ml", "l"): 1000, ("l", "m³"): 1000, ("l", "ml"): 1 / 1000, ("m³", "l"): 1 / 1000}
    shown = {unit: [other for given_unit, other in factor if given_unit == unit] for unit in set(units)}

    def other_unit(rng: random.Random, row: int) -> str | None:
        other = rng.choice(shown[units[row]])
        return f"{plain(column.cells[row]) / factor[units[row], other]:.4g}"

    return [Fault("unit does not fit the magnitude", is_lost=True, spoil_at=other_unit)]


def of_steps(rng: random.Random, column: Field, columns: list[Field]) -> list[Fault]:
    """A moment some minutes off; the one before once more."""
    tanks = len(set(columns[1].cells))

    def off(rng: random.Random, row: int) -> str:
        moment = dt.datetime.strptime(column.cells[row], column.form)
        return f"{moment + dt.timedelta(minutes=rng.choice((-4, -3, 1, 2, 3))):{column.form}}"

    def again(rng: random.Random, row: int) -> str | None:
        before = column.cells[row - tanks] if row >= tanks else ""
        return before if before[:1].isdigit() else None  # what stands there may be no moment any more

    return [
        Fault("moment off the step", is_lost=True, spoil_at=off),
        Fault("moment repeated in a series", is_lost=True, spoil_at=again, twin=lambda row: row - tanks),
    ]


def of_gappy(rng: random.Random, column: Field, columns: list[Field]) -> list[Fault]:
    """None of its own: what is lost here stands in the column beside."""
    return []


def moved(column: Field, home: Field) -> SpoilAt:
    """The value that the empty cell of another column should hold."""
    known = [cell for cell in home.cells if cell]
    return lambda rng, row: rng.choice(known) if not home.cells[row] else None


FAULTS: dict[str, Callable[[random.Random, Field, list[Field]], list[Fault]]] = {
    "level": of_level,
    "amount": of_amount,
    "step": of_steps,
    "gappy": of_gappy,
    "group": of_gappy,
    "owner": lambda rng, column, columns: [
        Fault("value of another column", is_lost=True, spoil_at=moved(column, columns[7]))
    ],
}
