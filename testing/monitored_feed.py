"""Deliveries of a made-up feed as they are remembered, drawn by a seed, to judge limits and news on: a level that varies from delivery
to delivery, a season, skewed and whole numbers, codes; and events planted in them.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from scipy import stats

from pravin_core.monitoring.measures import Scale, measured, remember
from pravin_core.monitoring.novelties import Remembered
from pravin_core.profiling.model import ColumnProfile, Distribution, NumberBody, NumberStatistics, Profile, ValueCount
from pravin_core.tables.types import DataType, Role

MONTHLY, WEEKLY, DAILY = 30.44, 7.0, 1.0
_NO_BARS = Distribution(of="values", bins=())
Draw = np.random.Generator


def deliveries(seed: int, every: float, count: int, records: int = 2_000) -> list[Remembered]:
    """A feed without any event: so many deliveries, `every` so many days."""
    draw = np.random.default_rng(seed)
    codes = draw.dirichlet(np.full(8, 2.0))
    first, result = datetime(2024, 1, 3, 9), []
    for place in range(count):
        day = every * place
        season = math.sin(2 * math.pi * day / 365.2425)
        n = round(records * math.exp(draw.normal(0, 0.05)))
        mix = codes * np.exp(draw.normal(0, 0.08, 8))
        columns = [
            numbers("temperature", draw.normal(12 + 8 * season + draw.normal(0, 0.6), 3, n), n, draw.binomial(n, 0.02), draw.binomial(n, 0.003)),
            numbers("acidity", acidity(draw, n, 7.2 + draw.normal(0, 0.03)), n, draw.binomial(n, 0.01)),
            numbers("nitrate", draw.lognormal(1 + draw.normal(0, 0.1), 1.2, n), n, draw.binomial(n, 0.2), draw.binomial(n, 0.05)),
            numbers("flow", draw.gamma(1.5, 2 * math.exp(0.4 * season + draw.normal(0, 0.1)), n), n, 0),
            numbers("species", draw.poisson(3, n).astype(float), n, draw.binomial(n, 0.1)),
            codes_of("site", draw.choice(8, n, p=mix / mix.sum())),
            codes_of("laboratory", draw.choice(3, n, p=[0.6, 0.3, 0.1])),
        ]  # fmt: skip
        result.append(_remembered(place + 1, first + timedelta(days=day + draw.normal(0, 0.05 * every)), n, columns))
    return result


def acidity(draw: Draw, records: int, level: float) -> Any:
    """Values of one of the columns about a level."""
    return draw.normal(level, 0.4, records)


def numbers(name: str, values: Any, records: int, missing: int, unreadable: int = 0) -> ColumnProfile:
    """A column of quantities with these values, so many of them missing or not to be read."""
    quantiles = {f"{share:g}": float(np.quantile(values, share)) for share in (0.01, 0.05, 0.25, 0.5, 0.75, 0.95, 0.99)}
    statistics = NumberStatistics(
        count=len(values), minimum=values.min(), maximum=values.max(), mean=values.mean(), median=quantiles["0.5"],
        standard_deviation=values.std(ddof=1), variance=values.var(ddof=1), skewness=None, kurtosis=float(stats.kurtosis(values)),
        total=None, quantiles=quantiles, body=_body(values, quantiles), positive=0, negative=0, zero=0, positive_total=None, negative_total=None, decimal_mark=".",
    )  # fmt: skip
    filled = records - missing
    return _column(
        name, DataType.DECIMAL, Role.QUANTITY, missing=missing, misfits=unreadable, fits=filled - unreadable, distinct=filled, numbers=statistics
    )  # fmt: skip


def _body(values: Any, quantiles: dict[str, float]) -> NumberBody:
    reach = 3 * (quantiles["0.75"] - quantiles["0.25"])
    inside = values[(values >= quantiles["0.25"] - reach) & (values <= quantiles["0.75"] + reach)]
    return NumberBody(count=len(inside), mean=inside.mean(), standard_deviation=inside.std(ddof=1))


def codes_of(name: str, codes: Any) -> ColumnProfile:
    """A column of codes."""
    known, counts = np.unique(codes, return_counts=True)
    values = tuple(ValueCount(value=f"code {code}", count=int(n)) for code, n in zip(known, counts, strict=True))
    return _column(
        name,
        DataType.TEXT,
        Role.CATEGORY,
        fits=len(codes),
        distinct=len(values),
        values=values,
        shapes=(ValueCount(value="aaaa 9", count=len(codes)),),
    )


def _column(name: str, type_: DataType, role: Role, **more: Any) -> ColumnProfile:
    empty = {
        "position": 1, "misfits": 0, "misfit_examples": (), "kinds": {}, "missing": 0, "values": (), "shapes": (), "text": None,
        "numbers": None, "dates": None, "distribution": _NO_BARS,
    }  # fmt: skip
    return ColumnProfile.model_validate({**empty, "name": name, "type": type_, "role": role, **more})


def _remembered(number: int, at: datetime, records: int, columns: list[ColumnProfile]) -> Remembered:
    profile = Profile(
        records=records, rejected=0, missing_cells=0, records_with_missing=0, empty_records=0, duplicate_records=0, columns=tuple(columns)
    )  # fmt: skip
    return Remembered(number, at, remember(profile))


def _put(feed: list[Remembered], place: int, column: ColumnProfile) -> None:
    """Let a column of one delivery be another."""
    one = feed[place]
    other = _remembered(one.number, one.at, one.memory.records, [column])
    _remember(feed, place, columns={**one.memory.columns, **other.memory.columns})


def _remember(feed: list[Remembered], place: int, **changed: Any) -> None:
    one = feed[place]
    feed[place] = Remembered(one.number, one.at, one.memory.model_copy(update=changed))


Plant = Callable[[list[Remembered], int, Draw], None]


def more_missing(feed: list[Remembered], place: int, draw: Draw) -> None:
    """Eight in a hundred are missing instead of one."""
    n = feed[place].memory.records
    _put(feed, place, numbers("acidity", acidity(draw, n, 7.2), n, round(0.08 * n)))


def other_level(feed: list[Remembered], place: int, draw: Draw) -> None:
    """An instrument that is out of true."""
    n = feed[place].memory.records
    _put(feed, place, numbers("acidity", acidity(draw, n, 7.6), n, round(0.01 * n)))


def other_unit(feed: list[Remembered], place: int, draw: Draw) -> None:
    """Degrees of another scale."""
    n = feed[place].memory.records
    _put(feed, place, numbers("temperature", draw.normal(60, 5, n), n, round(0.02 * n)))


def lost_mark(feed: list[Remembered], place: int, draw: Draw) -> None:
    """Two in a hundred lost their decimal mark."""
    n = feed[place].memory.records
    values = acidity(draw, n, 7.2)
    values[: round(0.02 * n)] *= 10
    _put(feed, place, numbers("acidity", values, n, round(0.01 * n)))


def half_the_volume(feed: list[Remembered], place: int, draw: Draw) -> None:
    """Half of the records did not come."""
    n = feed[place].memory.records // 2
    _remember(feed, place, records=n, volume=measured(Scale.SIZE, n, 0.0, math.log(1.05)))


def new_code(feed: list[Remembered], place: int, draw: Draw) -> None:
    """A laboratory that nobody knows."""
    _put(feed, place, codes_of("laboratory", draw.choice(4, feed[place].memory.records, p=[0.59, 0.3, 0.1, 0.01])))


def other_mix(feed: list[Remembered], place: int, draw: Draw) -> None:
    """The same laboratories, in other shares."""
    _put(feed, place, codes_of("laboratory", draw.choice(3, feed[place].memory.records, p=[0.3, 0.3, 0.4])))


def slow_drift(feed: list[Remembered], place: int, draw: Draw) -> None:
    """From here on a little more each time."""
    for step, each in enumerate(range(place, len(feed))):
        n = feed[each].memory.records
        _put(feed, each, numbers("acidity", acidity(draw, n, 7.2 + 0.03 * (step + 1)), n, round(0.01 * n)))


EVENTS: dict[Plant, tuple[str, str]] = {
    more_missing: ("acidity", "missing"),
    other_level: ("acidity", "mean"),
    other_unit: ("temperature", "mean"),
    lost_mark: ("acidity", "far off"),
    half_the_volume: ("", "records"),
    new_code: ("laboratory", "values never seen"),
    other_mix: ("laboratory", "mix of values"),
}

__all__ = ["DAILY", "EVENTS", "MONTHLY", "WEEKLY", "deliveries", "slow_drift"]
