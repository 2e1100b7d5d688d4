"""Patterns that people type: RE2 syntax, which takes time in proportion to the text whatever the pattern."""

from __future__ import annotations

import re
from functools import lru_cache

import duckdb


@lru_cache(maxsize=1000)
def fault_of(pattern: str) -> str:
    """What is wrong with a pattern, in the engine's words; nothing when it can be read."""
    try:
        with duckdb.connect() as con:
            con.execute("SELECT regexp_full_match('', $1)", [pattern]).fetchall()
    except duckdb.Error as error:
        return str(error).split("Error: ")[-1]
    return ""


def checked(pattern: str) -> str:
    """The pattern; raises ValueError when it cannot be read."""
    if said := fault_of(pattern):
        raise ValueError(f"the pattern {pattern!r} cannot be read: {said}")
    return pattern


def groups(pattern: str) -> int:
    """How many groups in brackets a pattern has."""
    return len(re.findall(r"(?<!\\)\((?!\?[^P])", pattern))
