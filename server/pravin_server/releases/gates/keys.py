"""Where the newest record of a key stands: no two ready records of the delivery share a key, and none lacks a part of it."""

from __future__ import annotations

from functools import lru_cache

from pravin_core.releases.adding_up import AddingUp
from pravin_server.releases.gates.base import Gate, Proposal
from pravin_server.releases.key_faults import key_fault
from pravin_server.runs.models import Run
from pravin_server.runs.results import result_of


def finds(case: Proposal) -> tuple[bool, str]:
    """Where a key decides, it tells the ready records of the delivery apart."""
    feed = case.delivery.feed
    if feed.adds_up != AddingUp.NEWEST:
        return True, "not needed: no key decides which records stand"
    fault = _fault(case.run.pk, tuple(feed.key))
    return not fault, fault or f"{', '.join(feed.key)}: each is there once"


@lru_cache(maxsize=256)
def _fault(run_id: int, key: tuple[str, ...]) -> str:
    """What a run left does not change; the page of a delivery asks for it often."""
    folder, outcome = result_of(Run.objects.select_related("revision", "delivery").get(pk=run_id))
    return key_fault(folder, outcome.columns, key)


GATE = Gate("The key tells records apart", 55, finds)
