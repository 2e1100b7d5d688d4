"""Outliers of quantities, dates and text lengths."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import numpy as np

from pravin_core.profiling.column_values import ColumnValues, quantile
from pravin_core.profiling.findings.base import Finding, Kind, cells, numbers_only, of_column, opened_by
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import Role

KIND = Kind(
    "outliers",
    "Quantities judged by three methods: beyond 1.5 interquartile ranges from the quartiles (Tukey 1977), a modified "
    "standard score over 3.5 from median and median deviation (Iglewicz and Hoaglin 1993), and a standard score over 3. "
    "Those that all three call outliers are counted. Numbers above zero that are skewed to the right are judged by their logarithms "
    "(Bowley's skewness of quartiles or outer twentieths over 0.25, less on the logarithmic scale).",
)
LENGTH = Kind(
    "unusual length", "Texts longer than 3 interquartile ranges beyond the quartiles of the lengths (Tukey 1977)."
)
Array = np.ndarray[Any, Any]
PLAIN = ("whole number", "decimal", "missing")
_LENGTHS = (
    "SELECT length(value) AS size, sum(n)::BIGINT AS n FROM column_values WHERE value <> '' GROUP BY size ORDER BY size"
)


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Quantities far from the others by every method; texts of unusual length."""
    if column.role is Role.QUANTITY and column_values.numeric >= 20:
        yield from _of_numbers(column_values)
    elif column.role in (Role.CATEGORY, Role.FREE_TEXT) and column_values.present >= 20:
        yield from _of_lengths(column_values)


def methods(values: Array, counts: Array) -> dict[str, Array]:
    """Which of the values (in rising order) each method calls an outlier."""
    q1, middle, q3 = quantile(values, counts, (0.25, 0.5, 0.75))
    n = int(counts.sum())
    off = np.abs(values - middle)
    deviation = _median(off, counts)
    mean = float((values * (counts / n)).sum())
    spread = float(np.sqrt((counts * (values - mean) ** 2).sum() / max(1, n - 1)))
    none = np.zeros(len(values), dtype=bool)
    return {
        "quartile fence": (values < q1 - 1.5 * (q3 - q1)) | (values > q3 + 1.5 * (q3 - q1)) if q3 > q1 else none,
        "median deviation": 0.6745 * off / deviation > 3.5 if deviation else none,
        "standard score": np.abs(values - mean) > 3 * spread if spread else none,
    }


def is_skewed(values: Array, counts: Array) -> bool:
    """Whether numbers, all above zero, are better judged by their logarithms (skewness by Bowley 1901)."""
    if values[0] <= 0:
        return False

    def skewness(q1: float, middle: float, q3: float) -> float:
        return (q3 + q1 - 2 * middle) / (q3 - q1) if q3 > q1 else 0.0

    plain = quantile(values, counts, (0.25, 0.5, 0.75))
    tails = quantile(values, counts, (0.05, 0.5, 0.95))
    return max(skewness(*plain), skewness(*tails)) > 0.25 and abs(skewness(*(math.log(q) for q in tails))) < abs(
        skewness(*tails)
    )


def _median(values: Array, counts: Array) -> float:
    if counts.sum() < 3 * len(values):  # hardly any repeats: a selection is cheaper than sorting
        return float(np.median(np.repeat(values, counts)))
    order = np.argsort(values)
    return quantile(values[order], counts[order], (0.5,))[0]


def _of_numbers(column_values: ColumnValues) -> Iterator[Finding]:
    values, counts = column_values.numbers
    if not np.isfinite(values).all() or float(np.abs(values).max()) > 1e150:
        return
    by_size = is_skewed(values, counts)
    judged = methods(np.log(values) if by_size else values, counts)
    every = np.logical_and.reduce(list(judged.values()))
    count = int(counts[every].sum())
    if not count:
        return
    q1, q3 = quantile(values, counts, (0.25, 0.75))
    inside = values[~every]
    by_method = ", ".join(f"{int(counts[met].sum()):,} by {name}" for name, met in judged.items())
    low, high = f"{inside.min():.15g}", f"{inside.max():.15g}"
    tests = {"below": (low, (values[every] < q1).any()), "above": (high, (values[every] > q3).any())}
    bounds = {test: bound for test, (bound, any_) in tests.items() if any_}
    doors = [make_filter("column", name=column_values.name, test=test, value=bound) for test, bound in bounds.items()]
    filters = numbers_only(column_values, doors[0] if len(doors) == 1 else make_filter("any of", of=tuple(doors)))
    beyond = [values < float(low) if test == "below" else values > float(high) for test in bounds]
    opened = None
    if len(filters) == 1 and column_values.decimal_mark == ".":  # plain numbers are read here as the door reads them
        others = opened_by(column_values, filters, without=PLAIN) or 0
        opened = int(counts[np.logical_or.reduce(beyond)].sum()) + others
    yield of_column(
        column_values, KIND, "low", count, f"{cells(count)} far from the others{' on a logarithmic scale' if by_size else ''} ({by_method})",
        filters=filters, effect=count, opened=opened,
        rule={"kind": "in-range", "columns": [column_values.name], "low": low, "high": high, "consequence": "note"},
    )  # fmt: skip


def _of_lengths(column_values: ColumnValues) -> Iterator[Finding]:
    rows = np.array(column_values.ask(_LENGTHS), dtype=np.int64)
    sizes, counts = rows[:, 0].astype(float), rows[:, 1]
    q1, q3 = quantile(sizes, counts, (0.25, 0.75))
    limit = q3 + 3 * max(q3 - q1, 1.0)
    count = int(counts[sizes > limit].sum())
    if not count or count > 0.05 * column_values.present:
        return
    longest = int(np.floor(limit))
    yield of_column(
        column_values, LENGTH, "low", count, f"{cells(count)} longer than {longest:,} characters",
        filters=[make_filter("column", name=column_values.name, test="longer", value=str(longest))],
    )  # fmt: skip
