"""Numbers with the decimal point in the wrong place."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from typing import Any

import numpy as np
from scipy import stats

from pravin_core.profiling.column_values import ColumnValues, quantile
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, Rule, cells, listed, numbers_only, of_column
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import Role

KIND = Kind(
    "scale slip",
    "Numbers beyond the outer quartile fences (3 interquartile ranges, Tukey 1977) of the logarithms that fall among "
    "the others when multiplied by 10, 100, 1000 or a part, also by several of these (in a column of whole numbers only those that stay whole); and whole "
    "numbers, beyond the others, in a column where all others have as many decimals.",
)
Array = np.ndarray[Any, Any]
_PLACES = """
SELECT length(regexp_extract(trim(value), '[.,](\\d+)$', 1)) AS places, sum(n)::BIGINT AS cells FROM column_values
WHERE kind IN ('decimal', 'decimal comma') GROUP BY places ORDER BY cells DESC LIMIT 1
"""
_BY_PLACES = """
SELECT length(regexp_extract(trim(value), '[.,](\\d+)$', 1)) AS places, sum(n)::BIGINT AS cells,
  min(try_cast(replace(trim(value), ',', '.') AS DOUBLE)), max(try_cast(replace(trim(value), ',', '.') AS DOUBLE))
FROM column_values WHERE kind IN ('whole number', 'decimal', 'decimal comma') GROUP BY places
"""
_DECIMALS = """
SELECT min(try_cast(replace(trim(value), ',', '.') AS DOUBLE)), max(try_cast(replace(trim(value), ',', '.') AS DOUBLE))
FROM column_values WHERE kind IN ('decimal', 'decimal comma')
"""
_NUMBER_SHAPE = re.compile(r"^[+-]?9+(?:[.,]9+)?$")
BOTH_SIDES = 0.05
FEW_DECIMALS = 0.02
WIDE_GAP = 6  # so many times between the small numbers and the least other: no tail of a distribution has that
RARE = 0.001  # as often as nothing but chance may put numbers there
NINES = (999.0, 9999.0, 99999.0, 999999.0, 9999999.0)
_VALUES = """
SELECT value, n FROM column_values WHERE kind IN ('whole number', 'decimal', 'decimal comma')
  AND try_cast(replace(trim(value), ',', '.') AS DOUBLE) BETWEEN $low AND $high
  AND (try_cast(replace(trim(value), ',', '.') AS DOUBLE) <> 0 OR $low >= 0) ORDER BY n DESC, value LIMIT 50
"""


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Slips in each direction, with the rule that scales them."""
    if column.role not in (Role.QUANTITY, Role.FLAG) or column_values.numeric < 30:
        return
    values, counts = column_values.numbers
    end, from_ = (int(np.searchsorted(values, 0.0, side=side)) for side in ("left", "right"))  # zero has no scale
    below, below_counts = values[:end], counts[:end]
    values, counts = values[from_:], counts[from_:]
    nines = np.searchsorted(values, NINES)
    met = [at for at, nine in zip(nines, NINES, strict=True) if at < len(values) and values[at] == nine]
    if met:
        values, counts = np.delete(values, met), np.delete(counts, met)
    if len(values) < 8 or counts.sum() < 0.5 * column_values.numeric:
        return
    both = np.append(below, values), np.append(below_counts, counts)
    near = _nearer_than_the_last_decimal(column_values, column, *both)
    for slips, power in _beyond(values, counts) or _lost_points(column_values, values, counts):
        if power > 0 and (near or below_counts.sum() >= BOTH_SIDES * column_values.numeric):
            continue  # a column that goes through zero has small numbers on both of its sides
        if (
            power < 0
            and column_values.decimals <= FEW_DECIMALS * column_values.numeric
            and (values[slips] % 10**-power).any()
        ):
            continue  # nobody counts in parts: 273 was never 2.73
        yield _finding(column_values, values[slips], counts[slips], power)
        if power < 0 and (negative := _too_low(below, below_counts, values[: slips.start], power)):
            yield _finding(column_values, below[negative], below_counts[negative], power)
    if near:
        limit, power, cells_ = near
        yield _finding(column_values, np.array([-limit, limit]), np.array([0, cells_]), power)


