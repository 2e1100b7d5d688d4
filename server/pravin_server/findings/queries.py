"""Read findings with what was decided about them."""

from __future__ import annotations

from typing import Any

from pravin_core.profiling.model import Finding
from pravin_core.rules.base import Part
from pravin_core.rules.registry import KINDS
from pravin_server.common.errors import NotFound
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.findings.models import FindingDecision
from pravin_server.rulebooks.models import Revision
from pravin_server.rulebooks.services import newest, rules_of


def findings_of(delivery: Delivery) -> dict[str, Finding]:
    """What the profile of a delivery noticed, by id, worst first. Raises NotFound when it is not profiled."""
    profile = getattr(delivery, "profile", None)
    if profile is None:
        raise NotFound("The delivery is not profiled yet.")
    return {one["id"]: Finding.model_validate(one) for one in profile.content.get("findings", [])}


def findings_by_severity(delivery: Delivery) -> list[dict[str, Any]]:
    """Every finding with its state: open, accepted while its rule is in the rulebook, or dismissed."""
    decided = decisions_on(delivery)
    return [
        {"finding": finding, "sentence": _sentence(finding), **_decision(decided.get(id_))}
        for id_, finding in findings_of(delivery).items()
    ]


def _sentence(finding: Finding) -> list[Part]:
    if finding.rule is None:
        return []
    return KINDS[finding.rule["kind"]].model_validate({**finding.rule, "id": "proposed"}).sentence()


def decisions_on(delivery: Delivery) -> dict[str, FindingDecision]:
    """The decisions of the delivery's feed that hold, by finding."""
    return decisions_that_hold(delivery.feed, newest(delivery.feed))


def decisions_that_hold(feed: Feed, revision: Revision) -> dict[str, FindingDecision]:
    """The decisions of a feed that still hold, by finding: an accepted one whose rule is not in the newest revision any
    more is open again.
    """
    rules = {rule["id"] for rule in rules_of(revision)}
    made = FindingDecision.objects.filter(feed=feed).select_related("by")
    return {one.finding: one for one in made if one.state == "dismissed" or one.rule in rules}


def _decision(decision: FindingDecision | None) -> dict[str, Any]:
    if decision is None:
        return {"state": "open", "reason": "", "by": "", "at": None, "rule_id": ""}
    by = decision.by.shown if decision.by else ""
    return {"state": decision.state, "reason": decision.reason, "by": by, "at": decision.at, "rule_id": decision.rule}
