"""Decide about findings: accept makes rules, dismiss says why not."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from pravin_core.profiling.model import Finding
from pravin_core.rules.corrections.values.translate import Code
from pravin_core.rules.registry import KINDS
from pravin_core.rules.rulebook import Rulebook
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Conflict, Invalid, NotFound
from pravin_server.deliveries.models import Delivery
from pravin_server.findings.models import FindingDecision
from pravin_server.findings.queries import decisions_that_hold, findings_of
from pravin_server.rulebooks.models import Revision
from pravin_server.rulebooks.services import change_rules, newest, put_rule, rules_of
from pravin_server.runs.tables_after import last_rule_at, profile_at


@transaction.atomic
def accept(user: Any, delivery: Delivery, ids: Sequence[str], table: int | None = None) -> Revision:
    """Put the proposed rules of findings into the rulebook, as one revision; those of the table as rules left it behind these
    rules. Raises Invalid when a finding has no rule.
    """
    person = may_work(user, "accept findings")
    chosen = _chosen(delivery, ids, table)
    behind = last_rule_at(delivery, table)
    before = newest(delivery.feed)
    rules, decisions = rules_of(before), decisions_that_hold(delivery.feed, before)
    for finding in chosen:
        known = decisions.get(finding.id)
        if known is not None and known.state == "accepted":
            who = known.by.shown if known.by else "somebody"
            raise Conflict(f"The finding “{finding.says}” was accepted already, by {who}: its rule is in the rulebook.")
        if finding.rule is None:
            raise Invalid(f"The finding “{finding.says}” has no rule to accept. Dismiss it, or write a rule for it.")
        rule = put_rule(rules, {**finding.rule, "note": f"Finding: {finding.says}"[:2000]}, behind)
        behind = rule["id"] if behind and not KINDS[rule["kind"]].is_check else behind
        FindingDecision.objects.update_or_create(
            feed=delivery.feed, finding=finding.id,
            defaults={"state": "accepted", "rule": rule["id"], "reason": "", "delivery": delivery, "by": person},
        )  # fmt: skip
    rulebook = Rulebook.model_validate({"rules": rules})
    return change_rules(person, delivery.feed, rulebook, before.number, f"accepted: {_said(chosen)}")


@transaction.atomic
def join_variants(
    user: Any, delivery: Delivery, column: str, codes: Sequence[Code], table: int | None = None
) -> Revision:
    """Put a code list that gives the spellings of a column their preferred forms into the rulebook."""
    person = may_work(user, "join variants")
    if column not in [item["name"] for item in profile_at(delivery, table)["columns"]]:
        raise Invalid(f"The delivery has no column {column!r}.")
    before = newest(delivery.feed)
    rules = rules_of(before)
    put_rule(rules, {
        "kind": "translate", "columns": [column], "codes": [code.model_dump() for code in codes], "note": "Spelling variants",
    }, last_rule_at(delivery, table))  # fmt: skip
    rulebook = Rulebook.model_validate({"rules": rules})
    sentence = f"joined {len(codes)} spellings in {column}"
    return change_rules(person, delivery.feed, rulebook, before.number, sentence)


@transaction.atomic
def dismiss(user: Any, delivery: Delivery, ids: Sequence[str], reason: str, table: int | None = None) -> None:
    """Set findings aside, for this and later deliveries of the feed."""
    person = may_work(user, "dismiss findings")
    for finding in _chosen(delivery, ids, table):
        FindingDecision.objects.update_or_create(
            feed=delivery.feed, finding=finding.id,
            defaults={"state": "dismissed", "rule": "", "reason": reason[:1000], "delivery": delivery, "by": person},
        )  # fmt: skip
        note(
            person,
            f"dismissed a finding of {delivery.feed.name}: {finding.says}",
            delivery.feed.slug,
            reason=reason[:200],
        )


@transaction.atomic
def reopen(user: Any, delivery: Delivery, ids: Sequence[str], table: int | None = None) -> None:
    """Take decisions back; the rules that accepting made leave the rulebook again."""
    person = may_work(user, "reopen findings")
    chosen = _chosen(delivery, ids, table)
    filter_ = FindingDecision.objects.filter(feed=delivery.feed, finding__in=[finding.id for finding in chosen])
    gone = {decision.rule for decision in filter_ if decision.rule}
    before = newest(delivery.feed)
    rules = [rule for rule in rules_of(before) if rule["id"] not in gone]
    if len(rules) < len(before.rules):
        rulebook = Rulebook.model_validate({"rules": rules})
        change_rules(person, delivery.feed, rulebook, before.number, f"took back: {_said(chosen)}")
    filter_.delete()
    note(person, f"reopened {len(chosen)} findings of {delivery.feed.name}", delivery.feed.slug)


def _said(chosen: Sequence[Finding]) -> str:
    return chosen[0].says if len(chosen) == 1 else f"{len(chosen)} findings"


def _chosen(delivery: Delivery, ids: Sequence[str], table: int | None) -> list[Finding]:
    known = findings_of(delivery, table)
    if missing := [id_ for id_ in ids if id_ not in known]:
        raise NotFound(f"The delivery has no finding {missing[0]!r}. It may have been profiled anew: look again.")
    return [known[text] for text in dict.fromkeys(ids)]
