"""Faults for the columns of any world: by sort of column, with words and forms drawn anew for each table."""

from __future__ import annotations

import csv
import datetime as dt
import random
from collections.abc import Callable
from pathlib import Path

from bench.worlds.tables import WORLDS, Field, word
from demo.spoil import Truth

Spoil = Callable[[random.Random, str], str | None]


def _plain(value: str) -> float:
    return float(value.replace(",", "."))


def _misfit_number(rng: random.Random) -> Spoil:
    strange = [word(rng), f"{word(rng)} {word(rng)}", f"see {word(rng)}", "2024-03-0x"]
    return lambda rng, value: rng.choice(strange)


def _impossible_date(column: Field) -> Spoil:
    def spoil(rng: random.Random, value: str) -> str | None:
        wrong = rng.choice(("13", "00", "31"))
        parts = {"%Y-%m-%d": 1, "%d.%m.%Y": 1, "%d/%m/%Y": 1}
        mark = next(mark for mark in "-./" if mark in value)
        cells = value.split(mark)
        cells[parts[column.form]] = "13" if wrong != "31" else "04"
        if wrong == "31":
            cells[2 if column.form.startswith("%Y") else 0] = "31"
        elif column.form == "%d/%m/%Y":
            cells[0] = "13"  # the 13th of a 13th month is no date in any order
        return mark.join(cells)

    return spoil


def _thousands(mark: str, decimal: str) -> Spoil:
    def spoil(rng: random.Random, value: str) -> str | None:
        number = _plain(value)
        if number < 1000:
            return None
        places = len(value.partition(decimal)[2])
        return f"{number:,.{places}f}".replace(",", "\0").replace(".", decimal).replace("\0", mark)

    return spoil


def _currency(rng: random.Random) -> Spoil:
    unit = rng.choice(("EUR", "€", "$", "CHF"))
    before = rng.random() < 0.4
    return lambda rng, value: f"{unit} {value}" if before else f"{value} {unit}"


def _unit(rng: random.Random) -> Spoil:
    unit = rng.choice(("kg", "°C", "l", "m²", "min", "t"))
    return lambda rng, value: f"{value} {unit}"


def _missing(rng: random.Random) -> Spoil:
    words = rng.sample(
        ("n/a", "unknown", "-", "not given", "none", "null", "?", "tbd", "no data", "NULL", "keine Angabe"), 3
    )
    return lambda rng, value: rng.choice(words)


def _sentinel(column: Field) -> Spoil:
    high = max(_plain(cell) for cell in column.cells)
    nines = next(text for text in ("-999", "-9999") if True)
    code = nines if high < 500_000 else "-99999"
    return lambda rng, value: code


def _decimal(column: Field) -> Spoil:
    other = "," if column.form == "." else "."
    return lambda rng, value: value.replace(column.form, other) if column.form in value else None


def _scale(rng: random.Random, column: Field) -> Spoil:
    power = rng.choice((1000, 1 / 1000))
    return lambda rng, value: f"{_plain(value) * power:.6g}".replace(".", column.form or ".")


def _earlier(column: Field) -> Spoil:
    """A day some weeks too early: a good date by itself."""

    def spoil(rng: random.Random, value: str) -> str | None:
        day = dt.datetime.strptime(value, column.form) - dt.timedelta(days=rng.randint(40, 60))
        return f"{day:{column.form}}"

    return spoil


def _other_number(rng: random.Random, value: str) -> str | None:
    return f"{_plain(value) * rng.choice((0.9, 1.1, 1.25)):.2f}"


def _spaces(rng: random.Random, value: str) -> str | None:
    return rng.choice((f" {value}", f"{value} ", f"{value}\u00a0")) if value else None


def _hidden(rng: random.Random, value: str) -> str | None:
    at = len(value) // 2
    return value[:at] + "\u200b" + value[at:] if len(value) > 3 else None


