"""Numbers whose thousands stand in groups: which mark groups them, and which stands before their decimals."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from pravin_core.engines.functions import Mark
from pravin_core.profiling.column_values import ColumnValues, Matches, quantile
from pravin_core.profiling.findings.base import for_python

SPACES = r" '’\x{00A0}\x{2009}\x{202F}"  # never a decimal mark
_GROUPED = r"^\s*[+-]?\d{1,3}(?:[%s]\d{3})+(?:%s\d+)?\s*$"
SINGLE = r"^\s*[+-]?\d+%s\d+\s*$"
ANY = r"^\s*[+-]?(?:\d{1,3}(?:[.,'’\s\x{00A0}\x{2009}\x{202F}]\d{3})+(?:[.,]\d+)?|\d+(?:[.,]\d+)?)\s*$"
_TOLD = r"^\s*[+-]?\d{1,3}(?:(?:[%s]\d{3})+%s\d+|(?:%s\d{3}){2,})\s*$"
_READ = re.compile(r"^\s*[+-]?\d+(?:[.,]\d*)?\s*$")
_EITHER = re.compile(r"^\s*[+-]?\d{1,3}[.,]\d{3}\s*$")
_WHOLE = re.compile(r"^\s*[+-]?(\d{1,3}(?:[.,'’\s]\d{3})+)\s*$")
MOST, ENOUGH = 0.5, 0.6
_SPACING = Mark.SPACE | Mark.WIDE | Mark.OTHER
_OF = {",": Mark.COMMA, ".": Mark.DOT}


@dataclass(frozen=True)
class Grouped:
    """The numbers of a column that are grouped (`values` with their cells), and those with the other decimal mark.

    `decimal` is the column's own decimal mark; `marks` are those that group, `pattern` what they stand in, as regular expressions.
    """

    decimal: str
    marks: str
    pattern: str
    values: dict[str, int]
    otherwise: dict[str, int]

    @property
    def cells(self) -> int:
        """How many cells are grouped."""
        return sum(self.values.values())

    @property
    def unread(self) -> int:
        """How many of them are no numbers to the engine as they stand."""
        return sum(n for value, n in self.values.items() if not _READ.match(value))

    @property
    def is_clear(self) -> bool:
        """Whether no number with the other decimal mark could be taken for a grouped one."""
        return not any(_EITHER.match(value) for value in self.otherwise)

    def plain(self, value: str) -> str:
        """A grouped number without its marks."""
        return re.sub(rf"(?<=\d){for_python(self.marks)}(?=\d)", "", value)


def grouped(column_values: ColumnValues) -> Grouped | None:
    """The grouped numbers of a column whose cells are mostly numbers; None where they are none.

    Three digits after a single comma or point can be either: the reading that is nearer to the median of the other numbers, as a
    ratio, is taken. Digits in groups of three are numbers where plain numbers are the most, where some have
    decimals, or where the first group is not always full; else they may be codes.
    """
    if not column_values.count_where(Mark.COMMA | _SPACING) and not column_values.kinds.get("text"):
        return None
    if column_values.numeric < MOST * column_values.present and column_values.match_rate(ANY) < ENOUGH:
        return None
    decimal = _decimal_mark(column_values)
    own, other = (",", r"\.") if decimal == "," else (r"\.", ",")
    values, counts = column_values.numbers
    middle = abs(quantile(values, counts, (0.5,))[0]) if len(values) else 0.0
    holding = _OF[other[-1]] | _SPACING
    single = column_values.matching(SINGLE % other, _OF[other[-1]])
    thousands = {v: n for v, n in single.values if _is_thousands(v, other[-1], middle)}
    decimals = {v: n for v, n in single.values if v not in thousands}
    if column_values.decimals == sum(decimals.values()) == column_values.present:
        decimals = {}
    marks = f"{other}{SPACES}"
    pattern = _GROUPED % (marks, own)
    matches = column_values.matching(pattern, holding)
    met = {v: n for v, n in (dict(matches.values) | thousands).items() if v not in decimals}
    mostly_plain = column_values.numeric - single.cells >= MOST * column_values.present
    if not mostly_plain and not _are_numbers(met, matches, column_values):
        met = {}
        decimals = {} if all(_EITHER.match(value) for value in decimals) else decimals
    if not met and not decimals:
        return None
    return Grouped(decimal, f"[{marks}]", pattern, met, decimals)


def _decimal_mark(column_values: ColumnValues) -> str:
    """As most plain decimals are written; where grouped numbers tell it and are more than those, as they do."""
    fields = {
        own: column_values.matching(_TOLD % (other + SPACES, own, other), kinds=("text",)).cells
        for own, other in ((r"\.", ","), (",", r"\."))
    }
    if sum(fields.values()) > column_values.decimals:
        return "." if fields[r"\."] >= fields[","] else ","
    return column_values.decimal_mark


def _are_numbers(met: dict[str, int], matches: Matches, column_values: ColumnValues) -> bool:
    """Whether grouped digits count something, in a column of few plain numbers."""
    if not met or column_values.numeric + matches.cells < ENOUGH * column_values.present:
        return False
    whole = [_WHOLE.match(value) for value in met]
    digits = {len(re.sub(r"\D", "", match[1])) for match in whole if match}
    if any(match and match[1].startswith("0") for match in whole):
        return False
    return not all(whole) or any(size % 3 for size in digits)


def _is_thousands(value: str, mark: str, middle: float) -> bool:
    """Whether three digits after a mark are thousands: the reading nearer to the middle of the column."""
    whole, _, rest = value.strip().partition(mark)
    if len(rest) != 3 or len(whole.lstrip("+-")) > 3 or whole.lstrip("+-").startswith("0"):
        return False
    small, large = abs(float(f"{whole}.{rest}")), abs(float(whole + rest))
    if not middle or not small:
        return True
    return bool(abs(np.log(large / middle)) < abs(np.log(small / middle)))
