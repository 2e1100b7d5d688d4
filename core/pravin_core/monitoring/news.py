"""What is new in a delivery: what the ones before had not, the heaviest first."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from pravin_core.monitoring.limits import Limits, Observation, drifts, limits_of
from pravin_core.monitoring.measures import (
    DeliveryMemory,
    Measure,
    Measured,
    Scale,
    from_scale,
    measured,
    mix_distance,
    mix_error,
)
from pravin_core.monitoring.novelties import (
    BROKEN,
    LEAST_KNOWN,
    MIX,
    QUARANTINED,
    SHOWN,
    VOLUME,
    Novelty,
    Remembered,
    Text,
    Weight,
    heaviest_first,
    identity,
    is_usual,
)
from pravin_core.monitoring.sources import incomplete, repeated

GRAVE_SHARE = 0.05  # of the records
MORE = 1.5  # times as many of the records with texts never seen as before are worth a word

# ends and spreads vary too much to be told to drift
_DRIFTING = (VOLUME, QUARANTINED, BROKEN, Measure.MISSING, Measure.UNREADABLE, Measure.MEAN)


@dataclass(frozen=True)
class Series:
    """A measure over the deliveries that have it, oldest first. `expected`: numbers of deliveries whose level was said to be expected
    from then on.
    """

    about: str
    column: str
    scale: Scale
    points: tuple[tuple[Remembered, Measured], ...]
    expected: frozenset[int]
    rule: str = ""

    def observations(self, before: int) -> list[Observation]:
        """The measure on its scale, of the first so many points."""
        return [
            Observation(point.scaled, each.at, each.number in self.expected) for each, point in self.points[:before]
        ]

    def limits(self, place: int) -> Limits | None:
        """The limits that the points before give the one at a place, on the scale."""
        each, point = self.points[place]
        if each.number in self.expected:
            return None
        limits = limits_of(self.observations(place), each.at, point.error, point.least)
        return (
            replace(limits, low=0.0) if limits and self.about == MIX else limits
        )  # no mix is too near to the usual one

    @property
    def id(self) -> str:
        """Stays the same from delivery to delivery."""
        return identity(self.about, self.rule or self.column)


def news(deliveries: Sequence[Remembered], expected: Mapping[str, Sequence[int]] = {}) -> list[Novelty]:
    """What is new in the last of the deliveries (in the order in which they arrived), the heaviest first.

    `expected`: by the id of a novelty the numbers of the deliveries in which a person said that it is expected from then on.
    """
    if len(deliveries) < 2:
        return []
    found: list[Novelty] = [*_texts(deliveries), *incomplete(deliveries, expected), *repeated(deliveries, expected)]
    for series in series_of(deliveries, expected):
        if series.points and series.points[-1][0] is deliveries[-1] and (novelty := _judge(series)):
            found.append(novelty)
    answered = {id_ for id_, numbers in expected.items() if deliveries[-1].number in numbers}
    kept = [each for each in found if each.id not in answered]
    return heaviest_first(kept)


def series_of(deliveries: Sequence[Remembered], expected: Mapping[str, Sequence[int]] = {}) -> Iterator[Series]:
    """Every measure over the deliveries: of the volume, of each column and check that the last one has."""
    last = deliveries[-1].memory

    def series(
        about: str, column: str, scale: Scale, points: list[tuple[Remembered, Measured]], rule: str = ""
    ) -> Series:
        return Series(
            about, column, scale, tuple(points), frozenset(expected.get(identity(about, rule or column), ())), rule
        )

    yield series(VOLUME, "", Scale.SIZE, [(each, each.memory.volume) for each in deliveries])
    if last.quarantined is not None:
        ran = [(each, each.memory.quarantined) for each in deliveries if each.memory.quarantined is not None]
        yield series(QUARANTINED, "", Scale.SHARE, [(each, point) for each, point in ran if point])
    for rule, check in last.checks.items():
        checked = [(each, each.memory.checks[rule].share) for each in deliveries if rule in each.memory.checks]
        yield series(BROKEN, check.title, Scale.SHARE, checked, rule)
    for name, column in last.columns.items():
        having = [(each, each.memory.columns[name]) for each in deliveries if name in each.memory.columns]
        for measure in column.measures:
            points = [(each, other.measures[measure]) for each, other in having if measure in other.measures]
            yield series(measure.value, name, measure.scale, points)
        if column.values is not None:
            mixes = [(each, other.values) for each, other in having if other.values is not None]
            yield series(MIX, name, Scale.VALUE, _distances(mixes, expected.get(identity(MIX, name), ())))


def values_by_measure(memory: DeliveryMemory) -> dict[str, dict[str, float]]:
    """The measures of a delivery by name, each by the column (or the id of the rule) that it is of; "" where it is of all records."""
    values: dict[str, dict[str, float]] = {VOLUME: {"": memory.volume.value}}
    if memory.quarantined is not None:
        values[QUARANTINED] = {"": memory.quarantined.value}
    if memory.checks:
        values[BROKEN] = {rule: check.share.value for rule, check in memory.checks.items()}
    for name, column in memory.columns.items():
        for measure, point in column.measures.items():
            values.setdefault(measure.value, {})[name] = point.value
    return values


def _distances(
    mixes: Sequence[tuple[Remembered, Mapping[str, float]]], expected: Sequence[int]
) -> list[tuple[Remembered, Measured]]:
    """How far the mix of each delivery is from the usual one of all the others before the last (since it was said to be another)."""
    starts = [place for place, (each, _) in enumerate(mixes) if each.number in expected]
    mixes = mixes[starts[-1] :] if starts else mixes
    past = mixes[:-1]
    total: Counter[str] = Counter()
    for _, mix in past:
        total.update(mix)
    points = []
    for place, (each, mix) in enumerate(mixes):
        is_past = place < len(past)
        others = len(past) - 1 if is_past else len(past)
        if not others:
            continue
        usual = {name: (share - (mix.get(name, 0.0) if is_past else 0.0)) / others for name, share in total.items()}
        by_chance = mix_error(usual, each.memory.records)
        points.append((each, measured(Scale.VALUE, mix_distance(mix, usual), by_chance / 2, max(0.03, by_chance))))
    return points


def _judge(series: Series) -> Novelty | None:
    """The last point of a series, if it is outside its limits or what it follows drifts away."""
    place = len(series.points) - 1
    each, point = series.points[place]
    limits = series.limits(place)
    if limits is None:
        return None
    value = point.scaled
    is_outside = limits.outside(value)
    if not is_outside and (
        series.about not in _DRIFTING
        or not drifts(series.observations(place), value, each.at, point.error, point.least)
    ):
        return None
    low, high = (from_scale(series.scale, edge) for edge in (limits.low, limits.high))
    is_grave = is_outside and limits.distance(value) >= 2
    return Novelty(
        id=series.id,
        kind="outside its limits" if is_outside else "drift",
        column=series.column,
        measure=series.about,
        weight="high" if is_grave or series.about in (VOLUME, QUARANTINED) else "middle",
        says=_sentence(series, point.value, low, high, is_outside),
        value=point.value,
        low=low,
        high=high,
        scale=series.scale,
        distance=limits.distance(value),
        method=limits.method,
        past=limits.past,
        rule=series.rule,
    )


def _texts(deliveries: Sequence[Remembered]) -> Iterator[Novelty]:
    """Values, shapes and forms of dates that no delivery had before; low where a column brings some every now and then."""
    for name, column in deliveries[-1].memory.columns.items():
        having = [each.memory.columns[name] for each in deliveries[:-1] if name in each.memory.columns]
        values = [each.values for each in having if each.values is not None]
        shapes = [each.shapes for each in having if each.shapes is not None]
        formats = [each.formats for each in having if each.formats is not None]
        # a column whose values were not all known once may have had any
        if column.values is not None and len(values) == len(having):
            yield from _never_seen("values never seen", name, column.values, values)
        if column.shapes is not None and len(shapes) == len(having):
            yield from _never_seen("shapes never seen", name, dict.fromkeys(column.shapes), shapes)
        if column.formats is not None:
            yield from _never_seen("forms of dates never seen", name, dict.fromkeys(column.formats), formats)


def _never_seen(
    kind: Literal["values never seen", "shapes never seen", "forms of dates never seen"],
    name: str,
    now: Mapping[str, float | None],
    past: Sequence[Sequence[str] | Mapping[str, float]],
) -> Iterator[Novelty]:
    if len(past) < LEAST_KNOWN:
        return
    seen: set[str] = set()
    brought: list[float | None] = []  # the share of the records with texts that were new then, None where none was
    for texts in past:
        fresh = [text for text in texts if text not in seen]
        shares = [texts[text] for text in fresh] if isinstance(texts, Mapping) else []
        brought.append(sum(shares) if fresh else None)
        seen.update(texts)
    new = {text: share for text, share in now.items() if text not in seen}
    if not new:
        return
    share = sum(each for each in new.values() if each is not None)
    first = sorted(new, key=lambda text: (-(new[text] or 0.0), text))
    weight = _weight_of_texts(share, brought)
    yield Novelty(
        id=identity(kind, name),
        kind=kind,
        column=name,
        measure=kind,
        weight=weight,
        says=f"{len(new):,} {_counted(kind, len(new))} in {len(past):,} deliveries before",
        texts=tuple(Text(text=text, share=new[text]) for text in first[:SHOWN]),
        past=len(past),
        distance=share,
    )


def _weight_of_texts(share: float, brought: Sequence[float | None]) -> Weight:
    """How much texts never seen weigh, by their share of the records. Usual are they where each delivery after the first brought some, as
    a column that holds the month does, or many of a longer past did; and no more of them than before.
    """
    known = [each for each in brought[1:] if each is not None]
    turns_over = len(known) == len(brought) - 1 or is_usual([each is not None for each in brought[LEAST_KNOWN:]])
    if share >= GRAVE_SHARE and not (turns_over and share <= MORE * max(known, default=0.0)):
        return "high"
    return "low" if turns_over else "middle"


def _counted(kind: str, number: int) -> str:
    one, many = {
        "values never seen": ("value", "values"),
        "shapes never seen": ("shape", "shapes"),
        "forms of dates never seen": ("form of dates", "forms of dates"),
    }[kind]
    return f"{one if number == 1 else many} never seen"


_WORDS = {
    VOLUME: "records",
    QUARANTINED: "of the records are quarantined",
    MIX: "of the records stand in other values than before",
    BROKEN: "of the records break it",
    Measure.MISSING.value: "missing",
    Measure.UNREADABLE.value: "of what is filled does not read as its type",
    Measure.DISTINCT.value: "distinct values",
    Measure.REPEATED.value: "repeat a value",
    Measure.MEAN.value: "on average, without what is far off",
    Measure.SPREAD.value: "standard deviation, without what is far off",
    Measure.FAR_OFF.value: "of the numbers are far off (beyond three interquartile ranges)",
    Measure.LOW.value: "at the low end (1 % of the values are below)",
    Measure.HIGH.value: "at the high end (1 % of the values are above)",
    Measure.AGE.value: "days from its newest date to the arrival",
}


def _sentence(series: Series, value: float, low: float, high: float, is_outside: bool) -> str:
    as_share = series.scale is Scale.SHARE or series.about == MIX
    told = [_number(Scale.SHARE if as_share else series.scale, each) for each in (value, low, high)]
    drifting = "" if is_outside else "; it moves away slowly"
    return f"{told[0]} {_WORDS[series.about]}, usually {told[1]} to {told[2]}{drifting}"


def _number(scale: Scale, value: float) -> str:
    if scale is Scale.SHARE:
        return f"{value:.2%}".replace("%", " %")
    if scale is Scale.SIZE:
        return f"{value:,.0f}"
    return f"{value:,.4g}" if abs(value) < 10_000 else f"{value:,.0f}"