def _respelled(rng: random.Random, value: str) -> str | None:
    ways = [value.upper(), value.lower()]
    if len(value) > 6:
        at = rng.randrange(2, len(value) - 2)
        ways += [value[:at] + value[at + 1 :], value[:at] + value[at] + value[at:]]
    return rng.choice([way for way in ways if way != value] or [value])


def _far_year(column: Field) -> Spoil:
    return lambda rng, value: (
        f"{dt.datetime.strptime(value, column.form).replace(year=rng.choice((2205, 1024, 3024)), day=7):{column.form}}"
    )


def _serial(column: Field) -> Spoil:
    return lambda rng, value: str((dt.datetime.strptime(value, column.form) - dt.datetime(1899, 12, 30)).days)


def _broken_mail(rng: random.Random, value: str) -> str | None:
    return rng.choice((value.replace("@", ""), value.replace("@", "@@"), value.split("@")[0]))


def possible(rng: random.Random, column: Field) -> list[tuple[str, Spoil]]:
    """The faults that a column can have, by the kind of finding that should see them."""
    faults: list[tuple[str, Spoil]] = [("disguised missing", _missing(rng))]
    if column.sort in ("number", "whole"):
        faults += [("does not fit its type", _misfit_number(rng)), ("disguised missing", _sentinel(column))]
    if column.sort == "number":
        faults += [("decimal or thousands mark", _decimal(column)), ("currency", _currency(rng)), ("unit", _unit(rng))]
        faults += [("scale slip", _scale(rng, column))]
        mark = rng.choice((" ", "," if column.form == "." else "."))
        faults += [("decimal or thousands mark", _thousands(mark, column.form))]
    if column.sort == "date":
        faults += [("does not fit its type", _impossible_date(column)), ("impossible year", _far_year(column))]
        faults += [("does not fit its type", _serial(column)), ("does not fit its type", lambda rng, value: word(rng))]
    if column.name == "departure":
        faults = [("dates of a record out of order", _earlier(column))]
    if column.name == "total":
        faults = [("product that does not hold", _other_number)]
    if column.sort == "moment":
        faults += [("does not fit its type", lambda rng, value: word(rng))]
    if column.sort in ("category", "text"):
        faults += [("spaces at the ends", _spaces), ("invisible characters", _hidden)]
    if column.sort == "category":
        faults += [("spelling variants", _respelled)]
    if column.sort == "email":
        faults += [("breaks the form of its column", _broken_mail)]
    if column.sort == "truth":
        faults = [("does not fit its type", lambda rng, value: rng.choice(("maybe", "7", "oui")))]
    return faults


def write(folder: Path, world: str, seed: int, rows: int, spoiled: bool) -> tuple[Path, Truth, list[Field]]:
    """A table of a world as a file, with what was spoiled in it: up to three faults a column, alone or in runs."""
    rng = random.Random(f"{world} {seed} {spoiled}")
    columns = WORLDS[world](rng, rows)
    truth = Truth()
    for column in columns if spoiled else []:
        if column.is_hard:
            continue
        faults = possible(rng, column)
        touched: set[int] = set()
        for kind, spoil in rng.sample(faults, min(len(faults), rng.choice((0, 1, 1, 2, 2, 3)))):
            wanted = max(3, int(rows * rng.choice((0.002, 0.005, 0.01, 0.02, 0.05))))
            start = rng.randrange(rows)
            places = (
                [(start + at) % rows for at in range(wanted * 3)]
                if rng.random() < 0.2
                else rng.sample(range(rows), rows)
            )
            done = 0
            for row in places:
                if done >= wanted:
                    break
                if row in touched:
                    continue
                clean = column.cells[row]
                dirty = spoil(rng, clean)
                if dirty is None or dirty == clean:
                    continue
                column.cells[row] = dirty
                touched.add(row)
                done += 1
                truth.add(row, column.name, kind, clean, dirty)
    path = folder / f"{world}-{seed}{'' if spoiled else '-clean'}.csv"
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow([column.name for column in columns])
        writer.writerows(zip(*(column.cells for column in columns), strict=True))
    return path, truth, columns
