"""The register of sampling sites."""

from __future__ import annotations

import random
from html import escape
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


def sites_page(seed: int) -> tuple[str, Truth]:
    """The register as the agency's bulletin site shows it: a page, its header repeated, spaces that do not break."""
    rng = random.Random(seed)
    rows, truth = clean_sites(rng), Truth()
    spoiler = Spoiler(rng, rows, truth)
    spoiler.spoil(
        "region", "outer spaces", 0.15, lambda v: rng.choice([f"\u00a0{v}", f"{v}\u00a0", f"\u00a0{v}\u00a0"])
    )
    spoiler.spoil("elevation_m", "uncertainty", 0.1, lambda v: f"{v} ± {rng.randint(1, 4)}")
    spoiler.spoil("latitude", "degree sign", 0.08, lambda v: f"{v}°")
    heads = list(rows[0])
    head = "<tr>" + "".join(f"<th>{name}</th>" for name in heads) + "</tr>"
    body = [head]
    for number, row in enumerate(rows):
        if number and number % 20 == 0:
            body.append(head)
        body.append("<tr>" + "".join(f"<td>{escape(row[name])}</td>" for name in heads) + "</tr>")
    table = "\n".join(body)
    page = f"""<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Merrow basin river watch: sampling sites</title></head>
<body><h1>Merrow basin river watch</h1>
<table><tr><td><a href="/">Bulletin</a></td><td><a href="/sites.html">Sites</a></td></tr></table>
<h2>Sampling sites</h2>
<table>
{table}
</table>
</body></html>
"""
    return page, truth


def write_sites(folder: Path, seed: int) -> Path:
    """Write the register's page with its truth file."""
    page, truth = sites_page(seed)
    path = folder / "sites.html"
    path.write_text(page, encoding="utf-8")
    truth.write(folder / "sites.truth.json")
    return path
