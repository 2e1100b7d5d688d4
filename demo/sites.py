"""The register of sampling sites."""

from __future__ import annotations

import random
from pathlib import Path

from demo.spoil import Row, Spoiler, Truth

REGIONS = ("Upper Merrow", "Lower Merrow", "Harbour", "East Fork")
_FIRST = (
    "Alder",
    "Bramble",
    "Calder",
    "Dunnow",
    "Elver",
    "Fenwick",
    "Gorse",
    "Heron",
    "Ivel",
    "Kestrel",
    "Larch",
    "Mallow",
)
_SECOND = ("Bridge", "Weir", "Ford", "Lock", "Mill")


def clean_sites(rng: random.Random) -> list[Row]:
    """Sixty sites with code, name, region, coordinates, elevation in metres."""
    rows = []
    for number in range(60):
        code = f"{7 + number * 37:04d}"
        rows.append({
            "site_code": code,
            "site_name": f"{_FIRST[number % 12]} {_SECOND[number // 12]}",
            "region": REGIONS[number % 4],
            "latitude": f"{47.2 + rng.random() * 0.6:.4f}",
            "longitude": f"{8.1 + rng.random() * 0.9:.4f}",
            "elevation_m": str(rng.randint(3, 640)),
            "opened": f"{rng.randint(1988, 2021)}-{rng.randint(1, 12):02d}-{rng.randint(1, 28):02d}",
        })  # fmt: skip
    return rows


def write_sites(folder: Path, seed: int) -> Path:
    """Write the register as delimited text with its truth file."""
    rng = random.Random(seed)
    rows, truth = clean_sites(rng), Truth()
    spoiler = Spoiler(rng, rows, truth)
    spoiler.spoil("region", "outer spaces", 0.15, lambda v: rng.choice([f" {v}", f"{v} ", f"\u00a0{v}"]))
    spoiler.spoil("elevation_m", "uncertainty", 0.1, lambda v: f"{v} ± {rng.randint(1, 4)}")
    spoiler.spoil("latitude", "degree sign", 0.08, lambda v: f"{v}°")
    path = folder / "sites.csv"
    heads = list(rows[0])
    lines = [";".join(heads), *(";".join(row[h] for h in heads) for row in rows)]
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    truth.write(folder / "sites.truth.json")
    return path
