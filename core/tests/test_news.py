"""What is new in a delivery, on feeds that were not used to tune the limits."""

from __future__ import annotations

from datetime import datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pravin_core.monitoring.measures import (
    ColumnMemory,
    DeliveryMemory,
    Measure,
    Scale,
    from_scale,
    measured,
    mix_distance,
    remember,
    share_of,
    with_run,
)
from pravin_core.monitoring.news import news
from pravin_core.monitoring.novelties import Novelty, Remembered
from pravin_core.profiling.model import ColumnProfile, Profile
from pravin_core.rules.registry import KINDS
from pravin_core.runs.model import Effect, Outcome, Reconciliation
from pravin_core.tables.types import Role
from testing.monitored_feed import EVENTS, MONTHLY, WEEKLY, Plant, codes_of, deliveries, slow_drift


def calls(feed: list[Remembered]) -> list[Novelty]:
    """What would call a person."""
    return [each for each in news(feed) if each.weight != "low"]


@pytest.mark.parametrize(
    ("seed", "every", "first", "last"), [(901, MONTHLY, 2, 36), (902, MONTHLY, 2, 36), (903, WEEKLY, 2, 70)]
)
def test_a_feed_that_stays_as_it_was_calls_nobody(seed: int, every: float, first: int, last: int) -> None:
    feed = deliveries(seed, every, last)
    told = [(place, each.column, each.says) for place in range(first, last + 1) for each in calls(feed[:place])]
    years = last * every / 365
    judged = (last - first) * sum(len(column.measures) for column in feed[0].memory.columns.values())
    assert len(told) <= years, told
    assert len(told) <= judged / 200, told


@pytest.mark.parametrize("plant", EVENTS, ids=lambda plant: plant.__name__)
@pytest.mark.parametrize(("seed", "every", "place"), [(911, MONTHLY, 12), (912, MONTHLY, 20), (913, WEEKLY, 44)])
def test_an_event_is_told_at_its_delivery(plant: Plant, seed: int, every: float, place: int) -> None:
    feed = deliveries(seed, every, place + 1)
    plant(feed, place, np.random.default_rng(seed))
    told = calls(feed)
    assert EVENTS[plant] in [(each.column, each.measure) for each in told]
    assert {each.column for each in told} == {EVENTS[plant][0]}  # and nothing else is


def test_a_slow_drift_is_told_while_it_is_small() -> None:
    feed = deliveries(921, MONTHLY, 30)
    slow_drift(feed, 20, np.random.default_rng(1))
    first = next(place for place in range(20, 30) if any(each.column == "acidity" for each in calls(feed[: place + 1])))
    assert 21 <= first <= 26  # by then 0.2 of an acidity that varies by 0.4 among records


FIRST = datetime(2026, 1, 5)


def remembered(number: int, **columns: ColumnMemory) -> Remembered:
    memory = DeliveryMemory(records=100, rejected=0, volume=measured(Scale.SIZE, 100, 0.0, 0.05), columns=columns)
    return Remembered(number, FIRST + timedelta(days=30 * number), memory)


def listing(*values: str, shapes: tuple[str, ...] = (), formats: tuple[str, ...] | None = None) -> ColumnMemory:
    shares = dict.fromkeys(values, 1 / len(values)) if values else None
    return ColumnMemory(
        role=Role.CATEGORY, type="text", measures={}, values=shares, shapes=shapes or None, formats=formats
    )


def texts(feed: list[Remembered]) -> list[tuple[str, str, list[str]]]:
    return [(each.kind, each.weight, [text.text for text in each.texts]) for each in news(feed) if each.texts]


def test_texts_that_no_delivery_had_are_told() -> None:
    known = [remembered(n, site=listing("A", "B", shapes=("a",), formats=("yyyy-mm-dd",))) for n in range(4)]
    now = remembered(4, site=listing("A", "C", "D", shapes=("a", "a-9"), formats=("dd.mm.yyyy",)))
    assert texts([*known, now]) == [
        ("values never seen", "high", ["C", "D"]),
        ("forms of dates never seen", "middle", ["dd.mm.yyyy"]),
        ("shapes never seen", "middle", ["a-9"]),
    ]  # fmt: skip
    assert texts([*known[:2], now]) == []  # two deliveries do not know what there is
    assert texts([*known, now, remembered(5, site=listing("C"))]) == []


def test_a_column_that_brings_new_values_all_the_time_calls_nobody() -> None:
    feed = [remembered(n, batch=listing("A", f"batch {n}", *"BCDEFGHIJKLMNOPQRSTUVWXYZ")) for n in range(10)]
    assert texts(feed) == [("values never seen", "low", ["batch 9"])]


def period(month: int, *others: str) -> ColumnMemory:
    return listing(f"2026-{month:02}", *others)


def test_a_column_that_holds_the_month_calls_nobody_from_the_fourth_delivery_on() -> None:
    feed = [remembered(n, month=period(n)) for n in range(12)]
    assert [weight for last in range(4, 13) for _, weight, _ in texts(feed[:last])] == ["low"] * 9
    feed[5] = remembered(5, month=period(4))  # the month before, again
    assert [weight for _, weight, _ in texts(feed[:5])] == ["low"]
    assert texts(feed[:6]) == []
    assert [weight for _, weight, _ in texts(feed[:7])] == ["high"]  # not each brought one: it takes a longer past
    assert [weight for _, weight, _ in texts(feed)] == ["low"]


