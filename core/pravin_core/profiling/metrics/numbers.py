"""Statistics and histogram of the cells that read as a number."""

from __future__ import annotations

import math
from decimal import Decimal
from operator import mul
from typing import Any

import numpy as np

from pravin_core.profiling.column_values import ColumnValues, quantile
from pravin_core.profiling.model import Bin, Distribution, NumberStatistics

BINS = 24
EXACT = 10_000
QUANTILES = (0.01, 0.05, 0.25, 0.5, 0.75, 0.95, 0.99)

Array = np.ndarray[Any, Any]


def measure(column_values: ColumnValues) -> tuple[NumberStatistics | None, Distribution | None]:
    """All statistics of numbers, and their histogram; None when no cell reads as a number.

    Variance has divisor n-1; skewness and excess kurtosis are the sample-adjusted G1 and G2 (Joanes and Gill 1998);
    quantiles interpolate linearly (Hyndman and Fan 1996, type 7). What is beyond a 64-bit float is None. Moments are
    taken about the mean of the values scaled by the largest, so that huge and tiny values keep their digits.
    """
    values, cells = column_values.numbers
    if len(values) == 0:
        return None, None
    n = int(cells.sum())
    mean, variance, skewness, kurtosis = _moments(values, cells, n)
    above, under = values > 0, values < 0
    quantiles = dict(zip((f"{q:g}" for q in QUANTILES), quantile(values, cells, QUANTILES), strict=True))
    statistics = NumberStatistics(
        count=n,
        minimum=float(values[0]),
        maximum=float(values[-1]),
        mean=mean,
        median=quantiles["0.5"],
        standard_deviation=_finite(math.sqrt(variance[0]) * variance[1]) if variance else None,
        variance=_finite(variance[0] * variance[1] * variance[1]) if variance else None,
        skewness=skewness,
        kurtosis=kurtosis,
        total=_total(values, cells),
        quantiles=quantiles,
        positive=int(cells[above].sum()),
        negative=int(cells[under].sum()),
        zero=n - int(cells[above].sum()) - int(cells[under].sum()),
        positive_total=_total(values[above], cells[above]),
        negative_total=_total(values[under], cells[under]),
        decimal_mark=column_values.decimal_mark,
    )
    return statistics, histogram(values, cells)


def _total(values: Array, cells: Array) -> float | None:
    """The sum of values, each so many times: of decimals with up to 9 places as their digits read, of others with 15
    digits.
    """
    if not len(values):
        return 0.0
    for places in range(10):
        unit = 10.0**places
        with np.errstate(over="ignore"):
            scaled = np.round(values * unit)
        if float(np.abs(scaled).max()) >= 2**53:
            break
        if (scaled / unit == values).all():
            return float(Decimal(_whole_sum(scaled.astype(np.int64), cells.astype(np.int64))).scaleb(-places))
    total = _finite(_sum(_times(values, cells)))
    return None if total is None else float(f"{total:.15g}")


def _whole_sum(values: Array, cells: Array) -> int:
    if float(np.abs(values).max()) * float(cells.sum()) < 2**62:
        return int(values @ cells)
    return sum(map(mul, values.tolist(), cells.tolist()))  # beyond 64 bits


def _times(values: Array, cells: Array) -> Array:
    with np.errstate(over="ignore"):
        product = values * cells
    return product if np.isfinite(product).all() else np.array([math.inf])


def _sum(values: Array) -> float:
    """The sum: exactly rounded for few values (Shewchuk 1997), pairwise for many, which is as good to 14 digits."""
    return math.fsum(values) if len(values) <= EXACT else float(np.sum(values))


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _moments(
    values: Array, cells: Array, n: int
) -> tuple[float, tuple[float, float] | None, float | None, float | None]:
    """Mean, variance (of the scaled values, with the scale), skewness and kurtosis; None where not defined."""
    scale = float(np.abs(values).max()) or 1.0
    scaled = values / scale
    centre = _sum(scaled * cells) / n
    mean = centre * scale
    if n < 2:
        return mean, None, None, None
    off = scaled - centre
    if len(values) == 1:
        off = np.zeros(1)
    squares = off * off
    second = _sum(squares * cells)
    variance = (second / (n - 1), scale)
    m2 = second / n
    if n < 3 or m2 == 0:
        return mean, variance, None, None
    g1 = (_sum(squares * off * cells) / n) / m2**1.5
    skewness = g1 * math.sqrt(n * (n - 1)) / (n - 2)
    if n < 4:
        return mean, variance, skewness, None
    g2 = (_sum(squares * squares * cells) / n) / m2**2 - 3
    return mean, variance, skewness, ((n + 1) * g2 + 6) * (n - 1) / ((n - 2) * (n - 3))


def histogram(values: Array, cells: Array) -> Distribution:
    """Bars of equal width from the least to the greatest value; few whole numbers get a bar each."""
    low, high = float(values[0]), float(values[-1])
    if low == high:
        bins, width = 1, 1.0
    elif high - low < BINS and (values == np.floor(values)).all():
        bins, width = int(high - low) + 1, 1.0
    else:
        bins, width = BINS, high / BINS - low / BINS
    if width == 0 or not math.isfinite(width):
        return Distribution(of="numbers", bins=())
    places = np.minimum(bins - 1, np.floor(values / width - low / width)).astype(np.int64)
    counted = np.bincount(np.maximum(places, 0), weights=cells, minlength=bins).astype(np.int64)
    return Distribution(
        of="numbers",
        bins=tuple(
            Bin(low=f"{low + i * width:.6g}", high=f"{low + (i + 1) * width:.6g}", count=int(counted[i]))
            for i in range(bins)
        ),
    )
