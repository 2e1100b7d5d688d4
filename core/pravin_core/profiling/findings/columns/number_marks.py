"""Numbers with something beside them: units, limits, uncertainty, percent, currency."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from decimal import Decimal

from pravin_core.engines.functions import Mark
from pravin_core.engines.kinds import NUMERIC
from pravin_core.profiling.column_values import ColumnValues, Matches, quantile
from pravin_core.profiling.findings import thousands
from pravin_core.profiling.findings.base import (
    Evidence,
    Finding,
    Kind,
    Rule,
    cells,
    listed,
    matching,
    of_column,
    translation,
)
from pravin_core.profiling.model import ColumnProfile

NUMBER = r"[+-]?(?:\d{1,3}(?:[ ',]\d{3})+|\d+)(?:[.,]\d+)?(?:[eE][+-]?\d+)?"
SIGN = r"(?:<=?|>=?|≤|≥|~|≈|ca(?:\.|\s))"
_CURRENCIES = {
    "€": "EUR",
    "$": "USD",
    "£": "GBP",
    "¥": "JPY",
    "EUR": "EUR",
    "USD": "USD",
    "GBP": "GBP",
    "CHF": "CHF",
    "JPY": "JPY",
}
CURRENCY = r"(?:[€$£¥]|EUR|USD|GBP|CHF|JPY)"
UNIT = r"(?:[^\d\s.,+\-±<>=|;:_/#()%€$£¥][^\d±<>=|;:_#]{0,15}[³²⁻¹\d]?|°[A-Za-z]?|/[A-Za-z]{1,6})"

LIMIT = Kind("detection limit", "A number after <, >, ≤, ≥, ~ or ca. in a column that is otherwise numbers.")
UNCERTAINTY = Kind(
    "uncertainty",
    "A number followed by ± (or +/-) and another one, or by its last uncertain digits in brackets, as in 0.2(1), in a column "
    "that is otherwise numbers.",
)
PERCENT = Kind("percent", "A number followed by % in a column that is otherwise numbers.")
MONEY = Kind("currency", "A number with a sign or code of a currency in a column that is otherwise numbers.")
UNITS = Kind("unit", "A number followed by letters or a degree sign, alike in several cells, in a column of numbers.")

BARE = Kind("unit missing", "Plain numbers in a column where at least 19 of 20 numbers have a unit or a currency.")
FEW = 1 / 19
ENOUGH = 0.9

FORMS: tuple[tuple[Kind, str, str], ...] = (
    (LIMIT, rf"(?i)^\s*{SIGN}\s*({NUMBER})\s*(?:%|{UNIT})?\s*$", "with a limit sign"),
    (
        UNCERTAINTY,
        rf"^\s*({NUMBER})\s*(?:(?:±|\+/-|\+-)\s*{NUMBER}|\(\d{{1,3}}\))\s*(?:%|{UNIT})?\s*$",
        "with an uncertainty",
    ),
    (PERCENT, rf"^\s*({NUMBER})\s*%\s*$", "in percent"),
    (MONEY, rf"^\s*(?:{CURRENCY}\s*({NUMBER})|({NUMBER})\s*{CURRENCY})\s*$", "with a currency"),
    (UNITS, rf"^\s*(?:\d+\s*[x×]\s*)?({NUMBER})\s*({UNIT})\s*$", "with a unit"),
)
_SOME = rf"(?i)^\s*(?:{SIGN}|{CURRENCY})?\s*{NUMBER}\s*(?:$|[^\d\s.,:/_-])"
_HOLDING = {LIMIT: 0, UNCERTAINTY: 0, PERCENT: Mark.AMPERSAND, MONEY: 0, UNITS: 0}


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Each sort of mark for itself, when numbers and marked numbers make up most of the column."""
    met = _marked(column_values)
    for kind, form, words in FORMS:
        if kind in met:
            yield _finding(column_values, kind, form, words, met[kind])
    for kind, word in ((UNITS, "unit"), (MONEY, "currency")):
        if kind in met:
            yield from _without(word, column_values, met[kind])


def _without(word: str, column_values: ColumnValues, met: Matches) -> Iterator[Finding]:
    """Plain numbers in a column where nearly all others have a unit or a currency."""
    bare = column_values.matching(rf"^\s*{NUMBER}\s*$", Mark.DIGIT, kinds=NUMERIC)
    if 0 < bare.cells <= FEW * met.cells:
        yield of_column(
            column_values, BARE, "middle", bare.cells, f"{cells(bare.cells)} without the {word} that the others have: {listed(bare.texts)}",
            evidence=[Evidence(value=v, count=n) for v, n in bare.values[:50]],
            filters=matching(column_values.name, rf"^\s*{NUMBER}\s*$"),
        )  # fmt: skip


def is_written_otherwise(column_values: ColumnValues) -> bool:
    """Whether a column of texts holds numbers to a person: at least nine in ten of its cells, and most of them marked."""
    if column_values.match_rate(_SOME) < 0.9 and column_values.match_rate(thousands.ANY) < 0.9:
        return False
    marked = written_otherwise(column_values)
    present = column_values.present
    return marked >= 0.5 * present and column_values.numeric + marked >= ENOUGH * present


def written_otherwise(column_values: ColumnValues) -> int:
    """Cells that are numbers to a person, but have a mark or grouped thousands and so are texts to the engine."""
    marked = thousands.grouped(column_values)
    return sum(matches.cells for matches in _marked(column_values).values()) + (marked.unread if marked else 0)


