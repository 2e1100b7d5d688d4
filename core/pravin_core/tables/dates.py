"""Written forms of dates: which text can be which date.

A form is tried only on texts of its pattern, because a failing parse is slow and casts guess.
Codes follow the C library's strptime (ISO/IEC 9899, POSIX).
"""

from __future__ import annotations

import re
from dataclasses import dataclass

_PIECES = {
    "%Y": r"\d{4}",
    "%y": r"\d{2}",
    "%m": r"(?:0?[1-9]|1[0-2])",
    "%d": r"(?:0?[1-9]|[12]\d|3[01])",
    "%b": r"(?i:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)",
    "%B": r"(?i:january|february|march|april|may|june|july|august|september|october|november|december)",
    "%H": r"(?:[01]?\d|2[0-3])",
    "%M": r"[0-5]\d",
    "%S": r"[0-5]\d",
}

SHORT_YEARS = (1900, 2200)  # from when to when the hundred years may end that two digits name


@dataclass(frozen=True)
class DateForm:
    """One written form: a strptime format and an example for people."""

    format: str
    example: str

    @property
    def has_time(self) -> bool:
        return "%H" in self.format


FORMS = (
    DateForm("%Y-%m-%d", "2024-03-17"),
    DateForm("%Y/%m/%d", "2024/03/17"),
    DateForm("%Y%m%d", "20240317"),
    DateForm("%d.%m.%Y", "17.03.2024"),
    DateForm("%d/%m/%Y", "17/03/2024"),
    DateForm("%m/%d/%Y", "03/17/2024"),
    DateForm("%d-%m-%Y", "17-03-2024"),
    DateForm("%d %b %Y", "17 Mar 2024"),
    DateForm("%d-%b-%Y", "17-Mar-2024"),
    DateForm("%d %B %Y", "17 March 2024"),
    DateForm("%Y-%m-%d %H:%M", "2024-03-17 09:40"),
    DateForm("%Y-%m-%d %H:%M:%S", "2024-03-17 09:40:00"),
    DateForm("%Y-%m-%dT%H:%M:%S", "2024-03-17T09:40:00"),
    DateForm("%d.%m.%Y %H:%M", "17.03.2024 09:40"),
    DateForm("%d/%m/%Y %H:%M", "17/03/2024 09:40"),
)


def pattern(date_format: str) -> str:
    """The regular expression of the texts a strptime format may be tried on.

    Raises ValueError for a code that is not supported.
    """
    out, at = [], 0
    while at < len(date_format):
        piece = date_format[at : at + 2] if date_format[at] == "%" else date_format[at]
        if piece.startswith("%"):
            if piece not in _PIECES:
                raise ValueError(f"the date code {piece} is not supported; use {', '.join(sorted(_PIECES))}")
            out.append(_PIECES[piece])
        else:
            out.append(re.escape(piece))
        at += len(piece)
    return "^" + "".join(out) + "$"


_SHAPES = {"%Y": "9{4}", "%y": "99", "%b": "[Aa]{3}", "%B": "[Aa]{3,9}", "%M": "99", "%S": "99"}


def shape_pattern(date_format: str) -> str:
    """The regular expression of the shapes (digits as 9, letters as a or A) that texts of a format can have."""
    pieces = re.split("(%.)", date_format)
    return "".join(
        _SHAPES.get(piece, "99?") if piece.startswith("%") else re.escape(piece) for piece in pieces
    ).replace("T", "A")
