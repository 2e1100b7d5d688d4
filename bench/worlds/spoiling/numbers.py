"""Faults of numbers."""

from __future__ import annotations

import random

from bench.worlds.fields import Field, word
from bench.worlds.spoiling.base import Fault, Spoil, plain


def faults(rng: random.Random, column: Field) -> list[Fault]:
    """Words, codes for missing, marks beside the number, slips."""
    some = [
        Fault("does not fit its type", misfit(rng), is_lost=True),
        Fault("disguised missing", sentinel(column), is_lost=True),
    ]
    if all(plain(cell) > 0 for cell in column.cells[:200]):
        some.append(Fault("sign that never else occurs", lambda rng, value: f"-{value}", is_lost=True))
    if column.sort == "whole":
        return some
    other = "," if column.form == "." else "."
    return [
        *some,
        Fault("decimal or thousands mark", lambda rng, value: value.replace(column.form, other) if column.form in value else None),
        Fault("decimal or thousands mark", thousands(rng.choice((" ", other)), column.form)),
        Fault("currency", currency(rng)),
        Fault("unit", unit(rng)),
        Fault("percent", lambda rng, value: f"{value}%"),
        Fault("detection limit", lambda rng, value: f"<{value}"),
        Fault("uncertainty", uncertainty(rng, column)),
        Fault("scale slip", scale(rng, column)),
    ]  # fmt: skip


def misfit(rng: random.Random) -> Spoil:
    """Words and broken dates among numbers."""
    strange = [word(rng), f"{word(rng)} {word(rng)}", f"see {word(rng)}", "2024-03-0x"]
    return lambda rng, value: rng.choice(strange)


def sentinel(column: Field) -> Spoil:
    """A number of nines below zero, far from all others."""
    high = max(plain(cell) for cell in column.cells)
    code = "-999" if high < 500_000 else "-99999"
    return lambda rng, value: code


def thousands(mark: str, decimal: str) -> Spoil:
    """Groups of three digits with a mark between."""

    def spoil(rng: random.Random, value: str) -> str | None:
        if plain(value) < 1000:
            return None
        places = len(value.partition(decimal)[2])
        return f"{plain(value):,.{places}f}".replace(",", "\0").replace(".", decimal).replace("\0", mark)

    return spoil


def currency(rng: random.Random) -> Spoil:
    """A currency before or after the number."""
    sign, before = rng.choice(("EUR", "€", "$", "CHF")), rng.random() < 0.4
    return lambda rng, value: f"{sign} {value}" if before else f"{value} {sign}"


def unit(rng: random.Random) -> Spoil:
    """A unit after the number, in one or two ways of writing."""
    ways = rng.choice((("kg",), ("°C",), ("l", "L"), ("m²", "m2"), ("min", "min."), ("t",)))
    return lambda rng, value: f"{value} {rng.choice(ways)}"


def uncertainty(rng: random.Random, column: Field) -> Spoil:
    """A number with what it is uncertain by, in words of signs or of brackets (last digits)."""
    bracket = rng.random() < 0.4
    if bracket:
        return lambda rng, value: f"{value}({rng.randint(1, 9)})" if column.form in value else None
    return lambda rng, value: f"{value} ± 0{column.form}{rng.randint(1, 9)}"


def scale(rng: random.Random, column: Field) -> Spoil:
    """A point three places off."""
    power = rng.choice((1000, 1 / 1000))
    return lambda rng, value: f"{plain(value) * power:.6g}".replace(".", column.form or ".") if plain(value) else None


def other_number(rng: random.Random, value: str) -> str | None:
    """A number as good as any, but not the one."""
    return f"{plain(value) * rng.choice((0.9, 1.1, 1.25)):.2f}"
