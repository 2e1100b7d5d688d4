"""The cases of a delivery: which records wait since when, with whom and until when, told from the steps of its runs and from
what people decided.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from django.db.models import Q, QuerySet
from django.utils import timezone

from pravin_core.runs import decisions as core
from pravin_core.tables.record_sets import NOTHING, Numbers, is_in, rising, unpacked, unpacked_numbers
from pravin_server.deliveries.models import Delivery
from pravin_server.quarantine.models import CaseStep, Decision, Match
from pravin_server.runs.models import Run

RUN_KINDS = ("amend", "accept", "discard", "reopen")  # those that a run takes into account

ENDINGS = ("amend", "accept", "discard", "rules")


@dataclass(frozen=True)
class Cases:
    """The records in quarantine after a run (`records`, rising) and beside each: the run that opened its case, the id of its
    owner (0: nobody), the day until which it waits (ordinal, 0: none), the act that returned it to its supplier, who has not
    answered (0: none), the number of the delivery that settled it and of the
    one in which it waits (0: none), with the record's number there.
    """

    records: Numbers
    since: Numbers
    owner: Numbers
    due: Numbers
    returned: Numbers
    settled_by: Numbers
    again_in: Numbers
    there: Numbers

    @property
    def is_waiting(self) -> Numbers:
        """Which of them wait here."""
        return np.asarray((self.settled_by == 0) & (self.again_in == 0))

    @property
    def is_overdue(self) -> Numbers:
        """Which of them wait for a day that is past."""
        return np.asarray((self.due > 0) & (self.due < timezone.localdate().toordinal()))


def that_hold(delivery: Delivery, on: dt.date | None = None) -> QuerySet[Decision]:
    """The decisions on a delivery as it is read now that are not undone, in order; exceptions whose last day is past do not
    hold any more.
    """
    day = on or timezone.localdate()
    holds = Q(until__isnull=True) | Q(until__gte=day) | ~Q(kind=Decision.Kind.ACCEPT)
    return Decision.objects.filter(holds, delivery=delivery, snapshot_key=delivery.snapshot_key, undone_at__isnull=True)


def current_decisions(delivery: Delivery) -> list[int]:
    """The ids of the decisions that a run of the delivery takes into account, in order."""
    return list(that_hold(delivery).filter(kind__in=RUN_KINDS).values_list("id", flat=True))


def known_to(run: Run) -> list[int]:
    """The ids of the decisions that a run took into account; those that a former version kept otherwise are not among them."""
    return [decision for decision in run.decisions if isinstance(decision, int)]


def decisions_by_id(ids: Sequence[int]) -> list[core.Decision]:
    """Decisions as the core takes them, in the order of the ids."""
    rows = Decision.objects.in_bulk(ids)
    return [decision_to_core(rows[id_]) for id_ in ids]


def decision_to_core(decision: Decision) -> core.Decision:
    """A decision that runs take into account, as the core takes it."""
    kind: Any = decision.kind
    return core.Decision(kind, bytes(decision.content))


def records_of(decision: Decision) -> Numbers:
    """The records that a decision is about (rising)."""
    return records_in(bytes(decision.content))


def records_in(content: bytes) -> Numbers:
    """The records of what is kept of a decision (rising)."""
    return rising(unpacked(content).column("record").to_numpy())


def held(run: Run) -> tuple[Numbers, Numbers]:
    """The records in quarantine after a counting run (rising), and beside each the run that opened its case."""
    steps = CaseStep.objects.filter(run__delivery=run.delivery_id, run__snapshot_key=run.snapshot_key, run__lte=run.pk)
    records, since = NOTHING, NOTHING
    for step in steps.order_by("run_id"):
        stays = ~is_in(records, unpacked_numbers(bytes(step.ended)))
        opened = unpacked_numbers(bytes(step.opened))
        records = np.concatenate([records[stays], opened])
        since = np.concatenate([since[stays], np.full(len(opened), step.run_id, dtype=np.int64)])
    order = np.argsort(records, kind="stable")
    return records[order], since[order]


def cases_of(run: Run) -> Cases:
    """All cases of the delivery of a counting run, as that run left them."""
    records, since = held(run)
    owner, due, returned = (np.zeros_like(records) for _ in range(3))
    for decision in that_hold(run.delivery).filter(kind__in=["assign", "wait", "return", "amend"]).order_by("id"):
        touched = is_in(records, records_of(decision))
        if decision.kind == Decision.Kind.ASSIGN:
            owner[touched] = decision.owner_id or 0
        elif decision.kind == Decision.Kind.AMEND:
            returned[touched & (returned == decision.details.get("returned", 0))] = 0
        else:
            due[touched] = decision.until.toordinal() if decision.until else 0
            if decision.kind == Decision.Kind.RETURN:
                returned[touched] = decision.pk
    settled, again, there = (np.zeros_like(records) for _ in range(3))
    for number, content in _met_later(run):
        met = unpacked(content)
        numbers = met.column("record").to_numpy()
        is_case = is_in(numbers, records)
        places = np.searchsorted(records, numbers[is_case])
        is_again = met.column("again").to_numpy()[is_case] == 1
        by_record = met.column("by_record").to_numpy()[is_case]
        # the first delivery in which it is ready settles it; until then it waits in the newest in which it came
        first_ready = ~is_again & (settled[places] == 0)
        settled[places[first_ready]] = number
        there[places[first_ready]] = by_record[first_ready]
        still = is_again & (settled[places] == 0)
        again[places[still]] = number
        there[places[still]] = by_record[still]
    again[settled > 0] = 0
    return Cases(records, since, owner, due, returned, settled, again, there)


def ended_by(run: Run) -> dict[str, int]:
    """How many cases of a delivery ended with what: amend, accept and discard by decisions that hold, `rules` where the rules or
    the reading were changed.
    """
    steps = CaseStep.objects.filter(run__delivery=run.delivery_id, run__snapshot_key=run.snapshot_key, run__lte=run.pk)
    opened = [unpacked_numbers(bytes(content)) for content in steps.values_list("opened", flat=True)]
    ever = rising(np.concatenate([NOTHING, *opened]))
    ended = ever[~is_in(ever, held(run)[0])]
    by = np.full(len(ended), len(ENDINGS) - 1)
    known = known_to(run)
    for decision in that_hold(run.delivery).filter(pk__in=known).order_by("id"):
        kind = decision.kind if decision.kind in ENDINGS else ENDINGS[-1]
        by[is_in(ended, records_of(decision))] = ENDINGS.index(kind)
    return {name: int(np.sum(by == at)) for at, name in enumerate(ENDINGS)}


def _met_later(run: Run) -> list[tuple[int, bytes]]:
    """What the current runs of later deliveries brought again, in the order of the deliveries."""
    matches = Match.objects.filter(case_run=run).select_related("by_run").order_by("by_run__delivery__number")
    rows = matches.values_list("by_run__delivery__number", "content")
    return [(number, bytes(content)) for number, content in rows]
