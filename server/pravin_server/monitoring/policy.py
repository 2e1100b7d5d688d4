"""Feeds that run themselves: what the policy of a feed does with a delivery, and when it calls a person."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from typing import Any

from django.db import transaction

from pravin_core.errors import PravinError
from pravin_core.monitoring.limits import LEAST_PAST
from pravin_server.accounts.services import may_release, may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Invalid, ServerError
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.findings.queries import findings_by_severity
from pravin_server.monitoring.memory import answered_in, calling, in_words, memory_of
from pravin_server.monitoring.models import FeedPolicy, Memory, PolicyStep
from pravin_server.releases.gates.registry import judge
from pravin_server.releases.models import Release
from pravin_server.releases.proposals import approve, propose
from pravin_server.releases.services import case_of
from pravin_server.runs.models import Run
from pravin_server.runs.services import ask_run

logger = logging.getLogger(__name__)
WORD = "By the policy of the feed: nothing is new, and all is within what was agreed."
Did, Then = PolicyStep.Did, FeedPolicy.Then


def after_reading(delivery: Delivery) -> None:
    """A delivery was read: remember it, and run it where the feed runs itself."""
    _guarded(delivery, _after_reading)


def after_run(run: Run) -> None:
    """A run that counts is done: remember it, and go on where the feed runs itself."""
    done = Run.objects.select_related("delivery__feed").get(pk=run.pk)
    _guarded(done.delivery, lambda delivery: _after_run(done, delivery))


def _guarded(delivery: Delivery, act: Callable[[Delivery], None]) -> None:
    """What is remembered must not keep a delivery from being read or run: a fault of ours goes to the log, and calls a person."""
    delivery = Delivery.objects.select_related("feed").get(pk=delivery.pk)
    try:
        act(delivery)
    except Exception:
        logger.exception("delivery %s could not be compared with those before", delivery.pk)
        if policy := _policy(delivery):
            _step(policy, delivery, Did.CALLED, None, ["An unexpected error occurred; it is in the server's log."])


def _policy(delivery: Delivery) -> FeedPolicy | None:
    return FeedPolicy.objects.filter(feed=delivery.feed).select_related("by").first()


def _after_reading(delivery: Delivery) -> None:
    memory_of(delivery)
    policy = _policy(delivery)
    ran = PolicyStep.objects.filter(delivery=delivery, did=Did.RAN, run__snapshot_key=delivery.snapshot_key)
    if policy is None or ran.exists() or Release.objects.filter(delivery=delivery).exists():
        return
    try:
        with transaction.atomic():
            run, _ = ask_run(policy.by, delivery, Run.Purpose.RUN)
            _step(policy, delivery, Did.RAN, run)
    except (ServerError, PravinError) as error:
        _step(policy, delivery, Did.CALLED, None, [_message(error)])


def _after_run(run: Run, delivery: Delivery) -> None:
    memory = memory_of(delivery)
    policy = _policy(delivery)
    steps = PolicyStep.objects.filter(delivery=delivery, run=run)
    if policy is None or not steps.filter(did=Did.RAN).exists() or steps.exclude(did=Did.RAN).exists():
        return  # a person asked for this run, and goes on herself
    try:
        reasons = why_not(policy, delivery, run, memory)
        with transaction.atomic():
            if reasons:
                _step(policy, delivery, Did.CALLED, run, reasons)
            elif policy.then == Then.PUBLISH:
                approve(policy.by, delivery, run.pk, WORD)
                _step(policy, delivery, Did.PUBLISHED, run)
            elif policy.then == Then.PROPOSE:
                propose(policy.by, delivery, run.pk, WORD)
                _step(policy, delivery, Did.PROPOSED, run)
            else:
                _step(policy, delivery, Did.HELD, run)
    except (ServerError, PravinError) as error:
        _step(policy, delivery, Did.CALLED, run, [_message(error)])


def why_not(
    policy: FeedPolicy, delivery: Delivery, run: Run, memory: Memory | None, in_the_past: bool = False
) -> list[str]:
    """Why a person has to look at a delivery that ran: an empty list when nothing is new and all is within what was agreed.

    In the past also for what a person answered since; gates are looked at where nothing is released.
    """
    sums = (run.outcome or {})["reconciliation"]
    records, quarantined = sums["delivered"] + sums["added"], sums["quarantined"]
    reasons = []
    past = (memory.past or 0) if memory else 0
    if past < LEAST_PAST:
        reasons.append(f"{past} earlier deliveries are too few to know what is usual: it takes {LEAST_PAST}")
    answered = set() if in_the_past else answered_in(delivery)
    reasons += [in_words(each) for each in calling(memory, answered)] if memory else []
    findings = findings_by_severity(delivery)
    reasons += [
        f"no rule treats {each['finding'].kind} in {', '.join(each['finding'].columns) or 'the table'}: {each['finding'].says}"
        for each in findings
        if each["state"] == "open" and each["finding"].severity == "high"
    ]
    if quarantined > policy.quarantined * records:
        reasons.append(
            f"{quarantined / max(1, records):.1%} are quarantined, agreed are at most {policy.quarantined:.1%}"
        )
    if policy.least is not None and records < policy.least:
        reasons.append(f"{records:,} records, agreed are at least {policy.least:,}")
    if policy.most is not None and records > policy.most:
        reasons.append(f"{records:,} records, agreed are at most {policy.most:,}")
    if in_the_past and delivery.releases.exclude(state=Release.State.FAILED).exists():
        return reasons
    case = case_of(delivery)
    gates = judge(case) if case and case.run.pk == run.pk else []
    return reasons + [f"{gate.name}: {gate.evidence}" for gate in gates if not gate.met]


def _message(error: ServerError | PravinError) -> str:
    return str(getattr(error, "message", "") or error)


def _step(policy: FeedPolicy, delivery: Delivery, did: str, run: Run | None, reasons: Sequence[str] = ()) -> None:
    PolicyStep.objects.create(delivery=delivery, run=run, did=did, reasons=list(reasons))
    words = {
        Did.RAN: "ran delivery {n}", Did.PROPOSED: "proposed the release of delivery {n}", Did.PUBLISHED: "had delivery {n} published",
        Did.CALLED: "called a person to delivery {n}", Did.HELD: "found nothing new in delivery {n}",
    }  # fmt: skip
    # the reasons stand in New: they may show values, and the activity is read by everybody
    why = f", for {len(reasons)} reason{'s' * (len(reasons) > 1)}" if reasons else ""
    what = f"set the policy that {words[Did(did)].format(n=delivery.number)}{why}"
    note(policy.by, what, delivery.feed.slug, delivery.pk, by_policy=True)


@transaction.atomic
def keep_policy(
    user: Any, feed: Feed, then: str, quarantined: float, least: int | None, most: int | None
) -> FeedPolicy:
    """Let a feed run itself from the next delivery on. Whoever lets it publish has to be an approver: it is done in their name."""
    person = may_release(user) if then == Then.PUBLISH else may_work(user, "let a feed run itself")
    if least is not None and most is not None and least > most:
        raise Invalid("The least number of records is more than the most.", field="least")
    fields: dict[str, Any] = {"then": then, "quarantined": quarantined, "least": least, "most": most}
    policy, _ = FeedPolicy.objects.update_or_create(feed=feed, defaults={**fields, "by": person})
    after = {Then.NOTHING: "", Then.PROPOSE: ", and proposes", Then.PUBLISH: ", and publishes"}[Then(then)]
    note(person, f"lets {feed.name} run itself{after}", feed.slug, **fields)
    return policy


@transaction.atomic
def drop_policy(user: Any, feed: Feed) -> None:
    """The feed waits for a person again."""
    person = may_work(user, "let a feed run itself")
    if FeedPolicy.objects.filter(feed=feed).delete()[0]:
        note(person, f"lets {feed.name} wait for a person again", feed.slug)


def over_the_past(feed: Feed, policy: FeedPolicy) -> list[dict[str, Any]]:
    """What a policy would have done with each delivery of the feed that ran, newest first: the reasons for which it would have called
    a person, as far as is known now; none for those it would have let pass.
    """
    deliveries = Delivery.objects.filter(feed=feed, state=Delivery.State.READ).select_related("feed", "memory__run")
    lines = []
    for delivery in deliveries.filter(memory__run__isnull=False):
        memory = memory_of(delivery)
        if memory is None or memory.run is None:
            continue
        reasons = why_not(policy, delivery, memory.run, memory, in_the_past=True)
        lines.append(
            {"delivery": delivery.pk, "number": delivery.number, "received": delivery.received, "reasons": reasons}
        )
    return lines
