"""Two years of daily rain of the gauges, a file a month, up to the month before today's: seasonal, once late, once never sent."""

from __future__ import annotations

import calendar
import csv
import math
import random
from datetime import date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

COLUMNS = ("gauge", "day", "rain_mm", "state")
GAUGES = tuple(f"MR-{number:02d}" for number in range(1, 11))
MONTHS = 24
INCHES, LATE, NEVER, FROZEN = 8, 15, 18, 21  # months, from 0: what happened in them
RULES: list[dict[str, object]] = [
    {"kind": "to-number", "id": "rain", "columns": ["rain_mm"], "decimal": "."},
    {"kind": "to-date", "id": "day", "columns": ["day"], "formats": ["%Y-%m-%d"]},
    {"kind": "required", "id": "filled", "columns": ["gauge", "day"]},
    {"kind": "in-range", "id": "amounts", "columns": ["rain_mm"], "low": "0", "high": "150"},
]


def month_before(today: date, back: int) -> date:
    """The first day of the month so many months before that of a day."""
    year, month = divmod(today.year * 12 + today.month - 1 - back, 12)
    return date(year, month + 1, 1)


def arrived(today: date, place: int) -> datetime:
    """When the file of a month came: on the first day of the next; once nine days later."""
    at = month_before(today, MONTHS - 1 - place) + timedelta(days=9 if place == LATE else 0)
    return datetime(at.year, at.month, at.day, 5, 20 + place % 11, tzinfo=ZoneInfo("UTC"))


def write_rain_month(out: Path, seed: int, today: date, place: int) -> Path | None:
    """The file of a month; None of the one that was never sent."""
    if place == NEVER:
        return None
    first = month_before(today, MONTHS - place)
    draw = random.Random(f"{seed} rain {place}")
    path = out / f"rain-{first:%Y-%m}.csv"
    with path.open("w", newline="", encoding="utf-8") as file:
        lines = csv.writer(file)
        lines.writerow(COLUMNS)
        for number in range(calendar.monthrange(first.year, first.month)[1]):
            day = first + timedelta(days=number)
            season = 0.35 + 0.15 * math.cos(2 * math.pi * (day.timetuple().tm_yday - 320) / 365)
            front = draw.gammavariate(0.9, 6.0) if draw.random() < season else 0.0
            for gauge in GAUGES:
                rain = max(0.0, front * draw.uniform(0.6, 1.4))
                state = draw.choices(("ok", "cleaned"), (97, 3))[0]
                if place == INCHES and gauge in GAUGES[:4]:
                    rain *= 25.4
                if place == FROZEN and number in (3, 4, 5, 6):
                    rain, state = 0.0, "frozen"
                gone = draw.random() < 0.01
                lines.writerow((gauge, day.isoformat(), "" if gone else f"{rain:.1f}", state))
    return path