def _too_low(values: Array, counts: Array, body: Array, power: int) -> slice | None:
    """Numbers below zero that are as many times too large as those above it, in a column whose body has both signs."""
    if not len(values) or not len(body):
        return None
    end = int(np.searchsorted(values, -float(body[-1])))
    least = float(values[end]) if end < len(values) else 0.0
    inside = values[:end] * 10.0**power >= least
    return slice(0, end) if 0 < counts[:end].sum() <= 0.1 * counts.sum() and inside.all() else None


def _places(column: ColumnProfile) -> int:
    """The decimals with which nine in ten numbers of the column's usual shapes are written, or fewer."""
    results = {shape.value: shape.count for shape in column.shapes if _NUMBER_SHAPE.match(shape.value)}
    up_to = 0
    for places, n in sorted((len(re.sub(r"^.*?(?:[.,]|$)", "", shape)), n) for shape, n in results.items()):
        up_to += n
        if up_to >= 0.9 * sum(results.values()):
            return places
    return 0


def _any_within(places: int, values: Array) -> bool:
    """Whether any number but zero is nearer to it than the last decimal that most are written with; a cheap look."""
    distance = np.abs(values)
    return bool(places and ((distance > 0) & (distance < 10.0**-places)).any())


def _nearer_than_the_last_decimal(
    column_values: ColumnValues, column: ColumnProfile, values: Array, counts: Array
) -> tuple[float, int, int] | None:
    """The distance from zero below which numbers are slips, the power of ten they lack, and their cells."""
    if not _any_within(_places(column), values):
        return None
    rows = column_values.ask(_BY_PLACES)
    cells_ = {int(places): int(n) for places, n, _, _ in rows}
    every = sum(cells_.values())
    usual = next((p for p in sorted(cells_) if sum(n for q, n in cells_.items() if q <= p) >= 0.9 * every), 0)
    extra = [(int(places), int(n), float(least), float(most)) for places, n, least, most in rows if places > usual]
    if not usual or not extra or usual > 4:
        return None
    power, limit = max(row[0] for row in extra) - usual, max(max(-row[2], row[3]) for row in extra)
    distance = np.abs(values)
    small = counts[(distance >= 10.0**-usual) & (distance < 10.0 ** (1 - usual))].sum()
    if power not in (2, 3) or limit >= 10.0**-usual or small < 5:
        return None
    own = values[distance >= 10.0**-usual]
    scaled = (min(row[2] for row in extra) * 10.0**power, max(row[3] for row in extra) * 10.0**power)
    if not len(own) or scaled[0] < own.min() or scaled[1] > own.max():
        return None
    return limit, power, sum(row[1] for row in extra)


def _beyond(values: Array, counts: Array) -> list[tuple[slice, int]]:
    """Stretches of the values (in rising order) that lie beyond the outer fences and belong elsewhere."""
    q1, q3 = (math.log10(q) for q in quantile(values, counts, (0.25, 0.75)))
    fence = 3 * max(q3 - q1, 0.02)
    begin = int(np.searchsorted(values, 10 ** (q1 - fence), side="left"))
    end = int(np.searchsorted(values, 10 ** (q3 + fence), side="right"))
    if begin >= end:
        return []
    least, most = math.log10(values[begin]), math.log10(values[end - 1])
    total = int(counts.sum())
    small, large = 10**q1, 10**q3
    lowest = small - 3 * (large - small)  # small numbers are only told from a broad column's own by the plain fence
    results = []
    for sign, out in ((-1, slice(end, len(values))), (1, slice(0, begin))):
        while best := _moved_into(values, counts, out, (least, most), sign):
            edge = values[best[0]][0] / 10**most if sign < 0 else 10**least / values[best[0]][-1]
            tells = sign < 0 or values[best[0]][-1] <= lowest
            tells = tells or (edge > WIDE_GAP and not _may_be_tail(values, counts, best[0], slice(begin, end)))
            if counts[best[0]].sum() > 0.2 * total or edge <= 1.25 or not tells:
                break  # no gap stands between the slips and the others
            results.append(best)
            # what lies farther out fits by no less than another power
            out = slice(best[0].stop, out.stop) if sign < 0 else slice(out.start, best[0].start)
    return results


