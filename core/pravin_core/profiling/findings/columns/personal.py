"""Personal data."""

from __future__ import annotations

import re
from collections.abc import Iterator

from pravin_core.engines.functions import Mark
from pravin_core.profiling.column_values import ColumnValues, Matches
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, matching, of_column
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import DataType

KIND = Kind(
    "personal data",
    "E-mail addresses; telephone numbers; payment cards (13 to 19 digits with a right check digit, ISO/IEC 7812); "
    "account numbers (IBAN with a right check number, ISO 13616); postal addresses; names of people by the column's "
    "name and the form of its values; birth dates, gender and health by the column's name.",
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
    "first or last names": (r"^\s*\p{Lu}[\pL'-]+(?: \p{Lu}[\pL'-]+)?\s*$", Mark.LETTER),
}  # fmt: skip
_NAMED_PHONE = re.compile(r"phone|tel|mobile|fax", re.I)
_NAMED_PERSON = re.compile(
    r"(^|[^a-z])(name|person|sampler|author|contact|surname|fore_?name|first[ _]?name|last[ _]?name|family[ _]?name|given[ _]?name"
    r"|vorname|nachname|familienname|prénom|nom|nombre|apellido|owner|lead|manager)s?($|[^a-z])",
    re.I,
)
_ONE_NAME = re.compile(r"sur|fore|first|last|family|given|vorn|nachn|prénom|nombre|apellido", re.I)
_NAMED = {  # told by the column's name alone, and by what sort of column it is
    "birth dates": re.compile(r"birth|born|dob($|[^a-z])|geburt|geboren|naissance|nacimiento|nascita", re.I),
    "gender": re.compile(r"(^|[^a-z])(gender|sex|geschlecht|sexe|sexo|genere)($|[^a-z])", re.I),
    "health": re.compile(
        r"diagnos|disease|illness|medication|allerg|symptom|disabilit|pregnan|blood[ _]?(type|group|pressure)|krankheit|befund"
        r"|(^|[^a-z])(icd|health)($|[^a-z])", re.I),
}  # fmt: skip
ENOUGH = 0.6
_NEVER = (DataType.DECIMAL, DataType.DATE, DataType.DATETIME, DataType.BOOLEAN)


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """What most of the column's cells are."""
    if column_values.present < 5:
        return
    for words, named in _NAMED.items():
        if named.search(column_values.name) and _is_such(words, column):
            yield of_column(
                column_values, KIND, "low", column_values.present, f"{cells(column_values.present)} about {words}",
                evidence=[Evidence(value=value.value, count=value.count) for value in column.values[:3]],
                filters=[make_filter("column", name=column.name, test="filled")], detail=words,
            )  # fmt: skip
            return
    if column.type in _NEVER:
        return
    for words, (pattern, mark) in _FORMS.items():
        if words == "names of people" and not _NAMED_PERSON.search(column_values.name):
            continue
        if words == "first or last names" and not _ONE_NAME.search(column_values.name):
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


def _is_such(words: str, column: ColumnProfile) -> bool:
    """Whether a column is of the sort that its name says: dates or years, a few categories, anything."""
    if words == "birth dates":
        return column.type in (DataType.DATE, DataType.DATETIME, DataType.WHOLE)
    return words == "health" or column.distinct <= 12


def _true(words: str, met: Matches, column_values: ColumnValues) -> bool:
    texts = met.texts[:500]
    if words == "payment card numbers":
        return sum(_checked_card(text) for text in texts) > 0.9 * len(texts)
    if words == "account numbers":
        return sum(_checked_account(text) for text in texts) > 0.9 * len(texts)
    return words != "telephone numbers" or reads_as_phones(column_values)


def reads_as_phones(column_values: ColumnValues) -> bool:
    """Whether numbers of the form of telephone numbers are meant as such: by the column's name, or a sign that only they have."""
    if _NAMED_PHONE.search(column_values.name):
        return True
    texts = column_values.matching(PHONE, Mark.DIGIT).texts[:500]
    signed = sum(text.strip()[0] in "+(0" and not text.strip().isdecimal() for text in texts)
    return signed > 0.9 * len(texts) and not column_values.kinds.get("date")


def _checked_card(text: str) -> bool:
    """Whether the last digit is right (Luhn 1954)."""
    digits = [int(c) for c in text if c.isdecimal()][::-1]
    return sum(d if i % 2 == 0 else sum(divmod(2 * d, 10)) for i, d in enumerate(digits)) % 10 == 0


def _checked_account(text: str) -> bool:
    """Whether the check number is right (ISO 7064, modulo 97)."""
    plain = re.sub(r"\s", "", text)
    return int("".join(str(int(c, 36)) for c in plain[4:] + plain[:4])) % 97 == 1
