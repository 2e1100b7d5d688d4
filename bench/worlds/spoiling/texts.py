"""Faults of texts, categories and codes."""

from __future__ import annotations

import random

from bench.worlds.fields import Field, word
from bench.worlds.spoiling.base import Fault, Spoil

WORDS = ("n/a", "unknown", "-", "not given", "none", "null", "?", "tbd", "no data", "NULL", "keine Angabe", "xx")


def missing(rng: random.Random) -> Fault:
    """Words for missing."""
    some = rng.sample(WORDS, 3)
    return Fault("disguised missing", lambda rng, value: rng.choice(some), is_lost=True)


def faults(rng: random.Random, column: Field) -> list[Fault]:
    """What befalls texts of each sort."""
    if column.sort == "email":
        return [
            Fault("breaks the form of its column", broken_mail, is_lost=True),
            Fault("breaks the form of its column", lambda rng, value: f"+49 {rng.randrange(10**9)}", is_lost=True),
        ]
    if column.sort == "phone":
        return [
            Fault("breaks the form of its column", lambda rng, value: f"{word(rng)}@{word(rng)}.example", is_lost=True)
        ]
    if column.sort == "iban":
        return [Fault("breaks the form of its column", wrong_check, is_lost=True)]
    if column.sort == "truth":
        return [Fault("does not fit its type", lambda rng, value: rng.choice(("maybe", "7", "oui")), is_lost=True)]
    if column.sort == "digits":
        return [Fault("lost leading zeros", lambda rng, value: value.lstrip("0") or None)]
    if column.sort == "range":
        return [Fault("turned into a date", dated)]
    if column.sort not in ("category", "text", "name"):
        return []
    some = [
        Fault("spaces at the ends", spaces),
        Fault("invisible characters", hidden),
        Fault("literal escape", written_out(rng)),
        Fault("wrong decoding", decoded_wrongly),
    ]
    if column.sort == "category":
        some += [
            Fault("spelling variants", respelled),
            Fault("spelling variants", first_letter),
            Fault("spelling variants", turned),
            Fault("spelling variants", cut_short),
        ]
    return some


def broken_mail(rng: random.Random, value: str) -> str | None:
    """An address without what makes it one."""
    return rng.choice((value.replace("@", ""), value.replace("@", "@@"), value.split("@")[0]))


def wrong_check(rng: random.Random, value: str) -> str | None:
    """An account number with one digit changed: its check number is wrong."""
    at = rng.randrange(6, len(value))
    return value[:at] + str((int(value[at]) + rng.randint(1, 8)) % 10) + value[at + 1 :]


def dated(rng: random.Random, value: str) -> str | None:
    """A range that a spreadsheet took for a day of a month."""
    low, high = (int(part) for part in value.split("-"))
    months = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
    if 1 <= low <= 12 and high <= 12:
        return f"{low:02d}-{months[high - 1]}"
    if 13 <= high <= 31 and 1 <= low <= 12:
        return f"{high:02d}-{months[low - 1]}"
    return None


def spaces(rng: random.Random, value: str) -> str | None:
    """A space at an end."""
    return rng.choice((f" {value}", f"{value} ", f"{value}\u00a0")) if value else None


def hidden(rng: random.Random, value: str) -> str | None:
    """A character of no width inside."""
    at = len(value) // 2
    return value[:at] + "\u200b" + value[at:] if len(value) > 3 else None


def written_out(rng: random.Random) -> Spoil:
    """Marks written out by a program."""
    mark = rng.choice(("\\t", "\\n", "\\v", "%20", "&nbsp;", "<br>"))
    return lambda rng, value: value.replace(" ", mark, 1) if " " in value else f"{value}{mark}"


def decoded_wrongly(rng: random.Random, value: str) -> str | None:
    """UTF-8 read as Windows-1252."""
    return value.encode().decode("cp1252", "replace") if not value.isascii() else None


def respelled(rng: random.Random, value: str) -> str | None:
    """Other letter case, a letter lost or doubled."""
    ways = [value.upper(), value.lower()]
    if len(value) > 6:
        at = rng.randrange(2, len(value) - 2)
        ways += [value[:at] + value[at + 1 :], value[:at] + value[at] + value[at:]]
    return rng.choice([way for way in ways if way != value] or [value])


def first_letter(rng: random.Random, value: str) -> str | None:
    """The first letter lost or mistyped."""
    if len(value) < 6 or any(c.isdigit() for c in value):
        return None
    return rng.choice((value[1:], rng.choice("bcdfgklmprstvwz").upper() + value[1:]))


def turned(rng: random.Random, value: str) -> str | None:
    """The words in another order."""
    parts = value.split()
    return rng.choice((" ", ", ")).join(parts[::-1]) if len(parts) > 1 else None


def cut_short(rng: random.Random, value: str) -> str | None:
    """The last letters lost."""
    return value[: -rng.randint(1, 2)] if len(value) > 7 and not any(c.isdigit() for c in value) else None
