"""Written forms of numbers: which text is a number under given marks."""

from __future__ import annotations

import re

SIGNIFICANT_DIGITS = 15  # what a 64-bit float keeps of any decimal number
WHOLE_DIGITS = 18  # what a 64-bit integer keeps


def number_pattern(decimal: str = ".", thousands: str = "") -> str:
    """The regular expression of a number with a decimal mark and, if given, a thousands mark.

    Thousands marks must stand between groups of three digits, so `1,2` is no number where the comma
    groups thousands. Exponents are read; hexadecimal, underscores, "nan" and "inf" are not numbers.
    """
    whole = r"\d+" if not thousands else rf"(?:\d{{1,3}}(?:{re.escape(thousands)}\d{{3}})+|\d+)"
    mark = re.escape(decimal)
    return rf"^[+-]?(?:{whole}(?:{mark}\d*)?|{mark}\d+)(?:[eE][+-]?\d{{1,3}})?$"


def whole_pattern(thousands: str = "") -> str:
    """The regular expression of a whole number with, if given, a thousands mark."""
    if not thousands:
        return r"^[+-]?\d+$"
    return rf"^[+-]?(?:\d{{1,3}}(?:{re.escape(thousands)}\d{{3}})+|\d+)$"
