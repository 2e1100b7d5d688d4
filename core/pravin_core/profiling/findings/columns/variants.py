"""Spelling variants of category values."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, of_column, those, translation
from pravin_core.profiling.findings.columns.decoding import repaired
from pravin_core.profiling.findings.columns.escapes import decoded
from pravin_core.profiling.findings.columns.spreadsheet_dates import is_day_and_month
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.variants.groups import Group, group, replaced
from pravin_core.profiling.variants.keys import folded
from pravin_core.tables.types import DataType, Role

KIND = Kind(
    "spelling variants",
    "Values of a column with the same letters and numbers, or within one or two edits of a value at least eight times as "
    "frequent (forty times where other letters stand in place of some and it occurs more than once), or with the words of one at least three "
    "times as frequent in another order, or cut short by a letter or two; other words for true and false than the column's. All groups by all methods, to be chosen from, are in Variants.",
)
MOST = 20_000
TIMES = 8
OTHER_ORDER = 3  # the same words hardly mean something else
OTHER_LETTER = 40
PAIRS = (("yes", "no"), ("true", "false"), ("y", "n"), ("t", "f"))
DIRECTED = frozenset((
    "to", "from", "into", "vs", "versus", "over", "before", "after", "nach", "von", "bis", "zu", "vor", "vers", "hacia",
))  # fmt: skip
SHORTEST = 4  # letters that must be left of a value cut short
_VALUES = "SELECT value, n FROM column_values WHERE kind IN ('text', 'true/false') AND length(value) <= 120"


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """All groups of the column together, with one code list."""
    if column.type not in (DataType.TEXT, DataType.BOOLEAN) or not 2 <= column.distinct <= MOST:
        return
    if column.role in (Role.TIME, Role.QUANTITY) or (
        column.distinct > 0.5 * column_values.present and column_values.present > 50
    ):
        return
    values = dict(column_values.ask(_VALUES))
    codes = propose(values) if column.type is DataType.TEXT else _truths(values)
    codes = {code: meaning for code, meaning in codes.items() if not _told_elsewhere(code, meaning)}
    if not codes:
        return
    count = sum(values[code] for code in codes)
    first = next(iter(codes.items()))
    yield of_column(
        column_values, KIND, "middle", count,
        f"{cells(count)} in {len(codes):,} other spellings, such as “{first[0]}” for “{first[1]}”",
        evidence=[Evidence(value=code, count=values[code], becomes=meaning) for code, meaning in codes.items()],
        filters=those(column_values.name, list(codes)), rule=translation(column_values.name, codes),
    )  # fmt: skip


def _truths(values: dict[str, int]) -> dict[str, str]:
    """Other ways to write true and false than the most frequent pair of words: that of Y is yes where most are yes and no."""
    by_word: dict[str, dict[str, int]] = defaultdict(dict)
    for value, n in values.items():
        by_word[value.strip().casefold()][value] = n
    cells_of = {pair: sum(sum(by_word[word].values()) for word in pair) for pair in PAIRS}
    usual = max(PAIRS, key=lambda pair: cells_of[pair])
    if not all(by_word[word] for word in usual):
        return {}
    written = [max(by_word[word], key=lambda value: by_word[word][value]) for word in usual]
    codes = {value: written[at] for pair in PAIRS for at, word in enumerate(pair) for value in by_word[word]}
    return {value: meant for value, meant in codes.items() if value != meant and values[value] < values[meant]}


def _told_elsewhere(code: str, meaning: str) -> bool:
    """Whether a spelling is told by findings of their own: spaces, hidden characters, decoding, turned into a date."""
    seen = "".join(c for c in code if c.isprintable()).strip()
    return (
        seen == "".join(c for c in meaning if c.isprintable()).strip()
        or repaired(code) is not None
        or decoded(code) != code
        or is_day_and_month(code)
    )


def propose(values: dict[str, int]) -> dict[str, str]:
    """Other spellings and the form proposed for each: those that hardly can mean something else."""
    codes: dict[str, str] = {}
    for group_ in group(values, "spelling"):
        codes |= {value: group_.preferred for value, _ in group_.members if value != group_.preferred}
    for method in ("edit distance", "one letter", "normalised key"):
        rest = {value: n for value, n in values.items() if value not in codes}
        for group_ in group(rest, method):
            codes |= dict.fromkeys(_rarer(group_), group_.preferred)
    codes |= _cut_short({value: n for value, n in values.items() if value not in codes})
    return {code: codes.get(meaning, meaning) for code, meaning in codes.items()}


def _cut_short(values: dict[str, int]) -> dict[str, str]:
    """Values that lost one or two letters at their end, and are the beginning of one other value only."""
    begun: dict[str, list[str]] = defaultdict(list)
    for value in values:
        for lost in (1, 2):
            if len(value) - lost >= SHORTEST and value[-lost - 1 :].isalpha():
                begun[value[:-lost]].append(value)
    return {
        value: whole[0]
        for value, n in values.items()
        if len(whole := begun.get(value, [])) == 1 and n * TIMES <= values[whole[0]]
    }


def _rarer(group: Group) -> list[str]:
    return [
        value for value, n in group.members if value != group.preferred and n <= _most_slips(value, group)
    ]  # fmt: skip


def _most_slips(value: str, group: Group) -> int:
    """How often a slip of a group's form may occur. Another letter in place of one (nitrate, nitrite) seldom comes twice; the
    same words in another order may come often, but from here to there is not from there to here.
    """
    cells_ = dict(group.members)[group.preferred]
    if group.method == "normalised key":
        return cells_ // OTHER_ORDER if DIRECTED.isdisjoint(folded(group.preferred).split()) else 0
    if replaced(folded(value), folded(group.preferred)):
        return max(cells_ // OTHER_LETTER, 1 if cells_ >= TIMES else 0)
    return cells_ // TIMES
