"""Tanks that are read at equal steps: levels of their own, amounts in several units, an owner and a keeper."""

from __future__ import annotations

import datetime as dt
import math
import random

from bench.worlds.fields import Field, word, words

MAGNITUDES = {"ml": 350.0, "l": 4.0, "m³": 0.09}


def depots(rng: random.Random, rows: int) -> list[Field]:
    """Smooth levels of several heights, moments at equal steps, amounts whose magnitude goes with their unit."""
    tanks = [f"{name.capitalize()} {n}" for n, name in enumerate(words(rng, rng.randint(4, 8)), 1)]
    step = rng.choice((10, 15, 30, 60))
    begin = dt.datetime(rng.randint(2016, 2024), rng.randint(1, 12), rng.randint(1, 28))
    each = rows // len(tanks) + 1
    at = [(tank, begin + dt.timedelta(minutes=step * turn)) for turn in range(each) for tank in tanks][:rows]
    base = {tank: 20.0 + 35.0 * n for n, tank in enumerate(rng.sample(tanks, len(tanks)))}
    wave = {tank: (rng.uniform(0, 6), rng.uniform(90, 260)) for tank in tanks}
    level = [
        base[tank] + 4 * math.sin(wave[tank][0] + (n // len(tanks)) / wave[tank][1] * 2 * math.pi) + rng.gauss(0, 0.08)
        for n, (tank, _) in enumerate(at)
    ]
    units = [rng.choice(list(MAGNITUDES)) for _ in at]
    owners = [f"{name.capitalize()} {rng.choice(('Ltd', 'AG', 'BV'))}" for name in words(rng, 14)]
    keepers = [
        f"{name.capitalize()} {other.capitalize()}" for name, other in zip(words(rng, 30), words(rng, 30), strict=True)
    ]
    return [
        Field("reading", "code", [f"R{n:07d}" for n in rng.sample(range(10**7), rows)]),
        Field("tank", "group", [tank for tank, _ in at]),
        Field("read at", "step", [f"{moment:%Y-%m-%d %H:%M}" for _, moment in at], "%Y-%m-%d %H:%M"),
        Field("level", "level", [f"{value:.2f}" for value in level], "."),
        Field("amount", "amount", [f"{MAGNITUDES[unit] * rng.lognormvariate(0, 0.3):.3g}" for unit in units], "."),
        Field("unit", "group", units),
        Field("owner", "owner", [rng.choice(owners) for _ in at]),
        Field("keeper", "gappy", [rng.choice(keepers) if rng.random() > 0.1 else "" for _ in at]),
        Field("flow", "number", [f"{rng.gauss(40, 6):.1f}" for _ in at], "."),
        Field("drift", "number", [f"{sum(rng.random() for _ in range(3)) - 1.5:.3f}" for _ in at], ".", True),
        Field("note", "text", [" ".join(word(rng) for _ in range(rng.randint(2, 6))) for _ in at], is_hard=True),
    ]  # fmt: skip
