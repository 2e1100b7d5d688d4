"""Statistics and histogram of the cells that read as a number."""

from __future__ import annotations

import duckdb

from pravin_core.profiling.model import Bin, Distribution, NumberStatistics

BINS = 24
QUANTILES = (0.01, 0.05, 0.25, 0.5, 0.75, 0.95, 0.99)

_NUMBERS = """
CREATE OR REPLACE TEMP TABLE numbers AS
SELECT number, sum(n)::BIGINT AS n, sum(sum(n)) OVER (ORDER BY number)::BIGINT AS up_to
FROM (SELECT try_cast(replace(trim(value), ',', '.') AS DOUBLE) AS number, n FROM kinds
      WHERE kind IN ('whole number', 'decimal') OR ($comma AND kind = 'decimal comma'))
WHERE number IS NOT NULL GROUP BY number
"""
_SUMS = """
SELECT sum(n)::BIGINT, min(number), max(number), sum(number * n),
  coalesce(sum(n) FILTER (number > 0), 0)::BIGINT, coalesce(sum(n) FILTER (number < 0), 0)::BIGINT,
  coalesce(sum(n) FILTER (number = 0), 0)::BIGINT,
  coalesce(sum(number * n) FILTER (number > 0), 0), coalesce(sum(number * n) FILTER (number < 0), 0)
FROM numbers
"""
_MOMENTS = """
SELECT sum(n * (number - $1) ** 2), sum(n * (number - $1) ** 3), sum(n * (number - $1) ** 4) FROM numbers
"""
_RANKED = """
SELECT rank, (SELECT min(number) FROM numbers WHERE up_to > rank) FROM unnest($1::BIGINT[]) AS ranks(rank)
"""
_HISTOGRAM = """
SELECT least($bins - 1, floor((number - $low) / $width))::INT AS bin, sum(n)::BIGINT
FROM numbers GROUP BY bin ORDER BY bin
"""


def measure(con: duckdb.DuckDBPyConnection, decimal_mark: str) -> tuple[NumberStatistics | None, Distribution | None]:
    """All statistics of numbers, and their histogram; None when no cell reads as a number.

    Quantiles interpolate linearly (Hyndman and Fan 1996, type 7). Variance has divisor n-1; skewness and excess
    kurtosis are the sample-adjusted G1 and G2 (Joanes and Gill 1998).
    """
    con.execute(_NUMBERS, {"comma": decimal_mark == ","})
    row = con.execute(_SUMS).fetchone()
    if row is None or not row[0]:
        return None, None
    count, low, high, total, positive, negative, zero, positive_total, negative_total = row
    mean = total / count
    variance, skewness, kurtosis = _moments(con, count, mean)
    quantiles = _quantiles(con, count)
    statistics = NumberStatistics(
        count=count,
        minimum=low,
        maximum=high,
        mean=mean,
        median=quantiles["0.5"],
        standard_deviation=None if variance is None else variance**0.5,
        variance=variance,
        skewness=skewness,
        kurtosis=kurtosis,
        total=total,
        quantiles=quantiles,
        positive=positive,
        negative=negative,
        zero=zero,
        positive_total=positive_total,
        negative_total=negative_total,
        decimal_mark=decimal_mark,
    )
    return statistics, _histogram(con, low, high)


def _moments(con: duckdb.DuckDBPyConnection, n: int, mean: float) -> tuple[float | None, float | None, float | None]:
    second, third, fourth = con.execute(_MOMENTS, [mean]).fetchone() or (0.0, 0.0, 0.0)
    if n < 2:
        return None, None, None
    variance = second / (n - 1)
    m2 = second / n
    if n < 3 or m2 == 0:
        return variance, None, None
    g1 = (third / n) / m2**1.5
    skewness = g1 * (n * (n - 1)) ** 0.5 / (n - 2)
    if n < 4:
        return variance, skewness, None
    g2 = (fourth / n) / m2**2 - 3
    return variance, skewness, ((n + 1) * g2 + 6) * (n - 1) / ((n - 2) * (n - 3))


def _quantiles(con: duckdb.DuckDBPyConnection, n: int) -> dict[str, float]:
    places = {q: q * (n - 1) for q in QUANTILES}
    ranks = sorted({rank for place in places.values() for rank in (int(place), min(n - 1, int(place) + 1))})
    at = dict(con.execute(_RANKED, [ranks]).fetchall())
    result = {}
    for q, place in places.items():
        below, above = at[int(place)], at[min(n - 1, int(place) + 1)]
        result[f"{q:g}"] = below + (above - below) * (place - int(place))
    return result


def _histogram(con: duckdb.DuckDBPyConnection, low: float, high: float) -> Distribution:
    whole = con.execute("SELECT bool_and(number = floor(number)) FROM numbers").fetchone()
    if low == high:
        bins, width = 1, 1.0
    elif whole and whole[0] and high - low < BINS:
        bins, width = int(high - low) + 1, 1.0
    else:
        bins, width = BINS, (high - low) / BINS
    if width == 0 or width != width or width == float("inf"):
        return Distribution(of="numbers", bins=())
    counted = dict(con.execute(_HISTOGRAM, {"bins": bins, "low": low, "width": width}).fetchall())
    return Distribution(
        of="numbers",
        bins=tuple(
            Bin(low=f"{low + i * width:.6g}", high=f"{low + (i + 1) * width:.6g}", count=counted.get(i, 0))
            for i in range(bins)
        ),
    )