def _may_be_tail(values: Array, counts: Array, small: slice, body: slice) -> bool:
    """Whether as many numbers may lie so low by chance, where the body has a normal tail as wide as its lowest percent: near zero a
    small step is many times, and says nothing.
    """
    percent, middle = quantile(values[body], counts[body], (0.01, 0.5))
    spread = (middle - percent) / stats.norm.ppf(0.99)
    if not spread > 0:
        return False
    by_chance = counts[body].sum() * stats.norm.cdf((values[small][-1] - middle) / spread)
    return bool(stats.poisson.sf(counts[small].sum() - 1, by_chance) > RARE)


def _moved_into(
    values: Array, counts: Array, out: slice, body: tuple[float, float], sign: int
) -> tuple[slice, int] | None:
    """Of the values outside, the most that fall among the others (between the logarithms `body`) by one power of ten."""
    least, most = body
    outside = int(counts[out].sum())
    best: tuple[slice, int] | None = None
    for power in (1, 2, 3):
        if not outside or most - least > 0.95 * power + 0.15 * (power == 1):
            continue
        low, high = least - sign * power - 0.02, most - sign * power + 0.02
        first = max(int(np.searchsorted(values, 10**low, side="left")), out.start)
        last = min(int(np.searchsorted(values, 10**high, side="right")), out.stop)
        moved = (slice(first, last), sign * power)
        if last > first and (best is None or counts[moved[0]].sum() > counts[best[0]].sum()):
            best = moved
    return best if best and counts[best[0]].sum() >= 0.5 * outside else None


def _lost_points(column_values: ColumnValues, values: Array, counts: Array) -> list[tuple[slice, int]]:
    """Whole numbers beyond all decimals, in a column of decimals that all have as many places."""
    decimals = column_values.kinds.get("decimal", 0) + column_values.kinds.get("decimal comma", 0)
    if decimals < 0.9 * column_values.numeric or not column_values.kinds.get("whole number"):
        return []
    places, with_them = column_values.ask(_PLACES)[0]
    if with_them < 0.97 * decimals or not places:
        return []
    least, most = column_values.ask(_DECIMALS)[0]
    first = int(np.searchsorted(values, most, side="right"))
    last = int(np.searchsorted(values, most * 10**places, side="right"))
    cells_ = int(counts[first:last].sum())
    if not 0 < cells_ <= 0.1 * counts.sum() or values[first] / 10**places < least:
        return []
    return [(slice(first, last), -int(places))]


def _finding(column_values: ColumnValues, values: Array, counts: Array, power: int) -> Finding:
    count, low, high = int(counts.sum()), float(values[0]), float(values[-1])
    factor = 10.0**power
    shown = column_values.ask(_VALUES, {"low": low, "high": high})
    limits = (f"{low:.15g}", f"{high:.15g}")
    door = numbers_only(column_values, make_filter("column", name=column_values.name, test="between", values=limits))
    if low < 0 < high:  # zero is right at any scale
        zero = make_filter("column", name=column_values.name, test="between", values=("0", "0"))
        door.append(make_filter("none of", of=(zero,)))
    rule: Rule = {
        "kind": "scale-values",
        "columns": [column_values.name],
        "factor": factor,
        "low": limits[0],
        "high": limits[1],
    }
    evidence = [
        Evidence(value=v, count=n, becomes=f"{float(v.strip().replace(',', '.')) * factor:.10g}")
        for v, n in shown if math.isfinite(factor)
    ]  # fmt: skip
    words = f"too {'large' if power < 0 else 'small'} by {10 ** abs(power):,} times"
    return of_column(
        column_values, KIND, "high", count, f"{cells(count)} {words}: {listed([v for v, _ in shown])}", evidence=evidence,
        filters=door, rule=rule, detail=f"{power}" if low >= 0 else f"{power} below",
    )  # fmt: skip
