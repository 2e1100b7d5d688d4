"""Values that stand for no value."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any

import numpy as np

from pravin_core.engines.functions import Mark
from pravin_core.profiling.column_values import ColumnValues, quantile
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, Severity, cells, listed, of_column, those
from pravin_core.profiling.model import ColumnProfile
from pravin_core.tables.types import DataType

Array = np.ndarray[Any, Any]
FEW = 0.05  # of the numbers may be a filler such as 0 or 1000000; more are meant
KIND = Kind(
    "disguised missing",
    "Tokens such as n/a or ?; words such as unknown; numbers of nines (-999, 9999) and fillers (0, 255, 1000000) that come back "
    "and lie far from all others; "
    "dates of zeros or nines (0000-00-00, 99/99/9999), and such as 1900-01-01 more than five years from all others. Words such as none are told apart, and low, where they are at "
    "least one in ten answers of a column of few.",
)
WORDS = (
    "unknown", "unk", "not available", "not applicable", "not recorded", "not measured", "no data", "no value", "nodata",
    "tbd", "tba", "t.b.d.", "xxx", "n.a.", "n.d.", "n. a.", "(blank)", "(null)", "<null>", "(none)", "(missing)", "blank",
    "void", "#value!", "#ref!", "#name?", "#null!", "#num!", "-/-", "..", "...", "*", "**", "???", "unbekannt",
    "keine angabe", "undefined", "\\n", "not given", "not stated", "not specified", "not known", "not entered", "not provided",
    "not reported", "not determined", "not set", "not found", "not filled", "none given", "no answer", "no entry", "no information",
    "no info", "no response", "nothing", "empty", "xx", "xxxx", "k.a.", "k. a.", "ohne angabe", "unbek.", "nicht bekannt",
    "nicht erfasst", "inconnu", "non renseigné", "sans objet", "desconocido", "sin datos", "sconosciuto", "onbekend", "okänd",
    "ukjent", "none@none.none", "no@mail.com",
)  # fmt: skip
SENTINELS = (
    -1,
    -9.9,
    -99.9,
    -999.9,
    -9999.9,
    99.9,
    999.9,
    -99.99,
    -999.99,
    *(sign * (10**digits - 1) for digits in range(1, 8) for sign in (1, -1)),
)
FILLERS = (0, 255, 32767, -32768, 65535, 100_000, 1_000_000, 1_000_000_000, 2_147_483_647, -2_147_483_648)
DATES = ("1900-01-01", "1899-12-30", "1899-12-31", "1901-01-01", "1970-01-01", "1111-11-11", "0001-01-01", "9999-12-31",
         "2099-12-31", "9999-01-01")  # fmt: skip
FAR = 5 * 365.25 * 86_400
FARTHEST = 20  # interquartile ranges: logarithms with a standard deviation of 1 reach 8

LISTED = 100
_TOKENS = "SELECT value, n FROM column_values WHERE kind = 'missing token' ORDER BY n DESC, value LIMIT $listed"
_WORDS = """
SELECT value, n FROM column_values WHERE kind = 'text' AND marks & $digit = 0 AND length(value) < 24 AND list_contains($words, lower(trim(value)))
ORDER BY n DESC, value
"""
_NO_DATES = r"""
SELECT value, n FROM column_values WHERE kind = 'text' AND list_contains($shapes, shape) AND regexp_full_match(trim(value), $pattern)
ORDER BY n DESC, value
"""
NO_DATE = r"(?:0000[-./]00[-./]00|9999[-./]99[-./]99|00[-./]00[-./]0000|99[-./]99[-./]9999)(?: 00:00(?::00)?)?"
SHAPES = frozenset(
    day.replace("-", mark) + time
    for day in ("9999-99-99", "99-99-9999")
    for mark in "-./"
    for time in ("", " 99:99", " 99:99:99")
)

_NUMBERED = """
SELECT value, n FROM column_values WHERE kind IN ('whole number', 'decimal')
  AND list_contains($numbers, try_cast(trim(value) AS DOUBLE)) ORDER BY n DESC, value
