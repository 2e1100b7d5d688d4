"""The usual limits of a measure: what they are made of, and what they hold against."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime, timedelta

import numpy as np
import pytest
from scipy import stats

from pravin_core.monitoring.limits import FALSE_CALLS, LEAST_PAST, Limits, Observation, drifts, limits_of

FIRST = datetime(2024, 1, 1)


def past_of(values: Sequence[float], every: float = 30.44, begins: Sequence[int] = ()) -> list[Observation]:
    return [
        Observation(value, FIRST + timedelta(days=every * place), place in begins) for place, value in enumerate(values)
    ]


def limits(past: list[Observation], every: float = 30.44, error: float = 0.0, least: float = 0.0) -> Limits:
    found = limits_of(past, past[-1].at + timedelta(days=every), error, least)
    assert found is not None
    return found


def test_nothing_is_judged_by_a_short_past() -> None:
    past = past_of([1.0] * (LEAST_PAST - 1))
    assert limits_of(past, FIRST + timedelta(days=200), 0.1, 0.1) is None


def test_limits_are_those_of_a_prediction_by_student() -> None:
    values = [9.7, 10.1, 10.4, 9.9, 10.0, 10.3, 9.6, 10.2]
    found = limits(past_of(values))
    mean, deviation = np.mean(values), np.std(values, ddof=1)
    half = stats.t.isf(FALSE_CALLS / 2, 7) * deviation * math.sqrt(1 + 1 / 8)
    assert (found.low, found.high) == pytest.approx((mean - half, mean + half))
    assert found.method == "plain"
    assert found.past == 8


def test_one_outlier_of_the_past_does_not_widen_the_limits() -> None:
    values = [9.7, 10.1, 10.4, 9.9, 10.0, 10.3, 9.6, 10.2, 10.1, 9.8]
    clean, spoiled = limits(past_of(values)), limits(past_of([*values, 55.0]))
    assert spoiled.high - spoiled.low < 1.1 * (clean.high - clean.low)
    assert spoiled.outside(55.0)


@pytest.mark.parametrize(("error", "least", "half"), [(0.0, 0.5, 0.5), (0.1, 0.0, None), (0.0, 0.0, 0.0)])
def test_what_never_varied_has_the_limits_of_sampling_or_of_what_is_worth_a_word(
    error: float, least: float, half: float | None
) -> None:
    found = limits(past_of([3.0] * 9), error=error, least=least)
    expected = stats.t.isf(FALSE_CALLS / 2, 8) * error * math.sqrt(1 + 1 / 9) if half is None else half
    assert (found.high - found.low) / 2 == pytest.approx(expected)


def test_what_is_outside_is_told_by_how_many_half_widths() -> None:
    found = Limits(low=1.0, high=3.0, center=2.0, deviation=0.1, past=9, method="plain")
    assert [found.outside(value) for value in (0.9, 1.0, 3.0, 3.1)] == [True, False, False, True]
    assert found.distance(5.0) == pytest.approx(3.0)


def test_a_season_is_expected_once_a_year_is_over() -> None:
    draw = np.random.default_rng(7)
    wave = [12 + 8 * math.sin(2 * math.pi * 30.44 * place / 365.2425) + draw.normal(0, 0.4) for place in range(21)]
    found = limits(past_of(wave))  # the next is of October, near the lowest
    assert found.method == "by season of the year"
    assert not found.outside(4.3)
    assert found.outside(12.0)  # quite usual in spring
    first_year = limits(past_of(wave[:10]))
    assert first_year.method == "plain"
    assert not first_year.outside(4.3)


def test_days_of_the_week_have_limits_of_their_own() -> None:
    draw = np.random.default_rng(11)
    level = [100, 100, 100, 100, 90, 20, 10]
    values = [level[(FIRST + timedelta(days=place)).weekday()] + draw.normal(0, 2) for place in range(60)]
    found = limits(past_of(values, every=1), every=1)  # the next is a Friday
    assert found.method == "by day of the week"
    assert found.center == pytest.approx(90, abs=2)
    assert found.outside(20)


def test_what_is_expected_from_now_on_is_the_level_since_with_the_spread_of_all() -> None:
    before, since = [10.0, 10.2, 9.8, 10.1, 9.9, 10.0], [15.0, 15.1]
    found = limits(past_of([*before, *since], begins=[6]))
    assert found.center == pytest.approx(15.05)
    assert not found.outside(15.4)
    assert found.outside(10.0)
    unanswered = limits(past_of([*before, *since]))
    assert not unanswered.outside(10.0)


def stable(seed: int, count: int) -> list[float]:
    return list(np.random.default_rng(seed).normal(50, 1, count))


def test_a_slow_drift_is_told_before_any_value_is_outside() -> None:
    values = [*stable(3, 30), *(50 + 0.45 * step for step in range(1, 9))]
    past = past_of(values[:-1])
    assert not limits(past).outside(values[-1])
    assert drifts(past, values[-1], past[-1].at + timedelta(days=30.44), 0.1, 0.1)


@pytest.mark.parametrize("seed", range(20))
def test_what_stays_as_it_was_or_has_one_outlier_does_not_drift(seed: int) -> None:
    past = past_of(stable(seed, 36))
    at = past[-1].at + timedelta(days=30.44)
    assert not drifts(past, 50.3, at, 0.1, 0.1)
    assert not drifts(past, 90.0, at, 0.1, 0.1)


def test_no_drift_is_told_before_it_can_be_told_from_a_season() -> None:
    values = [*stable(3, 12), *(50 + step for step in range(1, 9))]
    weekly = past_of(values, every=7)
    assert not drifts(weekly, 60.0, weekly[-1].at + timedelta(days=7), 0.1, 0.1)


def test_values_that_follow_from_one_another_do_not_drift() -> None:
    draw = np.random.default_rng(5)
    walk = list(np.cumsum(draw.normal(0, 1, 60)))
    past = past_of(walk)
    assert not drifts(past, walk[-1] + 3, past[-1].at + timedelta(days=30.44), 0.1, 0.1)


def test_a_drift_too_small_to_be_worth_a_word_is_none() -> None:
    values = [*stable(3, 30), *(50 + 0.45 * step for step in range(1, 9))]
    past = past_of(values[:-1])
    assert not drifts(past, values[-1], past[-1].at + timedelta(days=30.44), 0.1, 5.0)
