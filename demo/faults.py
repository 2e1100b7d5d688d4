"""Tables of the demo world with known faults of every kind, for measuring findings: python -m demo.faults FOLDER SEED."""

from __future__ import annotations

import csv
import datetime as dt
import random
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from demo.spoil import Row, Spoiler, Truth

Maker = Callable[[random.Random, int], str]
Spoil = Callable[[random.Random, str], str | None]
REGIONS = ("Upper Merrow", "Größbach", "Île d’Orme", "Harbour", "Café Quay", "East Fen", "Señora Ford")
SAMPLERS = (
    "Runa Aldous",
    "Mika Birch",
    "Tilda Cole",
    "Sönke Dean",
    "Lior Eyre",
    "Noor Frost",
    "Odile Gale",
    "Pim Hale",
)
ANALYTES = ("nitrate", "ammonium", "phosphate", "chloride", "sulphate", "calcium", "magnesium", "potassium")
NOTES = ("cloudy after the storm", "low water", "algae at the bank", "ducks on the far side", "new buoy", "strong smell of mud",
         "gauge reset", "ice at the edge")  # fmt: skip
BANDS = ("0-1", "1-2", "2-5", "5-10", "10-12")
TOKENS = ("n/a", "-", "?", "unknown", "NULL", "--", "N/A", "none")


@dataclass(frozen=True)
class Column:
    """A column: its name, how a clean cell is made, and the faults it can have, each with its share."""

    name: str
    make: Maker
    faults: dict[str, tuple[float, Spoil]]


def _number(mean: float, spread: float, places: int, least: float = 0.0) -> Maker:
    return lambda rng, _: f"{max(least, rng.gauss(mean, spread)):.{places}f}"


def _wild(mean: float, spread: float, places: int) -> Maker:
    return lambda rng, _: f"{rng.lognormvariate(mean, spread):.{places}f}"


def _one_of(values: tuple[str, ...]) -> Maker:
    return lambda rng, _: rng.choices(values, range(len(values) + 4, 4, -1))[0]


def _date(form: str, year: int, month: int, months: int) -> Maker:
    first = dt.date(year, month, 1)
    return lambda rng, _: f"{first + dt.timedelta(days=rng.randrange(28 * months)):{form}}"


def _missing(rng: random.Random, value: str) -> str:
    return rng.choice(TOKENS)


def _sentinel(code: str) -> Spoil:
    return lambda rng, value: code


def _unit(unit: str) -> Spoil:
    return lambda rng, value: f"{value}{rng.choice((' ', ''))}{unit}"


def _scaled(power: int) -> Spoil:
    return lambda rng, value: f"{float(value) * 10**power:.10g}"


def _exchanged(form: str) -> Spoil:
    def spoil(rng: random.Random, value: str) -> str | None:
        day = dt.datetime.strptime(value, form)
        if day.day > 12 or day.day == day.month:
            return None
        return f"{day.replace(day=day.month, month=day.day):{form}}"

    return spoil


def _year(form: str) -> Spoil:
    return lambda rng, value: (
        f"{dt.datetime.strptime(value, form).replace(year=rng.choice((2107, 2204, 1924, 3024))):{form}}"
    )


def _short_year(form: str) -> Spoil:
    return lambda rng, value: f"{dt.datetime.strptime(value, form):{form.replace('%Y', '%y')}}"


def _dated(style: int) -> Spoil:
    months = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]

    def spoil(rng: random.Random, value: str) -> str | None:
        low, _, high = value.partition("-")
        if not (1 <= int(low) <= 12 and 1 <= int(high) <= 12):
            return None
        day = dt.date(2024, int(high), int(low))
        return (f"{int(low):02d}-{months[day.month - 1]}", f"{day}", str((day - dt.date(1899, 12, 30)).days))[style]

    return spoil


def _code_dated(rng: random.Random, value: str) -> str | None:
    name, _, number = value.partition("-")
    return f"{int(number):02d}-{name.capitalize()}" if name in ("MAR", "SEP", "DEC") else None


def _misread(rng: random.Random, value: str) -> str | None:
    if value.isascii():
        return None
    try:
        return value.encode().decode("cp1252")
    except UnicodeDecodeError:
        return value.encode().decode("latin-1")


