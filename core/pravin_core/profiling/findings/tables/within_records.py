"""Columns of one record that agree in nearly all records: dates in order, products, durations; and the records in which not."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations, permutations
from typing import Any

import numpy as np

from pravin_core.profiling.findings.base import Finding, Kind
from pravin_core.profiling.findings.formulas import moment_of, number_of, spread, that_disagree, tolerance_of
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
    "A column of numbers that is the whole days between two columns of dates, or the hours or minutes between two with times (to "
    "half of its last decimal), in at least 8 of 10 records, and the records in which it is not; low where these are more than 5 in "
    "100.",
)
Array = np.ndarray[Any, Any]
LEAST = 50  # records in which all of the columns are filled
MOST_DATES, MOST_NUMBERS, MOST_LENGTHS = 8, 14, 60


def find(table: TableStudy) -> Iterator[Finding]:
    """A sample tells which columns agree; all records are asked only about these."""
    days = table.sampled_days
    dates = [column for column in table.columns if column.name in days][:MOST_DATES]
    pairs = [(column, other) for column, other in permutations(dates, 2) if column.type is other.type]
    for first, second in pairs:
        yield from _order(table, first, second, days[second.name] - days[first.name])
    lengths = [
        column for column in table.columns if column.name in table.sampled_numbers and 1 < column.distinct < 5000
    ][:MOST_LENGTHS]
    for first, second in pairs:
        apart = days[second.name] - days[first.name]
        for length in lengths:
            yield from _duration(table, first, second, length, apart)
    yield from _products(table)


def _order(table: TableStudy, first: ColumnProfile, second: ColumnProfile, apart: Array) -> Iterator[Finding]:
    known = apart[np.isfinite(apart)]
    after = float((known < 0).mean()) if len(known) else 1.0
    if after > 0.1 or (known > 0).sum() < LEAST or (known == 0).mean() > 0.9:
        return
    yield from that_disagree(
        table, ORDER, [first, second], f"{moment_of(first)} > {moment_of(second)}", f"{moment_of(first)} <= {moment_of(second)}",
        f"{first.name} is after {second.name}",
    )  # fmt: skip


def _duration(
    table: TableStudy, begin: ColumnProfile, end: ColumnProfile, length: ColumnProfile, apart: Array
) -> Iterator[Finding]:
    numbers = table.sampled_numbers[length.name]
    for unit, text, in_unit in _measures(begin, end, apart):
        tolerance = 0.0 if unit == "days" else tolerance_of(table, length.name)
        if _agrees(spread(in_unit), spread(numbers), tolerance) and _agrees(in_unit, numbers, tolerance):
            off = f"abs({text} - {number_of(length)})"
            wrong, right = (
                (f"{off} > {tolerance:.10g}", f"{off} <= {tolerance:.10g}")
                if tolerance
                else (f"{text} <> {number_of(length)}", f"{text} = {number_of(length)}")
            )
            yield from that_disagree(
                table, DURATION, [length, begin, end], wrong, right,
                f"{length.name} is not the {unit} from {begin.name} to {end.name}",
            )  # fmt: skip
            return


def _measures(begin: ColumnProfile, end: ColumnProfile, apart: Array) -> Iterator[tuple[str, str, Array]]:
    """Units of a length of time, each with its formula and the sampled lengths in it."""
    two = f"{moment_of(begin)}, {moment_of(end)}"
    yield "days", f"days_between({two})", np.trunc(np.round(apart, 6))
    if begin.type is DataType.DATETIME:
        yield "hours", f"hours_between({two})", apart * 24
        yield "minutes", f"hours_between({two}) * 60", apart * 1440


def _agrees(one: Array, other: Array, tolerance: float) -> bool:
    off = one - other
    off = off[np.isfinite(off)]
    return len(off) >= LEAST and bool((np.abs(off) <= tolerance + 1e-6).mean() >= 0.8)


def _products(table: TableStudy) -> Iterator[Finding]:
    numbers = {name: cells for name, cells in table.sampled_numbers.items() if np.isfinite(cells).sum() >= LEAST}
    profiles = {
        column.name: column
        for column in table.columns
        if column.name in list(numbers)[:MOST_NUMBERS] and column.distinct > 1
    }
    for goal in profiles:
        for each_name, other in combinations([name for name in profiles if name != goal], 2):
            if (tolerance := _is_product(numbers[goal], numbers[each_name], numbers[other], table, goal)) is None:
                continue
            sentence = (
                f"abs({number_of(profiles[each_name])} * {number_of(profiles[other])} - {number_of(profiles[goal])})"
            )
            yield from that_disagree(
                table, PRODUCT, [profiles[goal], profiles[each_name], profiles[other]], f"{sentence} > {tolerance:.10g}",
                f"{sentence} <= {tolerance:.10g}", f"{goal} is not {each_name} times {other}",
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
