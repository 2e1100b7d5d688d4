"""Numbers with the decimal point in the wrong place."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import numpy as np

from pravin_core.profiling.column_values import ColumnValues, quantile
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, Rule, cells, listed, numbers_only, of_column
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import Role

KIND = Kind(
    "scale slip",
    "Numbers beyond the outer quartile fences (3 interquartile ranges, Tukey 1977) of the logarithms that fall among "
    "the others when multiplied by 10, 100, 1000 or a part; and whole numbers, beyond the others, in a column where "
    "all others have as many decimals.",
)
Array = np.ndarray[Any, Any]
_PLACES = """
SELECT length(regexp_extract(trim(value), '[.,](\\d+)$', 1)) AS places, sum(n)::BIGINT AS cells FROM column_values
WHERE kind IN ('decimal', 'decimal comma') GROUP BY places ORDER BY cells DESC LIMIT 1
"""
_DECIMALS = """
SELECT min(try_cast(replace(trim(value), ',', '.') AS DOUBLE)), max(try_cast(replace(trim(value), ',', '.') AS DOUBLE))
FROM column_values WHERE kind IN ('decimal', 'decimal comma')
"""
WIDE_GAP = 6  # so many times between the small numbers and the least other: no tail of a distribution has that
NINES = (999.0, 9999.0, 99999.0, 999999.0, 9999999.0)
_VALUES = """
SELECT value, n FROM column_values WHERE kind IN ('whole number', 'decimal', 'decimal comma')
  AND try_cast(replace(trim(value), ',', '.') AS DOUBLE) BETWEEN $low AND $high ORDER BY n DESC, value LIMIT 50
"""


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Slips in each direction, with the rule that scales them."""
    if column.role not in (Role.QUANTITY, Role.FLAG) or column_values.numeric < 30:
        return
    values, counts = column_values.numbers
    from_ = int(np.searchsorted(values, 0.0, side="right"))
    values, counts = values[from_:], counts[from_:]
    nines = np.searchsorted(values, NINES)
    met = [at for at, nine in zip(nines, NINES, strict=True) if at < len(values) and values[at] == nine]
    if met:
        values, counts = np.delete(values, met), np.delete(counts, met)
    if len(values) < 8 or counts.sum() < 0.5 * column_values.numeric:
        return
    for slips, power in _beyond(values, counts) or _lost_points(column_values, values, counts):
        yield _finding(column_values, values, counts, slips, power)


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
    found = []
    for sign, out in ((-1, slice(end, len(values))), (1, slice(0, begin))):
        outside = int(counts[out].sum())
        best, best_cells = None, 0
        for power in (1, 2, 3):
            if not outside or most - least > 0.95 * power + 0.15 * (power == 1):
                continue
            low, high = least - sign * power - 0.02, most - sign * power + 0.02
            first = max(int(np.searchsorted(values, 10**low, side="left")), out.start)
            last = min(int(np.searchsorted(values, 10**high, side="right")), out.stop)
            cells_ = int(counts[first:last].sum()) if last > first else 0
            if cells_ > best_cells:
                best, best_cells = (slice(first, last), sign * power), cells_
        if best is not None and 0.5 * outside <= best_cells <= 0.2 * total:
            edge = values[best[0]][0] / 10**most if sign < 0 else 10**least / values[best[0]][-1]
            tells = sign < 0 or values[best[0]][-1] <= lowest or edge > WIDE_GAP
            if edge > 1.25 and tells:  # a gap stands between the slips and the others
                found.append(best)
    return found


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


def _finding(column_values: ColumnValues, values: Array, counts: Array, met: slice, power: int) -> Finding:
    count, low, high = int(counts[met].sum()), float(values[met][0]), float(values[met][-1])
    factor = 10.0**power
    rule: Rule = {
        "kind": "scale-values",
        "columns": [column_values.name],
        "factor": factor,
        "low": f"{low:.15g}",
        "high": f"{high:.15g}",
    }
    shown = column_values.ask(_VALUES, {"low": low, "high": high})
    evidence = [
        Evidence(value=v, count=n, becomes=f"{float(v.strip().replace(',', '.')) * factor:.10g}")
        for v, n in shown if math.isfinite(factor)
    ]  # fmt: skip
    words = f"too {'large' if power < 0 else 'small'} by {10 ** abs(power):,} times"
    return of_column(
        column_values, KIND, "high", count, f"{cells(count)} {words}: {listed([v for v, _ in shown])}", evidence=evidence,
        filters=numbers_only(column_values, make_filter(
            "column", name=column_values.name, test="between", values=(f"{low:.15g}", f"{high:.15g}"))),
        rule=rule, detail=str(power),
    )  # fmt: skip
