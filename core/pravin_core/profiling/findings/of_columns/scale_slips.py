"""Numbers with the decimal point in the wrong place."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import numpy as np

from pravin_core.profiling.findings.base import Evidence, Finding, Kind, Rule, cells, listed, of_column
from pravin_core.profiling.findings.of_columns.disguised_missing import SENTINELS
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.study import Study, quantile
from pravin_core.records.filters import Filter
from pravin_core.tables.types import Role

KIND = Kind(
    "scale slip",
    "Numbers beyond the outer quartile fences (3 interquartile ranges, Tukey 1977) of the logarithms that fall among "
    "the others when multiplied by 10, 100, 1000 or a part; and whole numbers, beyond the others, in a column where "
    "all others have as many decimals.",
)
Array = np.ndarray[Any, Any]
_WHOLE = "SELECT trim(value), n FROM study WHERE kind = 'whole number' AND length(trim(value)) <= 15"
_PLACES = """
SELECT length(regexp_extract(trim(value), '[.,](\\d+)$', 1)) AS places, sum(n)::BIGINT AS cells FROM study
WHERE kind IN ('decimal', 'decimal comma') GROUP BY places ORDER BY cells DESC LIMIT 1
"""
_VALUES = """
SELECT value, n FROM study WHERE kind IN ('whole number', 'decimal', 'decimal comma')
  AND try_cast(replace(trim(value), ',', '.') AS DOUBLE) BETWEEN $low AND $high ORDER BY n DESC, value LIMIT 50
"""


def find(study: Study, column: ColumnProfile) -> Iterator[Finding]:
    """Slips in each direction, with the rule that scales them."""
    if column.role not in (Role.QUANTITY, Role.FLAG) or study.numeric < 30:
        return
    values, counts = study.numbers
    real = (values > 0) & ~(np.isin(values, SENTINELS) & (values > 9))
    values, counts = values[real], counts[real]
    if counts.sum() < 0.8 * (study.numeric - counts_of_zero(study)) or len(values) < 8:
        return
    for met, power in _beyond(values, counts) or _lost_points(study, values, counts):
        yield _finding(study, values, counts, met, power)


def counts_of_zero(study: Study) -> int:
    """Cells that are zero or a sentinel: they say nothing about scale."""
    values, counts = study.numbers
    return int(counts[(values == 0) | np.isin(values, SENTINELS)].sum())


def _beyond(values: Array, counts: Array) -> list[tuple[Array, int]]:
    logs = np.log10(values)
    q1, q3 = quantile(logs, counts, (0.25, 0.75))
    range_ = max(q3 - q1, 0.02)
    low, high = q1 - 1.5 * range_, q3 + 1.5 * range_
    inner = (logs >= low - 1.5 * range_) & (logs <= high + 1.5 * range_)
    if not inner.any():
        return []
    least, most = logs[inner].min(), logs[inner].max()
    found = []
    for sign, out in ((-1, logs > high + 1.5 * range_), (1, logs < low - 1.5 * range_)):
        if not out.any():
            continue
        best, best_cells = None, 0
        for power in (1, 2, 3):
            if most - least > 0.95 * power + 0.15 * (power == 1):
                continue
            moved = logs + sign * power
            met = out & (moved >= least - 0.02) & (moved <= most + 0.02)
            n = int(counts[met].sum())
            if n > best_cells:
                best, best_cells = (met, sign * power), n
        if best is not None and best_cells >= 0.5 * counts[out].sum() and best_cells <= 0.2 * counts.sum():
            edge = values[best[0]].min() / 10**most if sign < 0 else 10**least / values[best[0]].max()
            if edge > 1.25:  # a gap stands between the slips and the others
                found.append(best)
    return found


def _lost_points(study: Study, values: Array, counts: Array) -> list[tuple[Array, int]]:
    """Whole numbers among decimals that all have as many places."""
    decimals = study.kinds.get("decimal", 0) + study.kinds.get("decimal comma", 0)
    if decimals < 0.9 * study.numeric:
        return []
    places, with_them = study.ask(_PLACES)[0]
    if with_them < 0.97 * decimals or not places:
        return []
    whole = {float(v): n for v, n in study.ask(_WHOLE)}
    pointed = ~np.isin(values, list(whole))
    if not pointed.any():
        return []
    least, most = values[pointed].min(), values[pointed].max()
    fence = quantile(values[pointed], counts[pointed], (0.999,))[0]
    moved = values / 10**places
    met = ~pointed & (values > max(fence, 0.9 * most)) & (moved >= least) & (moved <= most)
    return [(met, -int(places))] if met.any() and counts[met].sum() <= 0.1 * counts.sum() else []


def _finding(study: Study, values: Array, counts: Array, met: Array, power: int) -> Finding:
    count, low, high = int(counts[met].sum()), float(values[met].min()), float(values[met].max())
    between = (values >= low) & (values <= high)
    sure = not (between & ~met).any()
    factor = 10.0**power
    rule: Rule | None = None
    if sure:
        rule = {
            "kind": "scale-values",
            "columns": [study.name],
            "factor": factor,
            "low": f"{low:.15g}",
            "high": f"{high:.15g}",
        }
    shown = study.ask(_VALUES, {"low": low, "high": high})
    evidence = [
        Evidence(value=v, count=n, becomes=f"{float(v.strip().replace(',', '.')) * factor:.10g}")
        for v, n in shown if math.isfinite(factor)
    ]  # fmt: skip
    words = f"{10 ** abs(power):,} times too {'large' if power < 0 else 'small'}"
    return of_column(
        study, KIND, "high", count, f"{cells(count)} {words}: {listed([v for v, _ in shown])}", evidence=evidence,
        filters=[Filter(on="column", name=study.name, test="between", values=(f"{low:.15g}", f"{high:.15g}"))],
        rule=rule, detail=str(power),
    )  # fmt: skip
