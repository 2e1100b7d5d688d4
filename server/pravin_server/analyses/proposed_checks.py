"""Checks proposed from a profile."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from typing import Any

from django.db import transaction

from pravin_core.profiling.model import Profile
from pravin_core.profiling.proposed_checks import bounds_of
from pravin_core.rules.registry import KINDS
from pravin_server.accounts.services import may_work
from pravin_server.common.errors import NotFound
from pravin_server.deliveries.models import Delivery
from pravin_server.rulebooks.services import change_rules, newest, put_rule, rulebook_of, rules_of
from pravin_server.runs.tables_after import last_rule_at, profile_at


def proposed(delivery: Delivery, table: int | None = None) -> list[dict[str, Any]]:
    """The proposals of the profile of a delivery, or of the table as rules left it, with whether a rule of that kind on that
    column is there already.
    """
    there = {(rule["kind"], name) for rule in rules_of(newest(delivery.feed)) for name in rule.get("columns", ())}
    return [
        {
            "id": id_, "column": rule["columns"][0], "kind": rule["kind"], "rests_on": rests_on,
            "sentence": KINDS[rule["kind"]].model_validate({**rule, "id": "proposed"}).sentence(),
            "present": (rule["kind"], rule["columns"][0]) in there,
        }
        for id_, (rule, rests_on) in _by_id(delivery, table).items()
    ]  # fmt: skip


@transaction.atomic
def accept(user: Any, delivery: Delivery, ids: Sequence[str], table: int | None = None) -> int:
    """Put proposals into the rulebook as one revision, those of a table that rules left behind these; returns its number."""
    person = may_work(user, "accept checks")
    known, behind = _by_id(delivery, table), last_rule_at(delivery, table)
    if missing := [id_ for id_ in ids if id_ not in known]:
        raise NotFound(f"There is no proposed check {missing[0]!r}. The profile may be new: look again.")
    before = newest(delivery.feed)
    rules = rules_of(before)
    for text in dict.fromkeys(ids):
        rule, rests_on = known[text]
        put_rule(rules, {**rule, "note": f"Bounds of delivery {delivery.number}: {rests_on}"[:2000]}, behind)
    rulebook = rulebook_of(before).model_validate({"rules": rules})
    sentence = f"{len(set(ids))} checks from the profile of delivery {delivery.number}"
    return change_rules(person, delivery.feed, rulebook, before.number, sentence).number


def _by_id(delivery: Delivery, table: int | None) -> dict[str, tuple[dict[str, Any], str]]:
    proposals = list(bounds_of(Profile.model_validate(profile_at(delivery, table))))
    return {
        hashlib.sha256(json.dumps(rule, sort_keys=True).encode()).hexdigest()[:12]: (rule, on) for rule, on in proposals
    }
