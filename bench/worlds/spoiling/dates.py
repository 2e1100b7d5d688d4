"""Faults of dates and moments."""

from __future__ import annotations

import datetime as dt
import random

from bench.worlds.fields import Field, word
from bench.worlds.spoiling.base import Fault, Spoil


def faults(rng: random.Random, column: Field) -> list[Fault]:
    """Days that no calendar has, years that cannot be, serial numbers, other ways of writing."""
    if column.sort == "moment":
        return [
            Fault("does not fit its type", lambda rng, value: word(rng), is_lost=True),
            Fault("two-digit year", rewritten(column, "%d.%m.%y %H:%M")),
            Fault("does not fit its type", lambda rng, value: value.replace(" ", " 2", 1) + ":99", is_lost=True),
        ]
    code = rng.choice(("99/99/9999", "0000-00-00", "9999-12-31", "1900-01-01"))
    return [
        Fault("does not fit its type", impossible(column), is_lost=True),
        Fault("does not fit its type", lambda rng, value: word(rng), is_lost=True),
        Fault("disguised missing", lambda rng, value: code, is_lost=True),
        Fault("impossible year", far_year(column), is_lost=True),
        Fault("year of five digits", longer_year),
        Fault("serial number for a date", serial(column)),
        Fault("other form of a date", rewritten(column, rng.choice(("%d %B %Y", "%d-%b-%Y", "%Y/%m/%d")))),
        Fault("two-digit year", rewritten(column, "%d.%m.%y")),
    ]


def impossible(column: Field) -> Spoil:
    """The 31st of April, or a month 13 or 0."""

    def spoil(rng: random.Random, value: str) -> str | None:
        wrong = rng.choice(("13", "00", "31"))
        mark = next(mark for mark in "-./" if mark in value)
        cells = value.split(mark)
        cells[1] = "13" if wrong != "31" else "04"
        if wrong == "31":
            cells[2 if column.form.startswith("%Y") else 0] = "31"
        elif column.form == "%d/%m/%Y":
            cells[0] = "13"  # the 13th of a 13th month is no date in any order
        return mark.join(cells)

    return spoil


def far_year(column: Field) -> Spoil:
    """A year of another age."""
    return lambda rng, value: (
        f"{dt.datetime.strptime(value, column.form).replace(year=rng.choice((2205, 1024, 3024)), day=7):{column.form}}"
    )


def longer_year(rng: random.Random, value: str) -> str | None:
    """A digit of the year typed twice."""
    year = next(part for part in value.replace("-", ".").replace("/", ".").split(".") if len(part) == 4)
    at = rng.randrange(4)
    return value.replace(year, year[:at] + year[at] + year[at:], 1)


def serial(column: Field) -> Spoil:
    """The number of days since 1899-12-30, as spreadsheets keep dates."""
    return lambda rng, value: str((dt.datetime.strptime(value, column.form) - dt.datetime(1899, 12, 30)).days)


def rewritten(column: Field, form: str) -> Spoil:
    """The same day written in another way."""
    return lambda rng, value: f"{dt.datetime.strptime(value, column.form):{form}}"


def earlier(column: Field) -> Spoil:
    """A day some weeks too early: a good date by itself."""

    def spoil(rng: random.Random, value: str) -> str | None:
        day = dt.datetime.strptime(value, column.form) - dt.timedelta(days=rng.randint(40, 60))
        return f"{day:{column.form}}"

    return spoil
