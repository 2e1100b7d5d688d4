"""Rooms that are booked."""

from __future__ import annotations

import datetime as dt
import random

from bench.worlds.fields import Field, day, word, words


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
        Field("arrival", "date", [f"{arrival:{form}}" for arrival in arrivals], form),
        Field("departure", "date", [f"{arrival + dt.timedelta(days=n):{form}}" for arrival, n in zip(arrivals, nights, strict=True)], form),
        Field("nights", "whole", [str(n) for n in nights]),
        Field("price", "number", [f"{p:.2f}" for p in price], "."),
        Field("total", "number", [f"{p * n:.2f}" for p, n in zip(price, nights, strict=True)], "."),
        Field("rooms", "whole", [str(rng.choice((1, 1, 1, 2, 2, 3))) for _ in range(rows)]),
        Field("guest mail", "email", [f"{name}{rng.randrange(99)}@{rng.choice(places).lower()}.example" for name in people]),
        Field("floor", "code", [rng.choice(("5E3", "MAR5", "1-2", "12-3", "A7", "2E1", "SEP1")) for _ in range(rows)], is_hard=True),
        Field("humidity", "number", [f"{100 if rng.random() < 0.3 else rng.gauss(82, 7):.1f}" for _ in range(rows)], ".", True),
    ]  # fmt: skip
