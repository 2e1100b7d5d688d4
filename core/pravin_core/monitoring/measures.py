"""The measures of a delivery that are remembered: few numbers of each column, the volume, and how often each check breaks."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from datetime import datetime
from enum import StrEnum

from pydantic import BaseModel, ConfigDict

from pravin_core.profiling.column_values import SHOWN, TOP
from pravin_core.profiling.model import ColumnProfile, NumberStatistics, Profile, ValueCount
from pravin_core.rules.registry import KINDS
from pravin_core.runs.model import Outcome
from pravin_core.tables.types import NUMBERS, Role

LISTED = TOP  # values of a column: with more than these nobody knows all of them
TAIL = 6.0  # standard errors of a mean that the error of a 1 % quantile has, for tails up to those of an exponential


class Scale(StrEnum):
    """How a measure is compared with earlier ones."""

    SHARE = "share"  # of records, on the arcsine scale, where its sampling error does not depend on the share
    SIZE = "size"  # on the logarithmic scale: twice as many is as far as half as many
    SPREAD = "spread"  # a standard deviation, on the logarithmic scale
    VALUE = "value"  # as it is


class Measure(StrEnum):
    """What is measured of a column; the text is what people read."""

    MISSING = "missing"
    UNREADABLE = "unreadable"
    DISTINCT = "distinct values"
    REPEATED = "repeated"
    MEAN = "mean"
    SPREAD = "spread"
    FAR_OFF = "far off"
    LOW = "low end"
    HIGH = "high end"
    AGE = "age of the newest date"

    @property
    def scale(self) -> Scale:
        """How the measure is compared."""
        return _SCALES[self]


_SCALES = {
    Measure.MISSING: Scale.SHARE,
    Measure.UNREADABLE: Scale.SHARE,
    Measure.DISTINCT: Scale.SIZE,
    Measure.REPEATED: Scale.SHARE,
    Measure.MEAN: Scale.VALUE,
    Measure.SPREAD: Scale.SPREAD,
    Measure.FAR_OFF: Scale.SHARE,
    Measure.LOW: Scale.VALUE,
    Measure.HIGH: Scale.VALUE,
    Measure.AGE: Scale.VALUE,
}


class Measured(BaseModel):
    """A number, and on the scale of its measure: the number, its standard error by sampling alone, the least change worth a word."""

    model_config = ConfigDict(frozen=True)

    value: float
    scaled: float
    error: float
    least: float


class ColumnMemory(BaseModel):
    """What is remembered of a column: its role, its measures, and its texts where few are different: values with their share of the
    records, shapes, and forms of dates. `values`, `shapes` is None where not all of them are known, or none is expected to come again.
    """

    model_config = ConfigDict(frozen=True)

    role: Role
    type: str
    measures: dict[Measure, Measured]
    values: dict[str, float] | None = None
    shapes: tuple[str, ...] | None = None
    formats: tuple[str, ...] | None = None


class CheckMemory(BaseModel):
    """Which check it is, in words, and how many of the records break it, as a share."""

    model_config = ConfigDict(frozen=True)

    title: str
    share: Measured


class DeliveryMemory(BaseModel):
    """What is remembered of a delivery. `quarantined` and `checks` (by the id of the rule) are of the run, if it ran. `sources`: how many
    were read of each pattern of names; `files`: their names by their SHA-256; None where nobody noted them.
    """

    model_config = ConfigDict(frozen=True)

    records: int
    rejected: int
    volume: Measured
    columns: dict[str, ColumnMemory]
    quarantined: Measured | None = None
    checks: dict[str, CheckMemory] = {}
    sources: dict[str, int] | None = None
    files: dict[str, str] | None = None


def remember(profile: Profile) -> DeliveryMemory:
    """What is remembered of a delivery as it came."""
    return DeliveryMemory(
        records=profile.records,
        rejected=profile.rejected,
        volume=measured(Scale.SIZE, profile.records, 0.0, math.log(1.05)),
        columns={column.name: _remember_column(column, profile.records) for column in profile.columns},
    )


def with_run(memory: DeliveryMemory, outcome: Outcome) -> DeliveryMemory:
    """The memory of a delivery with what its run found: each check that is on, and the share of records in quarantine."""
    sums = outcome.reconciliation
    records = max(1, sums.delivered + sums.added)
    checks = {
        effect.rule: CheckMemory(
            title=f"{KINDS[effect.kind].title} (rule {effect.number})",
            share=share_of(min(effect.broken, records), records),
        )
        for effect in outcome.effects
        if effect.enabled and _is_check(effect.kind)
    }
    return memory.model_copy(
        update={"quarantined": share_of(min(sums.quarantined, records), records), "checks": checks}
    )


def _is_check(kind: str) -> bool:
    return kind in KINDS and KINDS[kind].is_check


def measured(scale: Scale, value: float, error: float, least: float) -> Measured:
    """A measure that is no share."""
    return Measured(value=value, scaled=_SCALED[scale](value), error=error, least=least)


_SCALED: dict[Scale, Callable[[float], float]] = {
    Scale.SIZE: lambda value: math.log1p(max(0.0, value)),
    Scale.SPREAD: lambda value: math.log(max(value, 1e-300)),
    Scale.VALUE: float,
}


def share_of(part: int, whole: int) -> Measured:
    """A share of records, on the arcsine scale of Anscombe (1948), on which its error does not depend on it. Worth a word is a change
    by one in four hundred from nothing, or by five in a hundred about the middle.
    """
    return Measured(
        value=part / max(1, whole),
        scaled=math.asin(math.sqrt((part + 3 / 8) / (whole + 3 / 4))),
        error=0.5 / math.sqrt(whole + 0.5),
        least=0.05,
    )


def from_scale(scale: Scale, value: float) -> float:
    """What a place on the scale means in the unit of the measure, within what the measure can be."""
    if scale is Scale.SHARE:
        return math.sin(min(math.pi / 2, max(0.0, value))) ** 2
    if scale is Scale.SIZE:
        return max(0.0, math.expm1(min(value, 700.0)))
    if scale is Scale.SPREAD:
        return math.exp(min(value, 700.0))
    return value


def _remember_column(column: ColumnProfile, records: int) -> ColumnMemory:
    filled = records - column.missing
    measures = {Measure.MISSING: share_of(column.missing, records)}
    if column.fits + column.misfits and filled:
        measures[Measure.UNREADABLE] = share_of(column.misfits, filled)
    if filled and column.role is Role.IDENTIFIER:
        measures[Measure.REPEATED] = share_of(filled - column.distinct, filled)
    elif filled and column.role in (Role.CATEGORY, Role.FLAG):
        measures[Measure.DISTINCT] = measured(
            Scale.SIZE, column.distinct, 1 / math.sqrt(1 + column.distinct), math.log(1.2)
        )
    if column.numbers is not None and column.type in NUMBERS and column.role is Role.QUANTITY:
        measures |= _of_numbers(column.numbers)
    if column.dates is not None and not column.dates.future and column.dates.now:
        age = datetime.fromisoformat(column.dates.now) - datetime.fromisoformat(column.dates.last)
        measures[Measure.AGE] = measured(Scale.VALUE, age.total_seconds() / 86_400, 0.0, 3.0)
    is_listed = (
        column.role in (Role.CATEGORY, Role.FLAG) and 0 < column.distinct <= LISTED and _are_whole(column.values)
    )
    has_shapes = column.role in (Role.CATEGORY, Role.IDENTIFIER) and column.type not in NUMBERS and column.dates is None
    knows_shapes = 0 < len(column.shapes) < LISTED and _are_whole(column.shapes)
    return ColumnMemory(
        role=column.role,
        type=column.type.value,
        measures=measures,
        values={each.value: each.count / records for each in column.values} if is_listed else None,
        shapes=_texts(column.shapes) if has_shapes and knows_shapes else None,
        formats=_texts(column.dates.formats) if column.dates is not None else None,
    )


def _are_whole(counts: tuple[ValueCount, ...]) -> bool:
    """Whether no text was cut by the profile: a cut one may stand for several, which nobody could tell apart later."""
    return all(len(each.value) < SHOWN for each in counts)


def _texts(counts: tuple[ValueCount, ...]) -> tuple[str, ...]:
    return tuple(each.value for each in counts)


def _of_numbers(numbers: NumberStatistics) -> dict[Measure, Measured]:
    """Level and spread of a quantity within its fences, so that a few wrong numbers do not hide that it moved, how many are beyond, and
    its ends. Standard errors: of the mean, of a standard deviation (by the kurtosis, of the normal distribution where none is known),
    of quantiles.
    """
    body, n = numbers.body, numbers.count
    if body is None or not body.standard_deviation or n < 3:
        return {}
    deviation = body.standard_deviation
    error, least = deviation / math.sqrt(body.count), 0.1 * deviation
    peaked = 2.0 if body.count < n else max(2.0, (numbers.kurtosis or 0.0) + 2)
    return {
        Measure.MEAN: measured(Scale.VALUE, body.mean, error, least),
        Measure.SPREAD: measured(Scale.SPREAD, deviation, math.sqrt(peaked / (4 * body.count)), math.log(1.15)),
        Measure.FAR_OFF: share_of(n - body.count, n),
        Measure.LOW: measured(Scale.VALUE, numbers.quantiles["0.01"], TAIL * error, 2 * least),
        Measure.HIGH: measured(Scale.VALUE, numbers.quantiles["0.99"], TAIL * error, 2 * least),
    }


def mix_distance(mix: Mapping[str, float], usual: Mapping[str, float]) -> float:
    """The total variation distance of two mixes of values (shares by value), from 0 to 1."""
    names = mix.keys() | usual.keys()
    return sum(abs(mix.get(name, 0.0) - usual.get(name, 0.0)) for name in names) / 2


def mix_error(mix: Mapping[str, float], records: int) -> float:
    """The distance that sampling alone gives a mix from the one it is drawn from, on average (normal approximation)."""
    return sum(math.sqrt(2 * p * (1 - min(1.0, p)) / (math.pi * max(1, records))) for p in mix.values()) / 2
