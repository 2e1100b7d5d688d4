"""Quarantine over many deliveries: what is whose and how late, and how often a rule set records apart from one to the next."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from django.db.models import Count, F, Max, Window
from django.db.models.functions import RowNumber
from django.utils import timezone

from pravin_server.deliveries.models import Delivery
from pravin_server.quarantine.cases import cases_of
from pravin_server.quarantine.models import Answer, Decision
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run

DELIVERIES = 12  # of a feed, that a trend tells of
_TELLING = [Decision.Kind.ASSIGN, Decision.Kind.WAIT, Decision.Kind.RETURN]


def standings(runs: Sequence[Run], person: Any) -> dict[int, dict[str, int]]:
    """Of each run, by its id, how many waiting records are a person's own (`mine`), whose day is past (`overdue`), with their
    supplier (`returned`), and how many answers of suppliers wait (`answers`).
    """
    deliveries = [run.delivery_id for run in runs]
    telling = Decision.objects.filter(delivery__in=deliveries, undone_at__isnull=True, kind__in=_TELLING)
    told = set(telling.values_list("delivery", flat=True))
    answers = Answer.objects.filter(
        state=Answer.State.WAITING, returned__delivery__in=deliveries, returned__undone_at__isnull=True,
        returned__snapshot_key=F("returned__delivery__snapshot_key"),
    )  # fmt: skip
    waiting = dict(answers.values_list("returned__delivery").annotate(n=Count("pk")))
    result = {}
    for run in runs:
        counts = {"mine": 0, "overdue": 0, "returned": 0}
        if run.delivery_id in told:
            cases = cases_of(run)
            waits = cases.is_waiting
            counts["mine"] = int(np.sum(waits & (cases.owner == person.pk)))
            counts["overdue"] = int(np.sum(waits & cases.is_overdue))
            counts["returned"] = int(np.sum(waits & (cases.returned > 0)))
        result[run.pk] = {**counts, "answers": waiting.get(run.delivery_id, 0)}
    return result


@dataclass(frozen=True)
class Reminder:
    """What calls for a person in the quarantine of a delivery: `overdue` waiting records whose day is past, the last such day (None where
    none is), and how many `answers` of suppliers are to be looked at, the newest by its id (0: none).
    """

    delivery: Delivery
    overdue: int
    day: date | None
    answers: int
    newest_answer: int


def reminders() -> list[Reminder]:
    """The deliveries whose quarantine calls for a person, over all feeds."""
    held = Decision.objects.filter(undone_at__isnull=True, snapshot_key=F("delivery__snapshot_key"))
    days = dict(
        held.filter(kind__in=[Decision.Kind.WAIT, Decision.Kind.RETURN], until__lt=timezone.localdate())
        .order_by("delivery")
        .values_list("delivery")
        .annotate(day=Max("until"))
    )
    answers = {
        delivery: (number, newest)
        for delivery, number, newest in Answer.objects.filter(state=Answer.State.WAITING, returned__in=held)
        .order_by("returned__delivery")
        .values_list("returned__delivery")
        .annotate(n=Count("pk"), newest=Max("pk"))
    }
    results = []
    for delivery in Delivery.objects.filter(pk__in=days.keys() | answers.keys()).select_related("feed__owner"):
        run = current_run(delivery) if delivery.pk in days else None
        cases = cases_of(run) if run else None
        overdue = int(np.sum(cases.is_waiting & cases.is_overdue)) if cases else 0
        number, newest = answers.get(delivery.pk, (0, 0))
        if overdue or number:
            results.append(Reminder(delivery, overdue, days[delivery.pk] if overdue else None, number, newest))
    return results


class Trends:
    """How many records each rule of some feeds set apart in the last deliveries, as their newest runs told."""

    def __init__(self, feeds: Collection[int]) -> None:
        counting = Run.objects.filter(
            delivery__feed__in=feeds, purpose=Run.Purpose.RUN, state="done", snapshot_key=F("delivery__snapshot_key")
        )
        newest = counting.order_by("delivery_id", "-id").distinct("delivery_id").values("pk")
        place = Window(RowNumber(), partition_by="delivery__feed_id", order_by=[F("delivery__number").desc()])
        last = Run.objects.filter(pk__in=newest).annotate(place=place).filter(place__lte=DELIVERIES)
        self._effects: dict[int, list[dict[str, int]]] = {}
        for feed, effects in last.order_by("delivery__number").values_list("delivery__feed_id", "outcome__effects"):
            by_rule = {effect["rule"]: effect["broken"] + effect["unconverted"] for effect in effects or []}
            self._effects.setdefault(feed, []).append(by_rule)

    def of(self, feed: int, rule: str) -> list[int]:
        """The counts of a rule over the last deliveries of a feed, oldest first; 0 where the rule was not. Nothing where no rule is meant."""
        return [effects.get(rule, 0) for effects in self._effects.get(feed, [])] if rule else []
