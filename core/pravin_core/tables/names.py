"""The names a compiled plan gives to its own columns. `n` is the rule's place in the rulebook, from 1."""

from __future__ import annotations

import hashlib
import re

from pravin_core.tables.columns import ADDED, GONE, MADE_FROM, MERGED_INTO, PLACE

__all__ = ["ADDED", "AMENDED", "DECISION", "GONE", "LIVE", "MADE_FROM", "MERGED_INTO", "PLACE", "REASONS", "STATE"]

STATE, REASONS, DECISION, AMENDED = "__state", "__reasons", "__decision", "__amended"
LIVE = "__live"  # neither removed by a rule nor discarded by a decision


def cells_changed(n: int) -> str:
    """How many cells rule n changed in the record."""
    return f"__changed_{n}"


def cells_corrected(n: int) -> str:
    """How many cells rule n changed in columns that were there, where it fills new ones too."""
    return f"__corrected_{n}"


def cells_failed(n: int) -> str:
    """How many cells rule n could not treat in the record."""
    return f"__failed_{n}"


def broken(n: int) -> str:
    """Whether the record breaks check n."""
    return f"__broken_{n}"


def failed_text(n: int, position: int) -> str:
    """The text that correction n could not treat in its column at a position (missing when it could)."""
    return f"__failed_text_{n}_{position}"


def window_column(n: int, position: int) -> str:
    """What rule n found by looking at other records, for its column at a position."""
    return f"__window_{n}_{position}"


def reference(name: str) -> str:
    """The step that holds a reference table: its name as far as it can be read there, and what tells it from all others.

    Cleaned names collide (punctuation, letter case, letters that are not Latin), so the whole name is in the digest.
    """
    readable = re.sub(r"[^0-9a-z]+", "_", name.lower()).strip("_")[:40]
    return f"reference_{readable}_{hashlib.sha256(name.encode()).hexdigest()[:12]}"


def reference_as_text(name: str) -> str:
    """The step that holds a reference table with all its cells as text."""
    return f"{reference(name)}_as_text"


def computed(n: int, position: int) -> str:
    """The new cell of rule n in its column at a position, before it takes its place."""
    return f"__computed_{n}_{position}"


def membership(n: int, position: int) -> str:
    """The variable that holds, bit by bit, which records rule n found at a position of its questions."""
    return f"__members_{n}_{position}"


_COUNTS = re.compile(r"__(changed|corrected|failed)_\d+")


def is_count(name: str) -> bool:
    """Whether a column counts cells that a rule changed, corrected or failed to convert."""
    return _COUNTS.fullmatch(name) is not None
