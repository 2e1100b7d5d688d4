"""Monthly field samples of four teams, each with its own habits."""

from __future__ import annotations

import calendar
import random
from dataclasses import dataclass
from pathlib import Path

from demo.sites import REGIONS, clean_sites
from demo.spoil import Row, Spoiler, Truth

COLUMNS = (
    "sample_id", "site_code", "team", "sampled_on", "sampled_at", "depth_band", "water_temp_c", "ph", "oxygen",
    "turbidity_ntu", "conductivity", "bottles", "weather", "sampler", "lead_mail", "note",
)  # fmt: skip
BANDS = (("0-1", 40), ("1-2", 25), ("2-5", 15), ("5-10", 15), ("10-12", 5))
SAMPLERS = ("R. Aldous", "M. Birch", "T. Cole", "S. Dean", "L. Eyre", "N. Frost", "O. Gale", "P. Hale")
NOTES = ("cloudy after storm", "low water", "algae at the bank", "ducks", "new buoy", "strong smell")
WEATHER = ("rain", "wind", "sun", "fog")


@dataclass(frozen=True)
class Team:
    """A field team: how it writes its file."""

    name: str
    region: str
    date: str
    preamble: int = 0
    header: bool = True


TEAMS = (
    Team("upper", REGIONS[0], "%Y-%m-%d", preamble=3),
    Team("lower", REGIONS[1], "%d.%m.%Y"),
    Team("harbour", REGIONS[2], "%Y-%m-%d", header=False),
    Team("east", REGIONS[3], "%d/%m/%Y"),
)


def _clean(
    rng: random.Random, team: Team, sites: list[Row], year: int, month: int, count: int, first: int
) -> list[Row]:
    codes = [site["site_code"] for site in sites if site["region"] == team.region]
    days = calendar.monthrange(year, month)[1]
    rows = []
    for index in range(count):
        day = 1 + index * days // count
        written = team.date.replace("%Y", str(year)).replace("%m", f"{month:02d}").replace("%d", f"{day:02d}")
        temperature = max(0.1, rng.gauss(9 + 3 * (month - 3), 2.2))
        rows.append({
            "sample_id": f"WQ-{year % 100:02d}{month:02d}{day:02d}-{first + index:04d}",
            "site_code": rng.choice(codes),
            "team": team.region,
            "sampled_on": written,
            "sampled_at": f"{rng.randint(7, 17):02d}:{rng.choice((0, 5, 10, 20, 30, 40, 50)):02d}",
            "depth_band": rng.choices([b for b, _ in BANDS], [w for _, w in BANDS])[0],
            "water_temp_c": f"{temperature:.1f}",
            "ph": f"{min(9.4, max(5.8, rng.gauss(7.6, 0.4))):.1f}",
            "oxygen": f"{max(2.0, rng.gauss(9, 1.3)):.1f}",
            "turbidity_ntu": f"{rng.lognormvariate(1.2, 0.7):.1f}",
            "conductivity": str(int(max(40, rng.gauss(410, 90)))),
            "bottles": rng.choice(("1", "2", "2", "3")),
            "weather": "|".join(rng.sample(WEATHER, rng.choice((1, 1, 2)))),
            "sampler": rng.choice(SAMPLERS),
            "lead_mail": f"lead@{team.name}.example",
            "note": rng.choice(NOTES) if rng.random() < 0.12 else "",
        })  # fmt: skip
    return rows


