"""The usual limits of a measure, from its own past: robust, by season where that explains it, and for slow drift.

Sources: Shewhart (1931), limits for single values, here with Student's t for what a short past cannot know; Roberts (1959),
the exponentially weighted moving average for slow drift. Values far off in the past do not widen the limits: they are told by the
median and the median absolute deviation first (Hampel 1974).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from statistics import median

import numpy as np
from scipy import stats

LEAST_PAST = 5  # earlier deliveries, below which nothing is judged
FALSE_CALLS = 1 / 20_000  # of the judgements of a measure that stays as it was
WEIGHT = 0.2  # of the newest value in the moving average
DRIFT = 5.0  # standard deviations of the moving average
CLIPPED = 4.5  # standard deviations at most that one delivery counts in it: one outlier is no drift
FOLLOWS = 0.25  # the first autocorrelation, above which each value follows from the one before
LEAST_DRIFT_PAST = 12
LONG_PAST = 60  # deliveries, that tell a drift from a season before a year is over
OUTLYING = 5.0  # robust standard deviations, beyond which a value of the past does not count
YEAR = 365.2425
SEASON_EXPLAINS = 0.6  # the spread that is left, as a part of the plain one, for a season to be believed
WEEK_EXPLAINS = 0.7
PLAIN = "plain"

Array = np.ndarray[tuple[int, ...], np.dtype[np.float64]]
Flags = np.ndarray[tuple[int, ...], np.dtype[np.bool_]]


@dataclass(frozen=True)
class Observation:
    """A measure of one delivery on its scale, and when the delivery arrived. `begins`: what is usual was said to begin here."""

    value: float
    at: datetime
    begins: bool = False


@dataclass(frozen=True)
class Limits:
    """Between which values a measure is usual, on its scale; `method` says how they were found, from `past` deliveries."""

    low: float
    high: float
    center: float
    deviation: float
    past: int
    method: str

    def outside(self, value: float) -> bool:
        """Whether a value is beyond the limits."""
        return not self.low <= value <= self.high

    def distance(self, value: float) -> float:
        """How far a value is from the center, in half widths: more than 1 is outside."""
        half = self.high - self.center
        return abs(value - self.center) / half if half else 0.0


def limits_of(past: Sequence[Observation], at: datetime, error: float, least: float) -> Limits | None:
    """The limits for a delivery that arrived at `at`; None where the past is too short.

    `error`: the standard error that sampling alone gives the measure, `least`: the least change worth a word. Where a person said
    that what is new is expected from now on, the level is that of the deliveries since, the spread that of all.
    """
    if len(past) < LEAST_PAST:
        return None
    values = np.array([each.value for each in past])
    model, method = _model(past, values, at)
    residuals, center, unknowns = model
    kept = residuals[_usual(residuals, max(error, least / 3))]
    freedom = max(1, len(kept) - unknowns)
    spread = math.sqrt(float((kept**2).sum()) / freedom)
    deviation = max(spread, error)
    known = len(_last_segment(past)) if method == PLAIN else len(kept) / unknowns
    factor = float(stats.t.ppf(1 - FALSE_CALLS / 2, freedom)) * math.sqrt(1 + 1 / known)
    half = max(factor * deviation, least)
    return Limits(
        low=center - half, high=center + half, center=center, deviation=deviation, past=len(kept), method=method
    )


def drifts(past: Sequence[Observation], now: float, at: datetime, error: float, least: float) -> bool:
    """Whether the exponentially weighted moving average left the level that the deliveries before the last few had.

    Not judged where the past is too short to tell a drift from a season, where each value follows from the one before (the average would call every season a drift),
    or where the average moved by less than is worth a word.
    """
    segment = _last_segment(past)
    span = (at - segment[0].at).total_seconds() / 86_400
    if len(segment) < LEAST_DRIFT_PAST or (span < YEAR and len(segment) < LONG_PAST):
        return False
    values = np.array([each.value for each in segment])
    residuals, center, _ = _model(segment, values, at)[0]
    base = residuals[: max(8, len(residuals) - 8)]
    base = base[_usual(base, max(error, least / 3))]
    if len(base) < 6 or _follows(base):
        return False
    deviation = max(float(base.std(ddof=1)), error)
    level = float(base.mean())
    average = level
    for residual in [*residuals, now - center]:
        average += WEIGHT * (
            float(np.clip(residual - level, -CLIPPED * deviation, CLIPPED * deviation)) + level - average
        )
    width = DRIFT * deviation * math.sqrt(WEIGHT / (2 - WEIGHT) + 1 / len(base))
    return abs(average - level) > max(width, least)


Model = tuple[Array, float, int]


def _model(past: Sequence[Observation], values: Array, at: datetime) -> tuple[Model, str]:
    """The residuals of the past, what is expected now, and how many numbers were fitted; with the name of the method."""
    plain = _by_segments(past, values)
    if any(each.begins for each in past):
        return plain, PLAIN
    days = np.array([(each.at - past[0].at).total_seconds() / 86_400 for each in past])
    now = (at - past[0].at).total_seconds() / 86_400
    rough = _rough(plain[0])
    if len(past) >= 15 and days[-1] >= 1.2 * YEAR:
        by_year = _fit(_yearly(days), values, _yearly(np.array([now])))
        if _rough(by_year[0]) <= SEASON_EXPLAINS * rough:
            return by_year, "by season of the year"
    if len(past) >= 28 and median(np.diff(days).tolist()) <= 1.5:
        weekdays = np.array([each.at.weekday() for each in past])
        seen = sorted(set(weekdays.tolist()))
        if at.weekday() in seen:
            design = (weekdays[:, None] == np.array(seen)[None, :]).astype(float)
            by_week = _fit(design, values, (np.array([at.weekday()])[:, None] == np.array(seen)[None, :]).astype(float))
            if _rough(by_week[0]) <= WEEK_EXPLAINS * rough:
                return by_week, "by day of the week"
    return plain, PLAIN


def _by_segments(past: Sequence[Observation], values: Array) -> Model:
    """Each value against the middle of its segment; the last segment's middle is what is expected."""
    starts = [0, *(place for place, each in enumerate(past) if each.begins and place)]
    pieces = [values[low:high] for low, high in zip(starts, [*starts[1:], len(values)], strict=True)]
    middles = [_middle(piece) for piece in pieces]
    residuals = np.concatenate([piece - middle for piece, middle in zip(pieces, middles, strict=True)])
    return residuals, middles[-1], len(pieces)