def _respelled(rng: random.Random, value: str) -> str | None:
    ways = [value.upper(), value.lower(), value.replace(" ", "  "), value.replace(" ", "-")]
    if len(value) > 6:
        at = rng.randrange(3, len(value) - 2)
        if value[at].isalpha() and value[at] != value[at + 1]:
            ways += [value[:at] + value[at + 1 :], value[:at] + value[at] + value[at:]]
    return rng.choice([way for way in ways if way != value] or [value])


def _hidden(rng: random.Random, value: str) -> str | None:
    at = len(value) // 2
    return value[:at] + rng.choice(("\u200b", "\u00ad", "\ufeff")) + value[at:] if len(value) > 2 else None


def _spaced(rng: random.Random, value: str) -> str | None:
    return rng.choice((f" {value}", f"{value} ", f"{value}\u00a0", f"\t{value}")) if value else None


def _escaped(rng: random.Random, value: str) -> str | None:
    return (
        rng.choice((f"{value}\\t", f"{value}\\n", value.replace(" ", "\\n", 1), f"{value} &amp; more"))
        if value
        else None
    )


def columns(rng: random.Random) -> list[Column]:
    """The columns of one table, in an order and with faults of its own."""
    form = rng.choice(("%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y"))
    year, month = rng.choice((2022, 2023, 2024)), rng.randint(1, 11)
    share = lambda: rng.uniform(0.004, 0.02)  # noqa: E731
    comma = rng.random() < 0.3

    def marked(make: Maker) -> Maker:
        return (lambda r, i: make(r, i).replace(".", ",")) if comma else make

    def other_mark(r: random.Random, value: str) -> str | None:
        return value.replace(",", ".") if comma else value.replace(".", ",")

    rest = [
        Column("sampled_on", _date(form, year, month, 1), {
            "day and month exchanged": (3 * share(), _exchanged(form)), "impossible year": (share() / 2, _year(form)),
            "two-digit year": (share(), _short_year(form)) if "/" in form or "." in form else (0, _missing)}),
        Column("depth_band", _one_of(BANDS), {"turned into a date": (2 * share(), _dated(rng.randrange(3)))}),
        Column("ph", _number(7.6, 0.4, 1, 5), {
            "scale slip": (share(), _scaled(1)), "disguised missing": (share(), _missing)}),
        Column("oxygen", _number(9, 1.1, 1, 4), {"unit": (2 * share(), _unit("mg/L"))}),
        Column("water_temp", _number(12, 3, 1, 0.1), {"disguised missing": (share(), _sentinel(rng.choice(("-999", "-99.9", "9999"))
               if rng.random() < 2 else "")), "uncertainty": (share(), lambda r, v: f"{v} ± 0.{r.randint(1, 5)}")}),
        Column("turbidity", _wild(1.2, 0.7, 1), {"detection limit": (share(), lambda r, v: r.choice(("<0.5", "< 0.2", "<1")))}),
        Column("conductivity", _number(1450, 320, 0, 600), {
            "decimal or thousands mark": (share(), lambda r, v: f"{int(v):,}" if len(v) > 3 else None)}),
        Column("level_m", marked(_number(2.35, 0.31, 2, 1.1)), {
            "decimal or thousands mark": (share(), other_mark)}),
        Column("share_open", _number(55, 12, 0, 5), {"percent": (share(), lambda r, v: f"{v} %")}),
        Column("cost", _wild(4, 0.5, 2), {"currency": (share(), lambda r, v: r.choice((f"€{v}", f"{v} EUR")))}),
        Column("flow", _wild(1, 0.6, 3), {}),
        Column("bottles", lambda r, i: str(r.randint(1, 4)), {}),
        Column("site_code", lambda r, i: f"{r.randrange(12, 260):04d}", {
            "lost leading zeros": (share(), lambda r, v: v.lstrip("0"))}),
        Column("lab_number", lambda r, i: str(24_000_000 + 37 * i + r.randrange(30)), {
            "scientific notation": (share(), lambda r, v: f"{float(v):.2E}")}),
        Column("region", _one_of(REGIONS), {
            "wrong decoding": (2 * share(), _misread), "spelling variants": (share(), _respelled)}),
        Column("sampler", _one_of(SAMPLERS), {"spaces at the ends": (share(), _spaced)}),
        Column("analyte", _one_of(ANALYTES), {
            "spelling variants": (share(), _respelled), "invisible characters": (share(), _hidden)}),
        Column("bottle_code", lambda r, i: f"{r.choice(('MAR', 'KEL', 'SEP', 'TOR', 'DEC', 'BAL'))}-{r.randint(1, 12)}", {
            "turned into a date": (2 * share(), _code_dated)}),
        Column("inflow", _number(4200, 700, 1, 2100), {"scale slip": (share(), _scaled(-3))}),
        Column("note", lambda r, i: r.choice(NOTES) + f" {i}" if r.random() < 0.4 else "", {
            "literal escape": (3 * share(), _escaped)}),
    ]  # fmt: skip
    rng.shuffle(rest)
    chosen = rest[: rng.randint(9, len(rest))]
    return [Column("sample_id", lambda r, i: f"WQ-{i:06d}", {}), *chosen]


