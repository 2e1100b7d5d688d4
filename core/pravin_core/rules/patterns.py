"""Patterns that people type: RE2 syntax, which takes time in proportion to the text whatever the pattern."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import pyarrow
import pyarrow.compute

_FAULTS = {  # what RE2 says, and what is wrong in words
    "missing )": "a bracket ( is not closed", "missing closing )": "a bracket ( is not closed", "unexpected )": "a bracket ) closes none",
    "missing ]": "a bracket [ is not closed", "missing closing ]": "a bracket [ is not closed", "trailing \\": "it ends with a single \\",
    "invalid escape": "a \\ stands before a character that has no such meaning", "no argument for repetition": "nothing stands before * + ? or {",
    "bad repetition": "there are two of * + ? { after each other", "invalid character class": "a range such as [a-z] is wrong",
    "invalid perl operator": "(? is followed by something that is not known", "invalid group name": "the name of a group is wrong",
    "invalid named": "the name of a group is wrong", "too large": "it would become too large", "invalid repeat count": "a number in { } is too large",
    "bad repeat": "a number in { } is too large",
}  # fmt: skip


@lru_cache(maxsize=1000)
def fault_of(pattern: str) -> str:
    """What is wrong with a pattern, in words; nothing when it can be read."""
    compute: Any = pyarrow.compute
    try:
        compute.match_substring_regex(pyarrow.array([""]), pattern)  # RE2, as in the engine
    except pyarrow.ArrowInvalid as error:
        return next(
            (words for fault, words in _FAULTS.items() if fault in str(error)), "it is not written as patterns are"
        )
    return ""


def checked(pattern: str) -> str:
    """The pattern; raises ValueError when it cannot be read."""
    if text := fault_of(pattern):
        raise ValueError(f"the pattern {pattern!r} cannot be read: {text}")
    return pattern
