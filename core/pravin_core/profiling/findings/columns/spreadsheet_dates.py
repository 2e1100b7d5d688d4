"""Texts that a spreadsheet turned into dates: ranges, fractions and codes."""

from __future__ import annotations

import datetime as dt
import re
from collections import Counter
from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, of_column, those, translation
from pravin_core.profiling.model import ColumnProfile
from pravin_core.tables.types import DataType

KIND = Kind(
    "turned into a date",
    "In a column of ranges, fractions or codes a few values are dates, month names with a number, or serial numbers of "
    "days since 1899-12-30. The text they were is the one that the column's other values know, or whose shape they have. Where more "
    "than 4 in 10 are dates (up to 3 in 4), nearly all of them must be such known ones.",
)
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
LONG = ("january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november",
        "december")  # fmt: skip
_MONTH = "(?:" + "|".join(f"{short}(?:{long[3:]})?" for short, long in zip(MONTHS, LONG, strict=True)) + "|sept)"
_DATED = rf"(?i)^\s*(?:\d{{1,2}}[-. /]?{_MONTH}\.?(?:[-. /]\d{{2,4}})?|{_MONTH}\.?[- /.]?\d{{1,4}})\s*$"
_ISO = r"^\s*(?:\d{4}-\d{1,2}-\d{1,2}|\d{1,2}[./]\d{1,2}[./]\d{4})(?:[ T]0?0:00(?::00)?)?\s*$"
_SERIAL = r"^\s*[2-5]\d{4}(?:\.0+)?\s*$"
_PAIR = re.compile(r"^(\d{1,4})(\s?[-/.–]\s?| to )(\d{1,4})$")
_DAY_AND_MONTH = re.compile(rf"\d{{1,2}}[-. /]?{_MONTH}\.?", re.IGNORECASE)
_CODE = re.compile(r"^([A-Za-z]{3,9})([-_ ]?)(\d{1,2})$")
_PAIR_OF = r"^\d{1,4}(?:\s?[-/.–]\s?| to )\d{1,4}$"
_CODE_OF = r"^[A-Za-z]{3,9}[-_ ]?\d{1,2}$"
START = dt.date(1899, 12, 30)
OFTEN, MOST_DAMAGED, SURE = 0.4, 0.75, 0.9  # where so many are dates, nearly all must be texts that the others know


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Dates among ranges or codes, each with the text it was where that can be told."""
    if column.type is not DataType.TEXT or not column_values.present:
        return
    if column_values.match_rate(f"{_PAIR_OF}|{_CODE_OF}") < 0.2:
        return
    results = dict(column_values.matching(_DATED).values) | dict(column_values.matching(_ISO).values)
    pairs = {v: n for v, n in column_values.matching(_PAIR_OF).values if v not in results}
    codes = {v: n for v, n in column_values.matching(_CODE_OF).values if v not in results}
    others = column_values.present - sum(results.values())
    if max(sum(pairs.values()), sum(codes.values())) < 0.5 * others or not others:
        return
    known = pairs if sum(pairs.values()) >= sum(codes.values()) else codes
    results = {
        v: n for v, n in results.items() if known is pairs or not _CODE.match(v.strip()) or _month_of_code(v, codes)
    }
    if known is pairs:
        results |= dict(column_values.matching(_SERIAL, kinds=("whole number", "decimal")).values)
    count = sum(results.values())
    if not results or count > MOST_DAMAGED * column_values.present:
        return
    was = {value: text for value in results if (text := _original(value, known))}
    sure = sum(n for value, n in results.items() if value in was)
    if (
        count > OFTEN * column_values.present
        and sum(n for value, n in results.items() if was.get(value) in known) < SURE * count
    ):
        return
    rest = "" if sure == count else f"; what {count - sure:,} of them were cannot be told"
    yield of_column(
        column_values, KIND, "high", count, f"{cells(count)} turned into dates: {listed(list(results))}{rest}",
        evidence=[Evidence(value=v, count=n, becomes=was.get(v)) for v, n in results.items()],
        filters=those(column_values.name, list(results)), rule=translation(column_values.name, was),
    )  # fmt: skip


def is_day_and_month(text: str) -> bool:
    """Whether a text is a day with the name of a month, as a spreadsheet writes what was DEC-10."""
    return _DAY_AND_MONTH.fullmatch(text.strip()) is not None


def _month_of_code(value: str, codes: dict[str, int]) -> bool:
    """A month with a number among codes was made by a spreadsheet only when written as no other code is."""
    met = _CODE.match(value.strip())
    return not met or (
        met[1].lower()[:3] in MONTHS
        and not any(
            (other := _CODE.match(code)) and (other[1].isupper(), other[2]) == (met[1].isupper(), met[2])
            for code in codes
        )
    )


def _numbers(value: str) -> list[tuple[int, int, int]]:
    """The (day, month, year) a value can be; 0 for a part that is not there."""
    text = value.strip().lower()
    if re.match(_SERIAL, text):
        day = START + dt.timedelta(days=int(float(text)))
        return [(day.day, day.month, day.year)]
    if met := re.match(r"^(\d{4})-(\d{1,2})-(\d{1,2})", text):
        return [(int(met[3]), int(met[2]), int(met[1]))]
    if met := re.match(r"^(\d{1,2})[./](\d{1,2})[./](\d{4})", text):
        return [(int(met[1]), int(met[2]), int(met[3])), (int(met[2]), int(met[1]), int(met[3]))]
    if met := re.match(rf"^(\d{{1,2}})[-. /]?({_MONTH})", text):
        return [(int(met[1]), MONTHS.index(met[2][:3]) + 1, 0)]
    if met := re.match(rf"^({_MONTH})\.?[- /.]?(\d{{1,4}})$", text):
        month, number = MONTHS.index(met[1][:3]) + 1, int(met[2])
        return [(0, month, number), (number, month, 0)] if number > 31 else [(number, month, 0), (0, month, number)]
    return []


def _original(value: str, known: dict[str, int]) -> str | None:
    """The text a date was: the most frequent known one among those it can have been, else one shaped as most."""
    ranges = any(_PAIR.match(text) for text in known)
    possible = _ranges(value, known) if ranges else _codes(value, known)
    met = [text for text in possible if text in known]
    if met:
        return max(met, key=lambda text: known[text])
    if ranges:
        rising = all(int(m[1]) <= int(m[3]) for text in known if (m := _PAIR.match(text)))
        if rising:
            possible = [t for t in possible if (m := _PAIR.match(t)) and int(m[1]) < int(m[3])]
    different = list(dict.fromkeys(possible))
    return different[0] if len(different) == 1 else None


def _ranges(value: str, known: dict[str, int]) -> list[str]:
    marks = Counter(dict.fromkeys(("-",), 0))
    padded = False
    for text, n in known.items():
        if met := _PAIR.match(text):
            marks[met[2]] += n
            padded = padded or (met[1].startswith("0") and len(met[1]) > 1)
    possible = []
    mark = marks.most_common(1)[0][0]
    for day, month, year in _numbers(value):
        short = year % 100
        for a, b in ((day, month), (month, day), (month, short), (short, month)):
            if a and b:
                possible.append(f"{a:02d}{mark}{b:02d}" if padded else f"{a}{mark}{b}")
    return possible if len(set(possible)) else []


def _codes(value: str, known: dict[str, int]) -> list[str]:
    upper = sum(n for text, n in known.items() if text.split()[0].isupper() or text.upper() == text)
    forms = Counter[str]()
    for text, n in known.items():
        if met := _CODE.match(text):
            forms[met[2]] += n
    mark = forms.most_common(1)[0][0] if forms else ""
    possible = []
    for day, month, year in _numbers(value):
        if month > 12:
            continue
        for number in {day, year % 100} - {0}:
            for name in (MONTHS[month - 1], LONG[month - 1], "sept" if month == 9 else MONTHS[month - 1]):
                word = name.upper() if upper * 2 >= sum(known.values()) else name.capitalize()
                possible += [f"{word}{mark}{number}", f"{word}{mark}{number:02d}"]
    there = [text for text in possible if text in known]
    return there or possible[:1]
