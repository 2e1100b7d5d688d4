"""Statistics and histogram of the cells that read as a number."""

from __future__ import annotations

import math
from decimal import Decimal
from operator import mul
from typing import Any

import numpy as np

from pravin_core.profiling.column_values import ColumnValues, quantile
from pravin_core.profiling.model import Bin, Distribution, NumberBody, NumberStatistics

BINS = 24
EXACT = 10_000
QUANTILES = (0.01, 0.05, 0.25, 0.5, 0.75, 0.95, 0.99)

Array = np.ndarray[Any, Any]


def measure(column_values: ColumnValues) -> tuple[NumberStatistics | None, Distribution | None, Distribution | None]:
    """All statistics of numbers, their histogram, and that of their sizes; None when no cell reads as a number.

    Variance has divisor n-1; skewness and excess kurtosis are the sample-adjusted G1 and G2 (Joanes and Gill 1998);
    quantiles interpolate linearly (Hyndman and Fan 1996, type 7). What is beyond a 64-bit float is None. Moments are
    taken about the mean of the values scaled by the largest, so that huge and tiny values keep their digits.
    """
    values, cells = column_values.numbers
    if len(values) == 0:
        return None, None, None
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
        standard_deviation=_deviation(variance),
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
        body=_body(values, cells, NumberBody(count=n, mean=mean, standard_deviation=_deviation(variance))),
    )
    return statistics, histogram(values, cells), sizes(values, cells)


def _body(values: Array, cells: Array, whole: NumberBody) -> NumberBody:
    """The measures of the numbers within the fences; those of the whole where none is beyond."""
    first, last = body(values, cells)
    if (first, last) == (0, len(values)):
        return whole
    inside, counts = values[first:last], cells[first:last]
    n = int(counts.sum())
    mean, variance, _, _ = _moments(inside, counts, n)
    return NumberBody(count=n, mean=mean, standard_deviation=_deviation(variance))


def _deviation(variance: tuple[float, float] | None) -> float | None:
    return _finite(math.sqrt(variance[0]) * variance[1]) if variance else None


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
    """Bars of equal width over the body of the numbers; few whole numbers get a bar each.

    The body lies within three interquartile ranges of the quartiles (Tukey's outer fences, 1977); what is beyond has a bar
    of its own at either side, so that one wrong number does not flatten all others.
    """
    first, last = body(values, cells)
    low, high = float(values[first]), float(values[last - 1])
    inside = values[first:last]
    if low == high:
        edges = np.array([low, low + 1.0])
    elif high - low < BINS and (inside == np.floor(inside)).all():
        edges = np.arange(low, high + 2)
    else:
        edges = low + (high / BINS - low / BINS) * np.arange(BINS + 1)
        edges[-1] = high
    return _bars("numbers", values, cells, edges, (first, last))


def sizes(values: Array, cells: Array) -> Distribution | None:
    """Bars of equal ratio for the numbers above zero, where these are nine in ten and span a power of ten; None for others."""
    first = int(np.searchsorted(values, 0.0, side="right"))
    if cells[:first].sum() > 0.1 * cells.sum():
        return None
    values, cells = values[first:], cells[first:]
    if values[-1] / 10 < values[0] or not math.isfinite(values[-1]):
        return None
    edges = np.exp(np.linspace(math.log(values[0]), math.log(values[-1]), BINS + 1))
    edges[0], edges[-1] = values[0], values[-1]
    return _bars("sizes", values, cells, edges, (0, len(values)))


def body(values: Array, cells: Array) -> tuple[int, int]:
    """Where the body of the values (in rising order) begins and ends; all of them where the quartiles are the same."""
    q1, q3 = quantile(values, cells, (0.25, 0.75))
    spread = 3 * (q3 - q1)
    if not spread or not math.isfinite(spread):
        return 0, len(values)
    return int(np.searchsorted(values, q1 - spread)), int(np.searchsorted(values, q3 + spread, side="right"))


def _bars(of: str, values: Array, cells: Array, edges: Array, inside: tuple[int, int]) -> Distribution:
    """The cells between the edges, which are written with 15 digits and judged as written, so that each bar opens what it
    counts; what is outside in bars of its own.
    """
    first, last = inside
    sentences = [f"{edge:.15g}" for edge in edges]
    edges = np.array([float(edge) for edge in sentences])
    edges[0], edges[-1] = min(edges[0], values[first]), max(edges[-1], values[last - 1])
    sentences[0], sentences[-1] = f"{edges[0]:.17g}", f"{edges[-1]:.17g}"
    if not np.isfinite(edges).all() or (np.diff(edges) <= 0).any():
        return Distribution(of=of, bins=())
    places = np.minimum(np.searchsorted(edges, values[first:last], side="right") - 1, len(edges) - 2)
    counted = np.bincount(places, weights=cells[first:last], minlength=len(edges) - 1).astype(np.int64)
    bars = [
        Bin(low=low, high=high, count=int(n)) for low, high, n in zip(sentences, sentences[1:], counted, strict=False)
    ]
    under, over = int(cells[:first].sum()), int(cells[last:].sum())
    if under:
        bars.insert(0, Bin(low=f"{values[0]:.17g}", high=f"{values[first - 1]:.17g}", count=under, outer=True))
    if over:
        bars.append(Bin(low=f"{values[last]:.17g}", high=f"{values[-1]:.17g}", count=over, outer=True))
    return Distribution(of=of, bins=tuple(bars))
