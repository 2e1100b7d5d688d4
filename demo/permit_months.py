"""Two years of what permit holders took from the rivers, two files a month of two works, up to the month before last: one is late."""

from __future__ import annotations

import csv
import math
import random
from datetime import date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

from demo.rain_months import month_before

COLUMNS = ("permit", "month", "taken_m3", "use")
WORKS = ("north", "south")
PERMITS = 70  # of each works
MONTHS = 24
LACKING, AGAIN, MORE = 9, 13, 19  # months, from 0: no file of the south, the same file again, new permits in the north
RULES: list[dict[str, object]] = [
    {"kind": "to-number", "id": "taken", "columns": ["taken_m3"], "decimal": "."},
    {"kind": "required", "id": "filled", "columns": ["permit", "taken_m3"]},
    {"kind": "in-range", "id": "amounts", "columns": ["taken_m3"], "low": "0", "high": "500000"},
]


def arrived(today: date, place: int) -> datetime:
    """When the files of a month came: on the fourth day of the next."""
    at = month_before(today, MONTHS + 1 - place) + timedelta(days=3)
    return datetime(at.year, at.month, at.day, 9, 5 + place % 9, tzinfo=ZoneInfo("UTC"))


def write_permit_month(out: Path, seed: int, today: date, place: int) -> list[Path]:
    """The files of a month."""
    return [
        _of_works(out, seed, today, place, works)
        for works in WORKS
        if not (place == LACKING and works == "south")
    ]  # fmt: skip


def _of_works(out: Path, seed: int, today: date, place: int, works: str) -> Path:
    told = place - 1 if place == AGAIN and works == "south" else place  # the file of the month before, by mistake
    first = month_before(today, MONTHS + 2 - told)
    draw, permits = random.Random(f"{seed} {works} {told}"), random.Random(f"{seed} {works}")
    many = PERMITS + (45 if told >= MORE and works == "north" else 0)
    path = out / f"taken-{works}-{month_before(today, MONTHS + 2 - place):%Y-%m}.csv"
    with path.open("w", newline="", encoding="utf-8") as file:
        lines = csv.writer(file)
        lines.writerow(COLUMNS)
        for number in range(1, many + 1):
            usual, use = permits.lognormvariate(8.2, 0.7), permits.choice(("drinking water", "fields", "cooling"))
            season = 1 + (0.3 * math.sin(2 * math.pi * (first.month - 4) / 12) if use == "fields" else 0.0)
            taken = usual * season * draw.lognormvariate(0, 0.08)
            lines.writerow((f"{works[0].upper()}{number:03d}", f"{first:%Y-%m}", f"{taken:.0f}", use))
    return path
