"""Columns of made-up tables, and words to fill them."""

from __future__ import annotations

import datetime as dt
import random
from collections.abc import Callable
from dataclasses import dataclass, field

Make = Callable[[random.Random, int], str]


@dataclass
class Field:
    """A column of a clean table: what its cells are, and what kinds of faults it can have (see faults.py)."""

    name: str
    sort: str  # code, category, number, whole, date, moment, text, email, phone
    cells: list[str] = field(default_factory=list)
    form: str = ""  # of dates; the decimal mark of numbers
    is_hard: bool = False  # difficult but right: whatever is found here is wrong


SYLLABLES = (
    "ba",
    "bro",
    "ca",
    "del",
    "do",
    "en",
    "fa",
    "gri",
    "ha",
    "in",
    "ka",
    "lo",
    "mar",
    "ne",
    "or",
    "pel",
    "qui",
    "ra",
    "sa",
    "tor",
    "ul",
    "ven",
    "wi",
    "zan",
)


def word(rng: random.Random, least: int = 2, most: int = 4) -> str:
    """A made-up word."""
    return "".join(rng.choice(SYLLABLES) for _ in range(rng.randint(least, most)))


def words(rng: random.Random, count: int, least: int = 2, most: int = 4) -> list[str]:
    """Made-up words, all different and none within two letters of another."""
    chosen: list[str] = []
    while len(chosen) < count:
        new = word(rng, least, most)
        if all(_apart(new, old) for old in chosen):
            chosen.append(new)
    return chosen


def _apart(one: str, other: str) -> bool:
    return abs(len(one) - len(other)) > 2 or sum(a != b for a, b in zip(one, other, strict=False)) > 2


def day(rng: random.Random, first: dt.date, days: int) -> dt.date:
    return first + dt.timedelta(days=rng.randrange(days))