def test_many_more_new_values_than_usual_call_a_person() -> None:
    usual = [remembered(n, batch=listing("A", f"batch {n}", *"BCDEFGHIJKLMNOPQRSTUVWXYZ")) for n in range(10)]
    more = remembered(10, batch=listing("A", "x", "y", "z", *"BCDEFGHIJKLMNOPQRSTUVWXYZ"))
    assert [weight for _, weight, _ in texts([*usual, more])] == ["high"]


def test_where_not_all_values_were_known_none_is_called_never_seen() -> None:
    feed = [remembered(n, site=listing("A")) for n in range(4)]
    feed[2] = remembered(2, site=listing())  # too many to be listed
    assert texts([*feed, remembered(4, site=listing("B"))]) == []


def test_an_answer_takes_the_word_away_and_begins_a_new_level() -> None:
    feed = deliveries(931, MONTHLY, 20)
    place = 14
    for each in range(place, 20):
        next(iter(EVENTS))(feed, each, np.random.default_rng(each))  # more is missing from now on
    novelty = next(each for each in calls(feed[: place + 1]) if each.measure == "missing")
    expected = {novelty.id: [feed[place].number]}
    for last in range(place, 20):
        assert not [each for each in news(feed[: last + 1], expected) if each.id == novelty.id]
    back = [*feed[:19], deliveries(931, MONTHLY, 20)[19]]
    assert novelty.id in [each.id for each in news(back, expected)]  # as it was before is new now


@pytest.mark.parametrize("broken", [3, 40, 400])
def test_a_check_that_breaks_more_often_is_told_with_its_rule(broken: int) -> None:
    def ran(delivery: Remembered, breaking: int) -> Remembered:
        sums = Reconciliation(
            delivered=2000, added=0, ready=2000 - breaking, corrected=0, quarantined=breaking, removed=0, rejected=0
        )
        outcome = Outcome(
            reconciliation=sums, discarded=0, accepted=0, columns=(), stopped_by=(),
            effects=(
                Effect(rule="r1", number=1, kind="in-range", enabled=True, broken=breaking),
                Effect(rule="r2", number=2, kind="drop-columns", enabled=True, cells=500),
                Effect(rule="r3", number=3, kind="in-range", enabled=False),
            ),
        )  # fmt: skip
        return Remembered(delivery.number, delivery.at, with_run(delivery.memory, outcome))

    feed = [ran(each, 5) for each in deliveries(941, MONTHLY, 12)]
    assert set(feed[0].memory.checks) == {"r1"}
    found = calls([*feed[:-1], ran(feed[-1], broken)])
    assert {each.column for each in found if each.rule} <= {f"{KINDS['in-range'].title} (rule 1)"}
    told = {(each.measure, each.rule) for each in found}
    assert told == (set() if broken == 3 else {("broken", "r1"), ("quarantined", "")})


@given(part=st.integers(0, 5000), more=st.integers(1, 5000))
def test_a_share_on_its_scale_means_the_share(part: int, more: int) -> None:
    share = share_of(part, part + more)
    assert from_scale(Scale.SHARE, share.scaled) == pytest.approx(share.value, abs=0.4 / max(1, part + more) + 1e-9)


@given(st.sampled_from([Scale.SIZE, Scale.SPREAD, Scale.VALUE]), st.floats(1e-6, 1e12))
def test_a_number_on_its_scale_means_the_number(scale: Scale, value: float) -> None:
    assert from_scale(scale, measured(scale, value, 0, 0).scaled) == pytest.approx(value, rel=1e-6, abs=1e-9)


@pytest.mark.parametrize(
    ("scale", "place", "value"), [(Scale.SHARE, -1.0, 0.0), (Scale.SHARE, 9.0, 1.0), (Scale.SIZE, -3.0, 0.0)]
)  # fmt: skip
def test_no_limit_says_what_cannot_be(scale: Scale, place: float, value: float) -> None:
    assert from_scale(scale, place) == value


def test_the_distance_of_mixes() -> None:
    assert mix_distance({"a": 0.5, "b": 0.5}, {"a": 0.5, "b": 0.5}) == 0
    assert mix_distance({"a": 1.0}, {"b": 1.0}) == 1
    assert mix_distance({"a": 0.7, "b": 0.3}, {"a": 0.5, "b": 0.4, "c": 0.1}) == pytest.approx(0.2)


def test_what_is_remembered_of_a_quantity_and_of_codes() -> None:
    columns = deliveries(951, MONTHLY, 1)[0].memory.columns
    assert set(columns["nitrate"].measures) == {
        Measure.MISSING, Measure.UNREADABLE, Measure.MEAN, Measure.SPREAD, Measure.FAR_OFF, Measure.LOW, Measure.HIGH,
    }  # fmt: skip
    assert columns["nitrate"].values is None
    assert set(columns["laboratory"].values or ()) == {"code 0", "code 1", "code 2"}
    assert sum((columns["laboratory"].values or {}).values()) == pytest.approx(1)


@pytest.mark.parametrize(("length", "are_known"), [(199, True), (200, False)])
def test_texts_that_the_profile_cut_are_not_taken_for_all_of_them(length: int, are_known: bool) -> None:
    long = [{"value": text * length, "count": 1} for text in "ab"]
    column = ColumnProfile.model_validate(
        {**codes_of("site", np.array([1, 2])).model_dump(), "values": long, "shapes": long}
    )
    profile = Profile(
        records=2, rejected=0, missing_cells=0, records_with_missing=0, empty_records=0, duplicate_records=0, columns=(column,)
    )  # fmt: skip
    kept = remember(profile).columns["site"]
    assert (kept.values is not None, kept.shapes is not None) == (are_known, are_known)