def table(seed: int, number: int, records: int, faults: bool) -> tuple[list[str], list[Row], Truth]:
    """A table: its column names, its records, and what is wrong with them (nothing without `faults`)."""
    rng = random.Random(f"{seed} {number}")
    columns_ = columns(rng)
    names = [column.name for column in columns_]
    rows: list[Row] = [{column.name: column.make(rng, i) for column in columns_} for i in range(records)]
    truth = Truth()
    if not faults:
        return names, rows, truth
    spoiler = Spoiler(rng, rows, truth)
    for column in columns_:
        for kind, (share, how) in column.faults.items():
            if share and rng.random() < 0.8:
                spoiler.spoil(column.name, kind, share, lambda value, how=how: how(rng, value))  # type: ignore[misc]
    _of_records(rng, names, rows, truth)
    return names, rows, truth


def _of_records(rng: random.Random, names: list[str], rows: list[Row], truth: Truth) -> None:
    """Shifted records and repeated headers in place; repeated records at the end, so that rows keep their numbers."""
    touched = {int(str(entry["row"])) for entry in truth.entries}
    free = [i for i in range(len(rows)) if i not in touched]
    rng.shuffle(free)
    for _ in range(rng.randint(3, 12)):
        index, at = free.pop(), rng.randrange(1, 5)
        cells = [rows[index][name] for name in names]
        cells = [*cells[:at], "", *cells[at:-1]] if rng.random() < 0.5 else [*cells[:at], *cells[at + 1 :], ""]
        rows[index] = dict(zip(names, cells, strict=True))
        truth.add(index, "", "shifted columns", "", "")
    if "site_code" in names:
        for _ in range(rng.randint(3, 8)):
            index = free.pop()
            row = rows[index]
            row["sample_id"], row["site_code"] = row["site_code"], row["sample_id"]
            truth.add(index, "", "swapped columns", "", "")
    for _ in range(rng.randint(1, 3)):
        index = free.pop()
        rows[index] = {name: name for name in names}
        truth.add(index, "", "header among the records", "", "")
    for _ in range(rng.randint(5, 30)):
        index = free.pop()
        rows.append(dict(rows[index]))
        truth.add(index, "", "duplicate records", "", "")
        truth.add(len(rows) - 1, "", "duplicate records", "", "")
    for _ in range(rng.randint(3, 12)):
        index = free.pop()
        again = {
            name: cell.upper() if rng.random() < 0.5 and "ß" not in cell else f"{cell} "
            for name, cell in rows[index].items()
        }
        rows.append(again | {"sample_id": f"WQ-{900_000 + len(rows)}"})
        truth.add(index, "", "near duplicates", "", "")
        truth.add(len(rows) - 1, "", "near duplicates", "", "")


def write(folder: Path, seed: int, number: int, records: int, faults: bool) -> tuple[Path, Truth]:
    """Write one table as comma-separated text."""
    names, rows, truth = table(seed, number, records, faults)
    path = folder / f"table-{seed}-{number}.csv"
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.DictWriter(file, names)
        writer.writeheader()
        writer.writerows(rows)
    return path, truth


if __name__ == "__main__":
    made, found = write(Path(sys.argv[1]), int(sys.argv[2]), 0, 3000, True)
    found.write(made.with_suffix(".truth.json"))
