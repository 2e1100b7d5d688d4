"""Features of the catchment of each site by week, for a model that predicts algal bloom in the next week.

80 columns as such tables come: useful ones, constant ones, nearly empty ones, all-different ones, some that repeat
another in other units, and some that were only known after the bloom and so leak the target.
"""

from __future__ import annotations

import csv
import json
from datetime import date, timedelta
from pathlib import Path

import numpy as np

TARGET = "bloom_next_week"
LEAKS = ("bloom_class_confirmed", "toxin_level", "closure_days", "chlorophyll_next_week")
REPEATS = ("water_temp_f", "rain_7d_inch", "area_ha", "flow_l_s", "site_name", "phosphate_ug", "week_of_year")
CONSTANT = ("country", "datum", "model_version", "basin", "sensor_type", "spare_1")
SPARSE = ("dye_tracer", "fish_count", "old_station_code", "hail_mm", "snow_cm", "diver_note")
DIFFERENT = ("row_key", "checksum", "exported_at")


def write_catchment(folder: Path, seed: int, weeks: int = 52, sites: int = 46) -> Path:
    """Write one table and its truth (which columns are unsuitable, and why); returns the path of the table."""
    rng = np.random.default_rng([seed, 80])
    n = weeks * sites
    site, week = np.repeat(np.arange(sites), weeks), np.tile(np.arange(weeks), sites)
    area, slope, lake = rng.uniform(2, 140, sites), rng.uniform(0.2, 9, sites), rng.random(sites) < 0.35
    season = np.sin((week - 12) / 52 * 2 * np.pi)
    temperature = 11 + 8 * season + rng.normal(0, 1.6, n)
    rain = rng.gamma(1.2, 9, n)
    flow = 0.02 * area[site] * (1 + rain / 15) * rng.lognormal(0, 0.25, n)
    phosphate = 0.05 + 0.002 * rain + 0.12 * rng.random(sites)[site] + rng.gamma(1.5, 0.02, n)
    nitrate = 2 + 3 * rng.random(sites)[site] + rng.normal(0, 0.5, n)
    risk = 0.34 * (temperature - 14) + 9 * (phosphate - 0.2) + 1.1 * lake[site] - 0.06 * flow + rng.normal(0, 1, n)
    bloom = risk > 1.1
    day = [date(2023, 1, 2) + timedelta(weeks=int(number)) for number in week]
    columns: dict[str, list[str]] = {
        "row_key": [f"CF-{seed:02d}-{at:06d}" for at in range(n)],
        "site_code": [f"WQ-{417 + number:04d}" for number in site],
        "site_name": [f"Merrow station {number + 1}" for number in site],
        "week_start": [each_day.isoformat() for each_day in day],
        "week_of_year": [str(number + 1) for number in week],
        "month": [str(each_day.month) for each_day in day],
        TARGET: ["yes" if blooms else "no" for blooms in bloom],
    }

    def put(name: str, values: np.ndarray, digits: int = 2, missing: float = 0.0) -> None:  # type: ignore[type-arg]
        gone = rng.random(n) < missing
        columns[name] = ["" if out else f"{value:.{digits}f}" for value, out in zip(values, gone, strict=True)]

    put("water_temp", temperature, 1, 0.02)
    put("water_temp_f", temperature * 1.8 + 32, 1, 0.02)
    put("rain_7d", rain, 1)
    put("rain_7d_inch", rain / 25.4, 3)
    put("flow", flow, 3, 0.04)
    put("flow_l_s", flow * 1000, 0, 0.04)
    put("area_km2", area[site], 1)
    put("area_ha", area[site] * 100, 0)
    put("slope", slope[site], 2)
    columns["lake_above"] = ["yes" if lake[number] else "no" for number in site]
    put("phosphate", phosphate, 3, 0.05)
    put("phosphate_ug", phosphate * 1000, 0, 0.05)
    put("nitrate", nitrate, 2, 0.05)
    uses = ("arable", "pasture", "forest", "urban", "wetland")
    for name, share in zip(uses, rng.dirichlet(np.ones(5), sites).T, strict=True):
        put(f"share_{name}", share[site], 3)
    for lag in (1, 2, 3, 4):
        put(f"water_temp_{lag}w_ago", np.roll(temperature, lag), 1, 0.02)
        put(f"rain_{lag}w_ago", np.roll(rain, lag), 1)
        put(f"flow_{lag}w_ago", np.roll(flow, lag), 3, 0.04)
    columns["bloom_class_confirmed"] = [
        "" if not blooms else "severe" if level > 2.5 else "moderate" for blooms, level in zip(bloom, risk, strict=True)
    ]
    put("toxin_level", np.where(bloom, rng.gamma(4, 2, n), rng.gamma(1, 0.1, n)), 2)
    put("closure_days", np.where(bloom, rng.integers(1, 15, n), 0), 0)
    put("chlorophyll_next_week", np.where(bloom, rng.normal(42, 6, n), rng.normal(9, 4, n)), 1)
    constants = dict(zip(CONSTANT, ("Merrowland", "MD-2", "4.1", "Merrow", "float", ""), strict=True))
    for name in CONSTANT:
        columns[name] = [constants[name]] * n
    for at, name in enumerate(SPARSE):
        put(name, rng.gamma(2, 3, n), 1, 0.93 + at * 0.01)
    columns["checksum"] = [f"{value:08x}" for value in rng.choice(2**32, n, replace=False)]
    columns["exported_at"] = [f"2024-01-05 {at // 3600:02d}:{at // 60 % 60:02d}:{at % 60:02d}" for at in range(n)]
    columns["crew"] = [("North", "South", "Harbour", "Estuary")[number % 4] for number in site]
    columns["light"] = list(rng.choice(["clear", "hazy", "overcast"], n, p=[0.5, 0.2, 0.3]))
    for band in range(1, 81 - len(columns)):
        put(f"band_{band:02d}", rng.normal(0.4, 0.1, n) + 0.02 * season, 4, 0.03)
    path = folder / "catchment-2023.csv"
    with path.open("w", newline="", encoding="utf-8") as out:
        writer = csv.writer(out)
        writer.writerow(columns)
        writer.writerows(zip(*columns.values(), strict=True))
    truth = {
        "target": TARGET,
        "leak": LEAKS,
        "repeat": REPEATS,
        "constant": CONSTANT,
        "sparse": SPARSE,
        "different": DIFFERENT,
    }
    (folder / "catchment-2023.truth.json").write_text(json.dumps(truth, indent=1))
    return path
