"""Members of a club."""

from __future__ import annotations

import datetime as dt
import random

from bench.worlds.fields import Field, day, words


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
