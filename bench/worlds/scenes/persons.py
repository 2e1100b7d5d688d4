"""Customers of a shop: names in two columns, birth dates, addresses, account numbers, a band of spending."""

from __future__ import annotations

import datetime as dt
import random

from bench.worlds.fields import Field, day, word, words


def iban(rng: random.Random, country: str) -> str:
    """An account number with its right check digits (ISO 13616)."""
    account = "".join(rng.choice("0123456789") for _ in range(18))
    digits = "".join(str(int(letter, 36)) for letter in account + country + "00")
    return f"{country}{98 - int(digits) % 97:02d}{account}"


def persons(rng: random.Random, rows: int) -> list[Field]:
    """Names in two columns, birth dates, towns with their country, postcodes with leading zeros, sums of three parts."""
    forenames = [name.capitalize() for name in words(rng, 90)]
    surnames = [name.capitalize() for name in words(rng, 260) if name.capitalize() not in forenames]
    towns = [f"{name.capitalize()}{rng.choice((' am See', 'dorf', ' Süd', 'ü', 'é', ''))}" for name in words(rng, 24)]
    lands = [name.capitalize() for name in words(rng, 5)]
    land_of = {town: rng.choice(lands) for town in towns}
    living = [rng.choice(towns) for _ in range(rows)]
    named = [(rng.choice(forenames), rng.choice(surnames)) for _ in range(rows)]
    form = rng.choice(("%Y-%m-%d", "%d.%m.%Y"))
    country = rng.choice(("DE", "FR", "NL"))
    joined = [day(rng, dt.date(2016, 1, 1), 3000) for _ in range(rows)]
    parts = [[round(rng.lognormvariate(3.2, 0.6), 2) for _ in range(3)] for _ in range(rows)]
    bands = ["0-10", "11-25", "26-50", "51-100", "3-5", "6-9"]
    wide = f"{rng.randint(4, 9):02d}"
    return [
        Field("customer id", "code", [f"K{n}" for n in rng.sample(range(100_000, 999_999), rows)]),
        Field("forename", "name", [forename for forename, _ in named]),
        Field("surname", "name", [other for _, other in named]),
        Field("birth date", "date", [f"{day(rng, dt.date(1940, 1, 1), 24_000):{form}}" for _ in range(rows)], form),
        Field("mail", "email", [f"{a}.{b}{rng.randrange(9)}@{word(rng)}.example".lower() for a, b in named]),
        Field("phone", "phone", [f"+49 {rng.randint(201, 989)} {rng.randrange(10**5, 10**7)}" for _ in range(rows)]),
        Field("town", "category", living),
        Field("land", "category", [land_of[town] for town in living]),
        Field("postcode", "digits", [f"{rng.choice(('0', '1', '3'))}{rng.randrange(10**4):04d}" for _ in range(rows)]),
        Field("account", "iban", [iban(rng, country) for _ in range(rows)]),
        Field("customer since", "date", [f"{each_day:%Y-%m-%d}" for each_day in joined], "%Y-%m-%d"),
        Field("band", "range", [rng.choice(bands) for _ in range(rows)]),
        Field("goods", "number", [f"{part[0]:.2f}" for part in parts], "."),
        Field("freight", "number", [f"{part[1]:.2f}" for part in parts], "."),
        Field("fees", "number", [f"{part[2]:.2f}" for part in parts], "."),
        Field("paid", "number", [f"{sum(part):.2f}" for part in parts], "."),
        Field(f"plan {wide}", "code", [rng.choice(("MAR5", "DEC2", "X7", "SEP1", "2E4")) for _ in range(rows)], is_hard=True),
    ]  # fmt: skip
