"""Two years of a network of stations that sends its daily means by itself, a file a month: quiet, but for a few things that happened."""

from __future__ import annotations

import calendar
import csv
import math
import random
from datetime import date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

COLUMNS = ("station", "day", "level_m", "water_temp_c", "battery_v", "state")
STATIONS = tuple(f"MB-{number:02d}" for number in range(1, 13))
MONTHS = 24
LAST = (2024, 3)
MOVED, SILENT, FLOOD = 9, 15, 23  # months, from 0: a datum was moved, a modem was broken, the newest
RULES: list[dict[str, object]] = [
    {"kind": "to-number", "id": "level", "columns": ["level_m", "water_temp_c", "battery_v"], "decimal": "."},
    {"kind": "to-date", "id": "day", "columns": ["day"], "formats": ["%Y-%m-%d"]},
    {"kind": "required", "id": "filled", "columns": ["station", "day"]},
    {"kind": "in-range", "id": "levels", "columns": ["level_m"], "low": "0", "high": "9"},
]


def months() -> list[tuple[int, int]]:
    """Year and month of each file, oldest first."""
    last = LAST[0] * 12 + LAST[1] - 1
    return [divmod(number, 12) for number in range(last - MONTHS + 1, last + 1)]


def arrived(place: int) -> datetime:
    """When the file of a month came: on the second day of the next, in the morning."""
    year, month = months()[place]
    days = calendar.monthrange(year, month + 1)[1]
    at = date(year, month + 1, days) + timedelta(days=2)
    return datetime(at.year, at.month, at.day, 6, 10 + place % 7, tzinfo=ZoneInfo("UTC"))


def write_station_month(out: Path, seed: int, place: int) -> Path:
    """The file of a month."""
    year, month = months()[place]
    draw = random.Random(f"{seed} stations {place}")
    base = random.Random(f"{seed} stations")
    levels = {station: base.uniform(1.0, 3.5) for station in STATIONS}
    wet = draw.gauss(0, 0.06)
    path = out / f"stations-{year}-{month + 1:02d}.csv"
    with path.open("w", newline="", encoding="utf-8") as file:
        lines = csv.writer(file)
        lines.writerow(COLUMNS)
        for day in range(1, calendar.monthrange(year, month + 1)[1] + 1):
            season = math.sin(2 * math.pi * (date(year, month + 1, day).timetuple().tm_yday - 110) / 365)
            for station in STATIONS:
                level = levels[station] - 0.25 * season + wet + draw.gauss(0, 0.12)
                level += 2.4 if place >= MOVED and station in STATIONS[:3] else 0.0
                gone = draw.random() < (0.22 if place == SILENT else 0.01)
                state = draw.choices(("ok", "cleaned", "checked"), (90, 6, 4))[0]
                if place == FLOOD and station in STATIONS[4:6] and day > 18:
                    state, level = "flooded", level + 1.9
                battery = draw.gauss(12.6, 0.12) - (0.02 * (place - 13) if place > 13 else 0.0)
                lines.writerow(
                    (station, f"{year}-{month + 1:02d}-{day:02d}", "" if gone else f"{level:.2f}",
                     f"{max(0.2, 11 + 8 * season + draw.gauss(0, 1.1)):.1f}", f"{battery:.2f}", state)
                )  # fmt: skip
    return path
