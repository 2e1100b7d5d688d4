"""Read findings with what was decided about them."""

from __future__ import annotations

from collections.abc import Set
from typing import Any

from pravin_core.errors import PravinError
from pravin_core.profiling.findings.treated import treated
from pravin_core.profiling.model import Finding
from pravin_core.rules.base import Part
from pravin_core.rules.registry import KINDS
from pravin_server.common import cache
from pravin_server.common.errors import NotFound, ServerError
from pravin_server.deliveries.models import Delivery, DeliveryProfile
from pravin_server.feeds.models import Feed
from pravin_server.findings.models import FindingDecision
from pravin_server.rulebooks.models import Revision
from pravin_server.rulebooks.run_context import resolve_rulebook
from pravin_server.rulebooks.services import newest, rulebook_of, rules_of
from pravin_server.runs.tables_after import profile_at


def findings_of(delivery: Delivery, table: int | None = None) -> dict[str, Finding]:
    """What the profile of a delivery (or of the table as rules left it) noticed, by id, worst first.

    Raises NotFound when it is not profiled.
    """
    if table is not None:
        content = profile_at(delivery, table)
    else:
        profile = getattr(delivery, "profile", None)
        if profile is None:
            raise NotFound("The delivery is not profiled yet.")
        content = profile.content
    return {finding["id"]: Finding.model_validate(finding) for finding in content.get("findings", [])}


def findings_by_severity(
    delivery: Delivery, table: int | None = None, hidden: Set[str] = frozenset()
) -> list[dict[str, Any]]:
    """Every finding with its state: open, accepted while its rule is in the rulebook, dismissed, or treated by a rule that
    somebody wrote otherwise. What rules left is open until it is decided about: nothing treats it. Of findings in
    hidden columns only their kind and count are told.
    """
    decided = decisions_on(delivery)
    findings = {id_: _covered(finding, hidden) for id_, finding in findings_of(delivery, table).items()}
    by_rule = {} if table is not None else treated_by(delivery, newest(delivery.feed))
    return [
        {"finding": finding, "sentence": _sentence(finding), **_decision(decided.get(id_), by_rule.get(id_, ""))}
        for id_, finding in findings.items()
    ]


def _covered(finding: Finding, hidden: Set[str]) -> Finding:
    if not hidden & set(finding.columns):
        return finding
    says = f"{finding.count:,} with {finding.kind}; the values may only be seen masked"
    return finding.model_copy(update={"says": says, "evidence": (), "filters": (), "rule": None})


def treated_by(delivery: Delivery, revision: Revision, known: dict[str, Any] | None = None) -> dict[str, str]:
    """Which findings of a delivery the rules of a revision treat: the rule's id by that of the finding.

    It is worked out once for each revision and kept with the profile (`known`: as it is kept, if that is at hand).
    """
    if not revision.rules:
        return {}
    kept = DeliveryProfile.objects.filter(delivery=delivery)
    treated = kept.values_list("treated", flat=True).first() if known is None else known
    if treated is None:
        return {}
    if treated.get("revision") != revision.number:
        treated = {"revision": revision.number, "by": _treated(delivery, revision)}
        kept.update(treated=treated)
    by: dict[str, str] = treated["by"]
    return by


def _treated(delivery: Delivery, revision: Revision) -> dict[str, str]:
    try:
        rulebook = resolve_rulebook(delivery, rulebook_of(revision))
    except (PravinError, ServerError):
        return {}  # a rulebook that cannot run at present says so in Rules
    with cache.scratch() as scratch:
        return treated(list(findings_of(delivery).values()), rulebook, scratch)


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
    decisions = FindingDecision.objects.filter(feed=feed).select_related("by")
    return {
        decision.finding: decision for decision in decisions if decision.state == "dismissed" or decision.rule in rules
    }


def _decision(decision: FindingDecision | None, treated_by: str) -> dict[str, Any]:
    if decision is None:
        state = "treated" if treated_by else "open"
        return {"state": state, "reason": "", "by": "", "at": None, "rule_id": treated_by}
    by = decision.by.shown if decision.by else ""
    return {"state": decision.state, "reason": decision.reason, "by": by, "at": decision.at, "rule_id": decision.rule}