def _marked(column_values: ColumnValues) -> dict[Kind, Matches]:
    """By sort of mark the plausible ones, where numbers and marked numbers make up most of the column."""
    if not column_values.kinds.get("text") or not column_values.count_where(Mark.DIGIT):
        return {}
    if column_values.numeric < 0.2 * column_values.present and column_values.match_rate(_SOME) < 0.3:
        return {}
    met = {kind: column_values.matching(form, _HOLDING[kind], kinds=("text",)) for kind, form, _ in FORMS}
    met[UNITS] = _units(met[UNITS], met[MONEY])
    if column_values.numeric + sum(matches.cells for matches in met.values()) < 0.6 * column_values.present:
        return {}
    return {
        kind: matches for kind, matches in met.items() if matches.cells and _plausible(kind, matches, column_values)
    }


def _units(met: Matches, money: Matches) -> Matches:
    """Without what reads as currency."""
    own = tuple((v, n) for v, n in met.values if v not in set(money.texts))
    return Matches(sum(n for _, n in own), len(own), own) if money.cells else met


def _currency_of(value: str) -> str:
    return next((code for written, code in _CURRENCIES.items() if written in value), "")


def _unit_of(value: str) -> str:
    match = re.match(FORMS[-1][1], value)
    return match[2].strip() if match else ""


def _plausible(kind: Kind, met: Matches, column_values: ColumnValues) -> bool:
    """Letters after a number are a unit when they come back; else they tell numbers apart (house numbers)."""
    if kind is not UNITS:
        return True
    units = Counter[str]()
    for value, n in met.values:
        units[_unit_of(value)] += n
    often = sum(n for unit, n in units.items() if n >= 0.1 * met.cells)
    single = all(len(unit) == 1 and unit.isalpha() for unit in units)
    return often >= 0.6 * met.cells and not (single and len(units) > 3) and column_values.numeric + met.cells > 0


def _finding(column_values: ColumnValues, kind: Kind, form: str, words: str, met: Matches) -> Finding:
    rule: Rule = {"kind": "replace-pattern", "columns": [column_values.name], "find": form, "replacement": r"\1"}
    says = f"{cells(met.cells)} {words}: {listed(met.texts)}"
    if kind is MONEY:
        often = Counter[str]()
        for value, n in met.values:
            often[_currency_of(value)] += n
        own = "|".join(_escaped(written) for written, code in _CURRENCIES.items() if code == often.most_common(1)[0][0])
        rule |= {"find": rf"^\s*(?:(?:{own})\s*({NUMBER})|({NUMBER})\s*(?:{own}))\s*$", "replacement": r"\1\2"}
        if len(often) > 1:
            says += f"; {len(often)} currencies, {listed([code for code, _ in often.most_common(4)])}"
    if kind is PERCENT and (shares := _as_shares(column_values, met)):
        return of_column(
            column_values, kind, "middle", met.cells, f"{says}; the other numbers are shares of 1",
            evidence=[Evidence(value=v, count=n, becomes=shares.get(v)) for v, n in met.values[:50]],
            filters=matching(column_values.name, form), rule=translation(column_values.name, shares),
        )  # fmt: skip
    if kind is UNITS:
        units = Counter[str]()
        for value, n in met.values:
            units[_unit_of(value)] += n
        most = _plain_unit(units.most_common(1)[0][0])
        alike = [unit for unit, _ in units.most_common() if _plain_unit(unit) == most]
        if len(units) > 1:
            says += f"; {len(units)} ways of writing a unit, {listed([unit for unit, _ in units.most_common(4)])}"
        rule["find"] = rf"^\s*({NUMBER})\s*(?:{'|'.join(_escaped(unit) for unit in alike)})\s*$"
    new = re.compile(rule["find"])
    evidence = [
        Evidence(value=v, count=n, becomes=(match.expand(rule["replacement"]) if (match := new.match(v)) else None))
        for v, n in met.values[:50]
    ]
    return of_column(
        column_values,
        kind,
        "middle",
        met.cells,
        says,
        evidence=evidence,
        filters=matching(column_values.name, form),
        rule=rule,
    )


def _as_shares(column_values: ColumnValues, met: Matches) -> dict[str, str]:
    """What percents are as parts of 1, where the other numbers are such: nearly all of them at most 1, the percents above."""
    values, counts = column_values.numbers
    if len(values) < 2 or met.distinct > len(met.values):
        return {}
    low, high = quantile(values, counts, (0.01, 0.99))
    written = {value: value.strip().rstrip("%").strip().replace(",", ".") for value in met.texts}
    if low < 0 or high > 1 or sum(float(text) > 1 for text in written.values()) < 0.9 * len(written):
        return {}
    mark = column_values.decimal_mark
    return {value: f"{Decimal(text).scaleb(-2):f}".replace(".", mark) for value, text in written.items()}


def _plain_unit(unit: str) -> str:
    """A unit as it is whatever the way of writing: without points and spaces, raised digits as digits; letter case only where
    it tells units apart (mm, Mm).
    """
    plain = unit.translate(_RAISED).replace(".", "").replace(" ", "")
    return plain.lower() if plain.lower() in _WRITTEN_IN_BOTH_CASES else plain


_RAISED = str.maketrans("²³¹⁻µ", "231-u")
_WRITTEN_IN_BOTH_CASES = ("l", "ml", "kg", "km", "cm", "min", "h", "ppm", "pcs", "stk", "hz", "khz", "kwh", "ha")


def _escaped(text: str) -> str:
    return "".join(f"\\{c}" if c in r"\.^$*+?()[]{}|" else c for c in text)
