"""The strength of association between two columns of any scale, from 0 (none) to 1 (one determines the other)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from scipy import stats

from pravin_core.profiling.relations.table import Measured

Array = np.ndarray[Any, Any]
LEAST = 10  # records that must have both values


def pearson(left: Array, right: Array) -> float | None:
    """The product-moment correlation over the records that have both; None where one does not vary."""
    met = np.isfinite(left) & np.isfinite(right)
    return _correlated(_scaled(left[met]), _scaled(right[met]))


def spearman(left: Array, right: Array) -> float | None:
    """The rank correlation (Spearman 1904): product-moment correlation of the average ranks."""
    met = np.isfinite(left) & np.isfinite(right)
    return _correlated(stats.rankdata(left[met]), stats.rankdata(right[met]))


def correlation_ratio(codes: Array, numbers: Array) -> float | None:
    """How much of the variance lies between the categories (Fisher's eta): the root of its share."""
    met = (codes >= 0) & np.isfinite(numbers)
    group, values = codes[met], numbers[met]
    if len(values) < LEAST or len(np.unique(group)) < 2:
        return None
    values = _scaled(values)
    sizes = np.bincount(group)
    sums = np.bincount(group, weights=values - values.mean())
    total = float(((values - values.mean()) ** 2).sum())
    between = float((sums[sizes > 0] ** 2 / sizes[sizes > 0]).sum())
    return min(1.0, float(np.sqrt(between / total))) if total > 0 else None


def cramers_v(left: Array, right: Array) -> float | None:
    """Cramér's V with correction of its bias (Bergsma 2013)."""
    met = (left >= 0) & (right >= 0)
    n = int(met.sum())
    if n < LEAST:
        return None
    a, b = np.unique(left[met], return_inverse=True)[1], np.unique(right[met], return_inverse=True)[1]
    rows, columns = int(a.max()) + 1, int(b.max()) + 1
    if rows < 2 or columns < 2:
        return None
    pairs, cells = np.unique(a * columns + b, return_counts=True)
    expected = np.bincount(a)[pairs // columns].astype(float) * np.bincount(b)[pairs % columns]
    phi2 = float((cells.astype(float) ** 2 / expected).sum()) - 1
    phi2 = max(0.0, phi2 - (rows - 1) * (columns - 1) / (n - 1))
    rows_ = rows - (rows - 1) ** 2 / (n - 1)
    columns_ = columns - (columns - 1) ** 2 / (n - 1)
    least = min(rows_ - 1, columns_ - 1)
    return min(1.0, float(np.sqrt(phi2 / least))) if least > 0 else None


def uncertainty(left: Array, right: Array) -> tuple[float, float] | None:
    """How much of the uncertainty of the right is gone once the left is known, and the other way round: the uncertainty
    coefficients (Theil 1970), 0 when it tells nothing and 1 when it determines it. None where either does not vary.
    """
    met = (left >= 0) & (right >= 0)
    if int(met.sum()) < LEAST:
        return None
    a, b = np.unique(left[met], return_inverse=True)[1], np.unique(right[met], return_inverse=True)[1]
    of_left, of_right = _entropy(np.bincount(a)), _entropy(np.bincount(b))
    if of_left == 0 or of_right == 0:
        return None
    both = _entropy(np.unique(a * (int(b.max()) + 1) + b, return_counts=True)[1])
    shared = max(0.0, of_left + of_right - both)
    return min(1.0, shared / of_right), min(1.0, shared / of_left)


def _entropy(cells: Array) -> float:
    shares = cells[cells > 0] / cells.sum()
    return float(-(shares * np.log(shares)).sum()) if len(shares) > 1 else 0.0


def missing_together(columns: Sequence[Measured]) -> list[list[float | None]]:
    """The correlation of being missing (phi) between columns; None for those never or always missing."""
    flags = np.array([column.missing for column in columns], dtype=float).reshape(len(columns), -1)
    if flags.size == 0:
        return [[None] * len(columns) for _ in columns]
    off = flags - flags.mean(axis=1, keepdims=True)
    spread = np.sqrt((off**2).sum(axis=1))
    with np.errstate(invalid="ignore", divide="ignore"):
        phi = (off @ off.T) / np.outer(spread, spread)
    return [[float(value) if np.isfinite(value) else None for value in row] for row in phi]


def _scaled(values: Array) -> Array:
    """Values that cannot overflow when they are squared; no measure of association depends on the scale."""
    if len(values) == 0:
        return values
    values = values / (float(np.abs(values).max()) or 1.0)
    values = values - values.mean()
    return np.asarray(values / (float(np.abs(values).max()) or 1.0))


def _correlated(a: Array, b: Array) -> float | None:
    if len(a) < LEAST:
        return None
    a, b = a - a.mean(), b - b.mean()
    spread = float(np.sqrt((a * a).sum() * (b * b).sum()))
    return max(-1.0, min(1.0, float((a * b).sum()) / spread)) if spread > 0 else None
