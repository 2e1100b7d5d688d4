"""Columns of one record that agree in nearly all records: dates in order, products, durations; and the records in which not."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations, permutations
from typing import Any

import numpy as np

from pravin_core.profiling.findings.base import Finding, Kind
from pravin_core.profiling.findings.formulas import day_of, number_of, spread, that_disagree, tolerance_of
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.tables.types import DataType

ORDER = Kind(
    "dates of a record out of order",
    "Two columns of dates of which the first is not after the second in at least 9 of 10 records, and the records in which it "
    "is; low where these are more than 5 in 100, for then it may be meant.",
)
PRODUCT = Kind(
    "product that does not hold",
    "A column that is the product of two others, to half of its last decimal, in at least eight of ten records of an even "
    "sample, and the records in which it is not; low where these are more than 5 in 100.",
)
DURATION = Kind(
    "duration that does not hold",
    "A column of whole numbers that is the number of days between two columns of dates in at least 8 of 10 records, and the "
    "records in which it is not; low where these are more than 5 in 100.",
)
Array = np.ndarray[Any, Any]
LEAST = 50  # records in which all of the columns are filled
MOST_DATES, MOST_NUMBERS = 8, 14


def find(table: TableStudy) -> Iterator[Finding]:
    """A sample tells which columns agree; all records are asked only about these."""
    days = table.sampled_days
    dates = [one for one in table.columns if one.name in days][:MOST_DATES]
    for first, second in permutations(dates, 2):
        yield from _order(table, first, second, days[second.name] - days[first.name])
    wholes = [one for one in table.columns if one.type is DataType.WHOLE and 1 < one.distinct < 5000]
    for first, second in permutations(dates, 2):
        for length in wholes:
            off = days[second.name] - days[first.name] - table.sampled_numbers[length.name]
            yield from _duration(table, first, second, length, off[np.isfinite(off)])
    yield from _products(table)


def _order(table: TableStudy, first: ColumnProfile, second: ColumnProfile, apart: Array) -> Iterator[Finding]:
    known = apart[np.isfinite(apart)]
    after = float((known < 0).mean()) if len(known) else 1.0
    if after > 0.1 or (known > 0).sum() < LEAST or (known == 0).mean() > 0.9:
        return
    yield from that_disagree(
        table, ORDER, [first, second], f"{day_of(first)} > {day_of(second)}", f"{day_of(first)} <= {day_of(second)}",
        f"{first.name} is after {second.name}",
    )  # fmt: skip


def _duration(
    table: TableStudy, begin: ColumnProfile, end: ColumnProfile, length: ColumnProfile, off: Array
) -> Iterator[Finding]:
    if len(off) < LEAST or (off == 0).mean() < 0.8:
        return
    told = f"days_between({day_of(begin)}, {day_of(end)})"
    yield from that_disagree(
        table, DURATION, [length, begin, end], f"{told} <> {number_of(length)}", f"{told} = {number_of(length)}",
        f"{length.name} is not the days from {begin.name} to {end.name}",
    )  # fmt: skip


def _products(table: TableStudy) -> Iterator[Finding]:
    numbers = {name: cells for name, cells in table.sampled_numbers.items() if np.isfinite(cells).sum() >= LEAST}
    profiles = {one.name: one for one in table.columns if one.name in list(numbers)[:MOST_NUMBERS] and one.distinct > 1}
    for goal in profiles:
        for one, other in combinations([name for name in profiles if name != goal], 2):
            if (tolerance := _is_product(numbers[goal], numbers[one], numbers[other], table, goal)) is None:
                continue
            told = f"abs({number_of(profiles[one])} * {number_of(profiles[other])} - {number_of(profiles[goal])})"
            yield from that_disagree(
                table, PRODUCT, [profiles[goal], profiles[one], profiles[other]], f"{told} > {tolerance:.10g}",
                f"{told} <= {tolerance:.10g}", f"{goal} is not {one} times {other}",
            )  # fmt: skip
            break


def _is_product(goal: Array, one: Array, other: Array, table: TableStudy, name: str) -> float | None:
    """The tolerance with which a column is the product of two others; None when it is not."""
    few = spread(goal), spread(one), spread(other)
    known = np.isfinite(few[0]) & np.isfinite(few[1]) & np.isfinite(few[2]) & (few[0] != 0)
    near = np.abs(few[1] * few[2] - few[0]) <= 0.51 + 1e-9 * np.abs(few[0])  # no more decimals than none
    if (near & known).sum() < 0.7 * known.sum():
        return None  # a cheap look at some records
    known = np.isfinite(goal) & np.isfinite(one) & np.isfinite(other) & (goal != 0)
    quick = spread(np.flatnonzero(known))
    if len(quick) < LEAST or any(
        (cells[quick] == 1).mean() > 0.9 or len(np.unique(cells[quick])) < 2 for cells in (one, other)
    ):
        return None
    if len(np.unique(goal[quick])) < 5:
        return None
    tolerance = tolerance_of(table, name)
    scaled = tolerance + 1e-9 * np.abs(goal)
    if (np.abs(one[quick] * other[quick] - goal[quick]) <= scaled[quick]).mean() < 0.7:
        return None
    agrees = np.abs(one[known] * other[known] - goal[known]) <= scaled[known]
    return tolerance if agrees.mean() >= 0.8 else None
