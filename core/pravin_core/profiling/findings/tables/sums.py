"""Totals that are not the sum of their parts."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from pravin_core.profiling.findings.base import Finding, Kind
from pravin_core.profiling.findings.formulas import number_of, spread, that_disagree, tolerance_of
from pravin_core.profiling.table import TableStudy

KIND = Kind(
    "sum that does not add up",
    "A column that is the sum of two to twelve neighbouring columns, or of any two, in at least eight of ten records of "
    "an even sample, and records in which it is not (to half of the last decimal written); low where these are more than 5 in 100.",
)
Array = np.ndarray[Any, Any]
MOST = 40


def find(table: TableStudy) -> Iterator[Finding]:
    """Each total with the records whose parts give another sum."""
    numbers = {name: cells for name, cells in table.sampled_numbers.items() if np.isfinite(cells).sum() > 30}
    names = list(numbers)[:MOST]
    if len(names) < 3:
        return
    for total in names:
        parts = _parts(total, names, numbers)
        if parts:
            yield from _wrong(table, total, parts)


def _parts(total: str, names: list[str], numbers: dict[str, Array]) -> list[str]:
    """The columns that a column is the sum of; none when it is not."""
    goal = numbers[total]
    if len(np.unique(goal[np.isfinite(goal)])) < 5:
        return []
    at = names.index(total)
    tried = [names[at - size : at] for size in range(12, 1, -1) if at >= size]
    tried += [names[at + 1 : at + 1 + size] for size in range(12, 1, -1) if at + size < len(names)]
    tried += _likely_pairs(total, names, numbers) if len(names) <= 25 else []
    for parts in tried:
        few = np.array([spread(numbers[name]) for name in parts]).sum(axis=0)  # NaN wherever a part is missing
        near = np.abs(few - spread(goal)) <= 1e-6 + 1e-9 * np.abs(spread(goal))
        if near.sum() < 0.7 * np.isfinite(few - spread(goal)).sum():
            continue
        cells = np.array([numbers[name] for name in parts])
        known = np.isfinite(goal) & np.isfinite(cells).all(axis=0)
        if known.sum() < 20 or (np.count_nonzero(cells[:, known], axis=1) < 0.2 * known.sum()).any():
            continue
        agree = np.abs(cells[:, known].sum(axis=0) - goal[known]) <= 1e-6 + 1e-9 * np.abs(goal[known])
        if agree.mean() >= 0.8:
            return parts
    return []


def _likely_pairs(total: str, names: list[str], numbers: dict[str, Array]) -> list[list[str]]:
    """The pairs of other columns whose sum is the total in most of some records of the sample."""
    others = [name for name in names if name != total]
    few = np.array([spread(numbers[name]) for name in others])
    off = few[:, None, :] + few[None, :, :] - spread(numbers[total])
    near = np.abs(off) <= 1e-6 + 1e-9 * np.abs(spread(numbers[total]))
    likely = near.sum(axis=2) >= 0.7 * np.isfinite(off).sum(axis=2)
    return [[others[a], others[b]] for a, b in zip(*np.nonzero(np.triu(likely, k=1)), strict=True)]


def _wrong(table: TableStudy, total: str, parts: list[str]) -> Iterator[Finding]:
    profiles = {each_column.name: each_column for each_column in table.columns}
    columns = [profiles[name] for name in (total, *parts)]
    added = " + ".join(number_of(column) for column in columns[1:])
    off, allowed = f"abs({added} - {number_of(columns[0])})", f"{tolerance_of(table, total):.10g}"
    shown = " + ".join(parts) if len(parts) <= 4 else f"{parts[0]} + … + {parts[-1]}"
    yield from that_disagree(
        table, KIND, columns, f"{off} > {allowed}", f"{off} <= {allowed}", f"{total} is not {shown}"
    )
