"""One thing that is new in a delivery, and what of a delivery it is judged by."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict

from pravin_core.monitoring.limits import LEAST_PAST
from pravin_core.monitoring.measures import DeliveryMemory, Scale

VOLUME, QUARANTINED, MIX, BROKEN = "records", "quarantined", "mix of values", "broken"
LACKING, REPEATED = "sources", "delivered before"
LEAST_KNOWN = 3  # deliveries, before anything is called usual or never seen
USUAL_TURNOVER = 0.2  # of the deliveries bring it: then it is usual
SHOWN = 12  # texts of a novelty
Weight = Literal["high", "middle", "low"]
Kind = Literal[
    "values never seen", "shapes never seen", "forms of dates never seen", "outside its limits", "drift",
    "incomplete", "delivered before",
]  # fmt: skip
ORDER: dict[Weight, int] = {"high": 0, "middle": 1, "low": 2}


@dataclass(frozen=True)
class Remembered:
    """A delivery of the feed: its number, when it arrived, its memory."""

    number: int
    at: datetime
    memory: DeliveryMemory


class Text(BaseModel):
    """A text that is new, with its share of the records where that is known."""

    model_config = ConfigDict(frozen=True)

    text: str
    share: float | None


class Novelty(BaseModel):
    """One thing that is new. `id` stays the same from delivery to delivery for the same kind, column and measure.

    `value`, `low`, `high`: a measure and its usual limits, in its own unit; `method`: how these were found, from `past` deliveries.
    `distance`: how far outside, in half widths of the limits (of texts their share). `texts`: what was never seen. `rule`: the check that
    it is about, told in words by `column`. Low weight is what is usual for the column: it calls nobody.
    """

    model_config = ConfigDict(frozen=True)

    id: str
    kind: Kind
    column: str
    measure: str
    weight: Weight
    says: str
    value: float | None = None
    low: float | None = None
    high: float | None = None
    scale: Scale | None = None
    distance: float = 0.0
    method: str = ""
    past: int = 0
    texts: tuple[Text, ...] = ()
    rule: str = ""

    @property
    def is_of_run(self) -> bool:
        """Whether it is about what a run found, and not about the delivery as it came."""
        return bool(self.rule) or self.measure == QUARANTINED


def identity(about: str, of: str) -> str:
    """A short name of what a measure or novelty is about: what is measured, of which column or rule ("" of all records)."""
    return hashlib.sha256(f"{about}\x1f{of}".encode()).hexdigest()[:12]


def is_usual(history: Sequence[bool]) -> bool:
    """Whether what some deliveries brought and others not, over a past that is long enough, happens every now and then."""
    return len(history) >= LEAST_PAST and sum(history) / len(history) > USUAL_TURNOVER


def heaviest_first(novelties: Iterable[Novelty]) -> list[Novelty]:
    """News in the order in which people look at them."""
    return sorted(novelties, key=lambda each: (ORDER[each.weight], -each.distance, each.column, each.measure))
