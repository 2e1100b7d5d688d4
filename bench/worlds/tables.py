"""Clean tables of three worlds: bookings of rooms, goods under way, members of a club. Each draws its own magnitudes."""

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


def bookings(rng: random.Random, rows: int) -> list[Field]:
    """Rooms that are booked: prices with a long tail, nights, guests, an e-mail, a date of arrival."""
    places = [name.capitalize() for name in words(rng, rng.randint(5, 14))]
    prefix = word(rng, 1, 1).upper()
    first = dt.date(rng.randint(2015, 2022), rng.randint(1, 12), 1)
    nights = [max(1, min(28, int(rng.expovariate(0.35)) + 1)) for _ in range(rows)]
    price = [round(rng.lognormvariate(4.4, 0.45), 2) for _ in range(rows)]
    people = [word(rng) for _ in range(rows)]
    form = rng.choice(("%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y"))
    arrivals = [day(rng, first, 500) for _ in range(rows)]
    return [
        Field("booking", "code", [f"{prefix}-{10_000 + at}" for at in range(rows)]),
        Field("house", "category", [rng.choice(places) for _ in range(rows)]),
        Field("arrival", "date", [f"{one:{form}}" for one in arrivals], form),
        Field("departure", "date", [f"{one + dt.timedelta(days=n):{form}}" for one, n in zip(arrivals, nights, strict=True)], form),
        Field("nights", "whole", [str(n) for n in nights]),
        Field("price", "number", [f"{p:.2f}" for p in price], "."),
        Field("total", "number", [f"{p * n:.2f}" for p, n in zip(price, nights, strict=True)], "."),
        Field("rooms", "whole", [str(rng.choice((1, 1, 1, 2, 2, 3))) for _ in range(rows)]),
        Field("guest mail", "email", [f"{name}{rng.randrange(99)}@{rng.choice(places).lower()}.example" for name in people]),
        Field("floor", "code", [rng.choice(("5E3", "MAR5", "1-2", "12-3", "A7", "2E1", "SEP1")) for _ in range(rows)], is_hard=True),
        Field("humidity", "number", [f"{100 if rng.random() < 0.3 else rng.gauss(82, 7):.1f}" for _ in range(rows)], ".", True),
    ]  # fmt: skip


def goods(rng: random.Random, rows: int) -> list[Field]:
    """Goods under way, written in German: decimal commas, weights over magnitudes, times of scanning."""
    kinds = [name.capitalize() for name in words(rng, rng.randint(6, 20))]
    depots = [f"{rng.choice('KLMNPRST')}{n:02d}" for n in rng.sample(range(100), 9)]
    start = dt.datetime(rng.randint(2018, 2023), rng.randint(1, 12), 1, 6)
    moments = sorted(start + dt.timedelta(minutes=rng.randrange(300 * 24 * 60)) for _ in range(rows))
    return [
        Field("sendung", "code", [f"{rng.randrange(10**9):010d}" for _ in range(rows)]),
        Field("ware", "category", [rng.choice(kinds) for _ in range(rows)]),
        Field("gewicht kg", "number", [f"{rng.lognormvariate(2.5, 0.7):.2f}".replace(".", ",") for _ in range(rows)], ","),
        Field("stück", "whole", [str(1 + int(rng.expovariate(0.02))) for _ in range(rows)]),
        Field("depot", "category", [rng.choice(depots) for _ in range(rows)]),
        Field("erfasst", "moment", [f"{moment:%Y-%m-%d %H:%M}" for moment in moments], "%Y-%m-%d %H:%M"),
        Field("temperatur", "number", [f"{rng.gauss(4, 2.2):.1f}".replace(".", ",") for _ in range(rows)], ","),
        Field("leer", "whole", ["0" if rng.random() < 0.55 else str(rng.randint(1, 40)) for _ in range(rows)], is_hard=True),
    ]  # fmt: skip


def members(rng: random.Random, rows: int) -> list[Field]:
    """Members of a club: names, years of birth, telephone numbers, fees, a yes or no."""
    forenames, surnames = words(rng, 60), words(rng, 150)
    groups = [f"{name.capitalize()} {rng.choice(('Nord', 'Süd', 'Mitte'))}" for name in words(rng, 8)]
    form = rng.choice(("%Y-%m-%d", "%d.%m.%Y"))
    area = rng.randint(201, 989)
    return [
        Field("no", "code", [str(n) for n in rng.sample(range(100_000, 999_999), rows)]),
        Field("name", "text", [f"{rng.choice(forenames)} {rng.choice(surnames)}".title() for _ in range(rows)]),
        Field("born", "whole", [str(int(rng.triangular(1932, 2012, 1975))) for _ in range(rows)], is_hard=True),
        Field("joined", "date", [f"{day(rng, dt.date(1998, 1, 1), 9000):{form}}" for _ in range(rows)], form),
        Field("phone", "phone", [f"+49 {area} {rng.randrange(10**5, 10**7)}" for _ in range(rows)]),
        Field("fee", "number", [f"{rng.choice((48, 60, 96, 120))}.{rng.choice(('00', '50'))}" for _ in range(rows)], "."),
        Field("group", "category", [rng.choice(groups) for _ in range(rows)]),
        Field("active", "truth", [rng.choice(("yes", "yes", "no")) for _ in range(rows)]),
        Field("weight", "number", [f"{rng.gauss(71, 11):.1f}" for _ in range(rows)], "."),
    ]  # fmt: skip


WORLDS = {"bookings": bookings, "goods": goods, "members": members}
