"""Stations that measure the air each hour: regular moments, values with limits of detection, codes, remarks."""

from __future__ import annotations

import datetime as dt
import math
import random

from bench.worlds.fields import Field, word, words


def stations(rng: random.Random, rows: int) -> list[Field]:
    """Moments at equal steps, temperature through the day, rain mostly 0, a humidity that often stands at 100."""
    names = [f"{name.capitalize()} {rng.choice(('Hill', 'Quay', 'Field'))}" for name in words(rng, 7)]
    codes = {name: f"{rng.randrange(1000):05d}" for name in names}
    each = rows // len(names) + 1
    begin = dt.datetime(rng.randint(2015, 2023), rng.randint(1, 12), 1)
    at = [(name, begin + dt.timedelta(hours=hour)) for name in names for hour in range(each)][:rows]
    warm = rng.uniform(5, 24)
    heat = [warm + 5 * math.sin(moment.hour / 24 * 2 * math.pi) + rng.gauss(0, 1.2) for _, moment in at]
    winds = ["N", "NE", "E", "SE", "S", "SW", "W", "NW"]
    remarks = [" ".join(word(rng) for _ in range(rng.randint(3, 9))) for _ in range(40)]
    return [
        Field("station code", "digits", [codes[name] for name, _ in at]),
        Field("station", "category", [name for name, _ in at]),
        Field("measured at", "moment", [f"{moment:%Y-%m-%d %H:%M}" for _, moment in at], "%Y-%m-%d %H:%M"),
        Field("temperature", "number", [f"{value:.1f}" for value in heat], "."),
        Field("rain mm", "number", [f"{0 if rng.random() < 0.7 else rng.expovariate(0.8):.1f}" for _ in at], ".", True),
        Field("humidity", "number", [f"{100 if rng.random() < 0.3 else rng.gauss(80, 7):.1f}" for _ in at], ".", True),
        Field("pressure", "number", [f"{rng.gauss(1012, 8):.1f}" for _ in at], "."),
        Field("wind", "category", [rng.choice(winds) for _ in at], is_hard=True),
        Field("ozone", "number", [f"{rng.lognormvariate(3.6, 0.4):.1f}" for _ in at], "."),
        Field("visits", "whole", [str(int(rng.expovariate(0.01))) for _ in at]),
        Field("remark", "text", [rng.choice(remarks) for _ in at]),
    ]  # fmt: skip