def _middle(values: Array) -> float:
    """The mean of what is not far off the median."""
    center = float(np.median(values))
    return center + float((values - center)[_usual(values - center, 0.0)].mean())


def _usual(residuals: Array, least: float) -> Flags:
    """Which residuals are not far off, by the median absolute deviation."""
    center = float(np.median(residuals))
    rough = max(1.4826 * float(np.median(np.abs(residuals - center))), least)
    usual = np.abs(residuals - center) <= OUTLYING * rough
    return usual if rough else np.ones(len(residuals), dtype=bool)


def _rough(residuals: Array) -> float:
    return float(np.median(np.abs(residuals - np.median(residuals))))


def _yearly(days: Array) -> Array:
    """A level and a wave of one year."""
    turn = 2 * math.pi * days / YEAR
    return np.column_stack([np.ones_like(days), np.sin(turn), np.cos(turn)])


def _fit(design: Array, values: Array, now: Array) -> Model:
    """Least squares, and twice more without what lies far off by then."""
    kept: Flags = np.ones(len(values), dtype=np.bool_)
    for _ in range(3):
        solution = np.linalg.lstsq(design[kept], values[kept], rcond=None)[0]
        residuals = values - design @ solution
        kept = _usual(residuals, 0.0)
    return residuals, float((now @ solution)[0]), design.shape[1]


def _last_segment(past: Sequence[Observation]) -> Sequence[Observation]:
    starts = [place for place, each in enumerate(past) if each.begins]
    return past[starts[-1] :] if starts else past


def _follows(residuals: Array) -> bool:
    """Whether each value follows from the one before: by the first autocorrelation."""
    centered = residuals - residuals.mean()
    total = float((centered**2).sum())
    return total > 0 and float((centered[1:] * centered[:-1]).sum()) / total > FOLLOWS
