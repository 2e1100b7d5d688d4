"""Personal data."""

from __future__ import annotations

import re
from collections.abc import Iterator

from pravin_core.engines.functions import Mark
from pravin_core.profiling.column_values import ColumnValues, Matches
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, matching, of_column
from pravin_core.profiling.model import ColumnProfile
from pravin_core.tables.types import DataType

KIND = Kind(
    "personal data",
    "E-mail addresses; telephone numbers; payment cards (13 to 19 digits with a right check digit, ISO/IEC 7812); "
    "account numbers (IBAN with a right check number, ISO 13616); postal addresses; names of people by the column's "
    "name and the form of its values.",
)
PHONE = r"^\s*(?:\+|00|\()?\d[\d ()/.-]{6,17}\d\s*$"
MAIL = r"^\s*[\w.+-]+@[\w-]+(?:\.[\w-]+)+\s*$"
_FORMS = {
    "e-mail addresses": (MAIL, Mark.AT),
    "payment card numbers": (r"^\s*\d(?:[ -]?\d){12,18}\s*$", Mark.DIGIT),
    "account numbers": (r"^\s*[A-Z]{2}\d{2}(?: ?[A-Z0-9]{2,4}){3,8}\s*$", Mark.LETTER),
    "telephone numbers": (PHONE, Mark.DIGIT),
    "postal addresses": (r"(?i)^\s*(?:\d+\w? [\pL. ]+ (?:street|st|road|rd|lane|avenue|ave|way|quay)\b|[\pL. -]+(?:straße|strasse|str\.|weg|gasse) \d+)", Mark.LETTER),
    "names of people": (r"^\s*\p{Lu}(?:\.|\pL+)(?:[ '-]\p{Lu}(?:\.|[\pL'-]+))+\s*$", Mark.LETTER),
}  # fmt: skip
_NAMED_PHONE = re.compile(r"phone|tel|mobile|fax", re.I)
_NAMED_PERSON = re.compile(
    r"(^|_)(name|person|sampler|author|contact|surname|first_?name|last_?name|owner|lead|manager)s?($|_)", re.I
)
ENOUGH = 0.6
_NEVER = (DataType.DECIMAL, DataType.DATE, DataType.DATETIME, DataType.BOOLEAN)


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """What most of the column's cells are."""
    if column_values.present < 5 or column.type in _NEVER:
        return
    for words, (pattern, mark) in _FORMS.items():
        if words == "names of people" and not _NAMED_PERSON.search(column_values.name):
            continue
        if not column_values.count_where(mark) or (
            mark is not Mark.AT and column_values.match_rate(pattern) < ENOUGH / 2
        ):
            continue
        met = column_values.matching(pattern, mark)
        share = met.cells / column_values.present
        if (words == "e-mail addresses" and met.cells) or (share >= ENOUGH and _true(words, met, column_values)):
            yield of_column(
                column_values, KIND, "low", met.cells, f"{cells(met.cells)} with {words}",
                evidence=[Evidence(value=v, count=n) for v, n in met.values[:3]],
                filters=matching(column_values.name, pattern), detail=words,
            )  # fmt: skip
            return


def _true(words: str, met: Matches, column_values: ColumnValues) -> bool:
    texts = met.texts[:500]
    if words == "payment card numbers":
        return sum(_checked_card(text) for text in texts) > 0.9 * len(texts)
    if words == "account numbers":
        return sum(_checked_account(text) for text in texts) > 0.9 * len(texts)
    if words == "telephone numbers":
        signed = sum(text.strip()[0] in "+(0" and not text.strip().isdigit() for text in texts)
        return bool(_NAMED_PHONE.search(column_values.name)) or (
            signed > 0.9 * len(texts) and not column_values.kinds.get("date")
        )
    return True


def _checked_card(text: str) -> bool:
    """Whether the last digit is right (Luhn 1954)."""
    digits = [int(c) for c in text if c.isdigit()][::-1]
    return sum(d if i % 2 == 0 else sum(divmod(2 * d, 10)) for i, d in enumerate(digits)) % 10 == 0


def _checked_account(text: str) -> bool:
    """Whether the check number is right (ISO 7064, modulo 97)."""
    plain = re.sub(r"\s", "", text)
    return int("".join(str(int(c, 36)) for c in plain[4:] + plain[:4])) % 97 == 1
