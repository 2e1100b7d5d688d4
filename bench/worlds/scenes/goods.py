"""Goods under way, written in German."""

from __future__ import annotations

import datetime as dt
import random

from bench.worlds.fields import Field, words


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
