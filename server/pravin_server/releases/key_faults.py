"""Why the ready records of a result cannot be told apart by a key."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from pravin_core.releases.adding_up import key_faults
from pravin_core.runs.runner import result_parts
from pravin_server.common import cache


def key_fault(folder: Path, columns: Sequence[tuple[str, str]], key: Sequence[str]) -> str:
    """The sentence that says why the ready records in a result folder cannot be told apart; empty when they can."""
    known = {name for name, _ in columns}
    if lacking := [name for name in key if name not in known]:
        return f"the records have no column {lacking[0]!r}, which is part of the key"
    with cache.scratch() as scratch:
        faults = key_faults(result_parts(folder), columns, key, scratch, cache.limits())
    told = []
    if faults.shared:
        told.append(
            f"{faults.shared:,} ready records share their key with another (first: {_first(faults.first_shared)})"
        )
    if faults.incomplete:
        told.append(f"{faults.incomplete:,} ready records lack a part of it (first: {_first(faults.first_incomplete)})")
    return " and ".join(told)


def _first(records: Sequence[int]) -> str:
    return ", ".join(f"{number:,}" for number in records)