def _spoil(rng: random.Random, team: Team, rows: list[Row], truth: Truth) -> None:
    spoiler = Spoiler(rng, rows, truth)
    missing = ("", "-", "n/a", "-999")
    for column, share in (("water_temp_c", 0.02), ("ph", 0.03), ("turbidity_ntu", 0.04), ("conductivity", 0.02)):
        spoiler.spoil(column, "missing", share, lambda v: rng.choice(missing))
    spoiler.spoil("depth_band", "turned into a date", 0.03 if team.name == "upper" else 0.004, _as_date)
    spoiler.spoil("ph", "scale slip", 0.004, lambda v: v.replace(".", ""))
    spoiler.spoil("oxygen", "unit", 0.3 if team.name == "east" else 0.02, lambda v: f"{v} mg/L")
    spoiler.spoil("turbidity_ntu", "detection limit", 0.006, lambda v: "<0.5")
    spoiler.spoil("site_code", "lost zeros", 0.02, lambda v: v.lstrip("0") if v.startswith("0") else None)
    spoiler.spoil("sampler", "outer spaces", 0.03, lambda v: rng.choice((f" {v}", f"{v} ", f"{v}\u00a0")))
    spoiler.spoil("sampler", "variant", 0.02, lambda v: v.upper())
    spoiler.spoil("weather", "variant", 0.03, lambda v: v.capitalize())
    spoiler.spoil("note", "literal escape", 0.08, lambda v: f"{v}\\t" if v else None)
    if rows and team.name == "lower":
        _year_slip(rows, truth)
    for index, row in enumerate(rows):
        if index % 20 and team.name == "upper":
            truth.add(index, "team", "only on first of group", row["team"], "")
            row["team"] = ""


def _as_date(band: str) -> str | None:
    return {"5-10": "05-Oct", "1-2": "02-Jan", "10-12": "10-Dec", "2-5": "02-May"}.get(band)


def _year_slip(rows: list[Row], truth: Truth) -> None:
    index = len(rows) // 3
    clean = rows[index]["sampled_on"]
    rows[index]["sampled_on"] = clean[:6] + "2107"
    truth.add(index, "sampled_on", "impossible year", clean, rows[index]["sampled_on"])


def _repeat(rng: random.Random, rows: list[Row], truth: Truth) -> None:
    for _ in range(max(1, len(rows) // 200)):
        index = rng.randrange(len(rows) - 1)
        rows.insert(index + 1, dict(rows[index]))
        truth.add(index + 1, "", "duplicate record", "", "")


def _lines(team: Team, rows: list[Row], rng: random.Random, year: int, month: int) -> list[str]:
    # weather marks are separated by the delimiter itself, so such cells are quoted
    lines = []
    if team.preamble:
        lines += [f"Field book of the {team.region} team", f"month {year}-{month:02d}", ""][: team.preamble]
    if team.header:
        lines.append("|".join(COLUMNS))
    lines += ["|".join(f'"{row[c]}"' if "|" in row[c] else row[c] for c in COLUMNS) for row in rows]
    for _ in range(2):
        place = rng.randrange(len(lines) // 2, len(lines))
        lines[place] = "|".join(lines[place].split("|")[:5])
    return lines


def clean_rows(
    seed: int, sites: list[Row], team: Team, position: int, year: int, month: int, records: int = 4000
) -> list[Row]:
    """The records of a team as it measured them, before anything went wrong; the same as those that `write_month` starts from."""
    return _measured(_drawn(seed, team, year, month), sites, team, position, year, month, records)


def _drawn(seed: int, team: Team, year: int, month: int) -> random.Random:
    return random.Random(f"{seed} {year} {month} {team.name}")


def _measured(
    rng: random.Random, sites: list[Row], team: Team, position: int, year: int, month: int, records: int
) -> list[Row]:
    count = records // len(TEAMS) + rng.randint(-40, 40)
    return _clean(rng, team, sites, year, month, count, position * 2000)


def write_month(folder: Path, seed: int, year: int, month: int, records: int = 4000) -> list[Path]:
    """Write one monthly delivery of about `records` records: a file for each team, with its truth file."""
    sites = clean_sites(random.Random(seed))
    paths = []
    for position, team in enumerate(TEAMS):
        rng = _drawn(seed, team, year, month)
        rows, truth = _measured(rng, sites, team, position, year, month, records), Truth()
        _spoil(rng, team, rows, truth)
        _repeat(rng, rows, truth)
        path = folder / f"{team.name}-{year}-{month:02d}.txt"
        path.write_text("\n".join(_lines(team, rows, rng, year, month)) + "\n", encoding="utf-8")
        truth.write(folder / f"{path.stem}.truth.json")
        paths.append(path)
    return paths