"""
_DATED = "SELECT value, n, moment FROM dates WHERE list_contains($days, moment::DATE::VARCHAR) ORDER BY n DESC, value"
_NEAREST = "SELECT min(moment), max(moment) FROM dates WHERE NOT list_contains($days, moment::DATE::VARCHAR)"


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """All tokens of the column together, with the rule that reads them as missing."""
    results = (
        _words(column_values) + _sentinels(column_values) + (_dates(column_values) if column.type in _DATE else [])
    )
    if column.meant:
        answers = {value.value for value in column.meant}
        own = [(value, n) for value, n in results if value in answers]
        results = [(value, n) for value, n in results if value not in answers]
        if own:
            yield _finding(
                column_values, own, "low", "that may be an answer like the others, or stand for missing", "answers"
            )
    count = sum(n for _, n in results)
    if not results or (
        count >= column_values.records - column.missing and len(results) == 1 and not column_values.present
    ):
        return
    yield _finding(column_values, results, "middle", "for missing")


def _finding(
    column_values: ColumnValues, found: Sequence[tuple[str, int]], severity: Severity, words: str, detail: str = ""
) -> Finding:
    texts, count = [value for value, _ in found], sum(n for _, n in found)
    tokens = list(dict.fromkeys(text.strip().lower() for text in texts if text.strip()))[:200]
    says = f"{cells(count)} with {listed([text.strip() or text for text in texts])} {words}"
    return of_column(
        column_values, KIND, severity, count, says,
        evidence=[Evidence(value=value, count=n, becomes="") for value, n in found], filters=those(column_values.name, texts),
        rule={"kind": "missing-tokens", "columns": [column_values.name], "tokens": tokens} if tokens else None, detail=detail,
        **({"effect": count} if len(found) < LISTED else {}),
    )  # fmt: skip


_DATE = (DataType.DATE, DataType.DATETIME)


def _words(column_values: ColumnValues) -> list[tuple[str, int]]:
    results = column_values.ask(_TOKENS, {"listed": LISTED}) + column_values.ask(
        _WORDS, {"words": list(WORDS), "digit": int(Mark.DIGIT)}
    )
    two_letters = sum(shape.cells for shape in column_values.shapes if shape.shape in ("AA", "AAA"))
    if two_letters > 0.5 * column_values.present:  # a column of codes may well hold the code NA
        results = [(value, n) for value, n in results if value not in ("NA", "NAN")]
    if SHAPES.isdisjoint(shape.shape for shape in column_values.shapes):
        return results
    return results + column_values.ask(_NO_DATES, {"pattern": NO_DATE, "shapes": list(SHAPES)})


def _sentinels(column_values: ColumnValues) -> list[tuple[str, int]]:
    values, counts = column_values.numbers
    if len(values) < 3:
        return []
    met, filler = _among(values, SENTINELS), _among(values, FILLERS)
    met |= filler & (counts <= FEW * counts.sum())
    if not met.any() or met.all():
        return []
    rest, rest_counts = values[~met], counts[~met]
    if rest_counts.sum() < 5:
        return []
    low, q1, q3, high = quantile(rest, rest_counts, (0.005, 0.25, 0.75, 0.995))
    if q3 > q1:  # what is as far out as nothing skewed is, does not tell how far the others go
        low, high = max(low, q1 - FARTHEST * (q3 - q1)), min(high, q3 + FARTHEST * (q3 - q1))
    spread = max(q3 - q1, (high - low) / 4, abs(high) * 0.01)
    total = int(counts.sum())
    chosen = []
    for value, n, fills in zip(values[met], counts[met], filler[met], strict=True):
        if fills:
            if n >= 3 and (value > high + 5 * spread or value < low - 5 * spread):
                chosen.append(float(value))
            continue
        negative = value < -1 and low >= 0 and (rest[0] >= 0 or n >= 2)
        beyond = (value > high + 3 * spread or value < low - 3 * spread) and abs(value) > 9
        often = n >= 2 and n >= 0.0002 * total
        if negative or (beyond and often) or (value == -1 and rest[0] >= 0 and n >= max(3, 0.002 * total)):
            chosen.append(float(value))
    return column_values.ask(_NUMBERED, {"numbers": chosen}) if chosen else []


def _among(values: Array, wanted: Sequence[float]) -> Array:
    """Which of the values (in rising order) are among the wanted ones."""
    places = np.searchsorted(values, wanted)
    met = np.zeros(len(values), dtype=bool)
    met[[at for at, value in zip(places, wanted, strict=True) if at < len(values) and values[at] == value]] = True
    return met


def _dates(column_values: ColumnValues) -> list[tuple[str, int]]:
    days = {"days": list(DATES)}
    rows = column_values.ask(_DATED, days)
    if not rows:
        return []
    first, last = column_values.ask(_NEAREST, days)[0]
    if first is None:
        return []

    def far(moment: datetime) -> bool:
        return (first - moment).total_seconds() > FAR or (moment - last).total_seconds() > FAR

    return [(value, n) for value, n, moment in rows if far(moment)]
