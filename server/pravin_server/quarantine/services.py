"""Decide on quarantined records: on some, or on all behind a filter; try it first, undo it afterwards."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
from django.db import transaction
from django.utils import timezone

from pravin_core.cases.amending import by_formula, by_rule
from pravin_core.cases.trying import states_of
from pravin_core.records.filters import Filter
from pravin_core.records.pages import Stage, page_of
from pravin_core.rules.base import Rule
from pravin_core.runs import decisions as core
from pravin_core.runs.runner import result_key, retry_record, run_rulebook
from pravin_core.tables.record_sets import Numbers, is_in, packed_numbers, rising
from pravin_server.accounts.models import User
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Conflict, Invalid, NotFound
from pravin_server.common.locks import lock_rows
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import snapshot_of
from pravin_server.quarantine import returns
from pravin_server.quarantine.answers import copied, settle_answer, waiting_answer
from pravin_server.quarantine.cases import RUN_KINDS, current_decisions, held, known_to, records_of, that_hold
from pravin_server.quarantine.listing import CaseFilter, choose
from pravin_server.quarantine.models import Answer, Decision
from pravin_server.rulebooks.run_context import build_context, resolve_rule, to_core
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run
from pravin_server.runs.results import decisions_of, rulebook_of_run, stage_of
from pravin_server.runs.services import ask_run

EXAMPLES = 20
VERBS = {
    "amend": "amended",
    "accept": "accepted as exception",
    "discard": "discarded",
    "reopen": "took back what was decided on",
    "assign": "assigned",
    "wait": "let wait",
    "comment": "commented on",
    "return": "returned to the supplier",
}


@dataclass(frozen=True)
class Choice:
    """Which records an act is about: some by number, or all behind filters, `count` of them as the person saw them.

    `run` is the run that the person looked at.
    """

    records: Sequence[int] = ()
    filters: Sequence[Filter] | None = None
    among: CaseFilter = field(default_factory=CaseFilter)
    count: int | None = None
    run: int | None = None


@dataclass(frozen=True)
class Act:
    """What to do with them. An amendment takes values by column, or one column and a formula or a rule; accepting and discarding take a
    justification; an exception may hold for the same keys in `later` deliveries, too; assigning an owner (None: nobody); waiting a day.
    """

    kind: str
    values: dict[str, str | None] = field(default_factory=dict)
    column: str = ""
    formula: str = ""
    justification: str = ""
    until: date | None = None
    owner: int | None = None
    rule: Rule | None = None
    later: bool = False


def run_of(delivery: Delivery) -> Run:
    """The run whose quarantine is decided on. Raises Invalid when there is none."""
    run = current_run(delivery)
    if run is None:
        raise Invalid("Nothing is quarantined yet: run the rulebook first.")
    return run


def retry(user: Any, delivery: Delivery, record: int, values: dict[str, str | None]) -> dict[str, Any]:
    """Try the checks on a record with amended values, changing nothing: state, reasons, values."""
    may_work(user, "amend a record")
    run = run_of(delivery)
    decisions = [*_hold(delivery), core.Decision.amending([record], values)]

    def again() -> dict[str, Any]:
        with cache.scratch() as scratch:
            snapshot, rulebook = snapshot_of(delivery), rulebook_of_run(run)
            return retry_record(snapshot, rulebook, record, decisions, scratch, cache.limits(), to_core(run.context))

    return cache.even_if_deleted(again)


def preview(user: Any, delivery: Delivery, choice: Choice, act: Act) -> dict[str, Any]:
    """What an act would do, changing nothing: how many of its records would stand in which state, and examples of those that
    would be quarantined still and of those that would not. The run that follows the act finds its result made already.
    """
    may_work(user, "decide on quarantined records")
    run = run_of(delivery)
    records = _chosen(delivery, run, choice)
    return {"records": len(records), **_tried(delivery, run, _decision(run, records, act), records)}


def _tried(delivery: Delivery, run: Run, decision: core.Decision, records: Numbers) -> dict[str, Any]:
    """How records would stand under one decision more, which may leave some of them as they are, and the first of them."""
    context = to_core(run.context)

    def tried() -> dict[str, Any]:
        decisions, rulebook, snapshot = [*_hold(delivery), decision], rulebook_of_run(run), snapshot_of(delivery)
        folder = cache.folder("results", result_key(run.snapshot_key, rulebook, decisions, context))
        outcome = run_rulebook(snapshot, rulebook, folder, decisions, cache.limits(), None, context)
        with cache.scratch() as scratch:
            states = states_of(folder, records, scratch, cache.limits())
        before, after = stage_of(run), Stage(snapshot, folder, outcome, rulebook)
        return {"states": states, "examples": _examples(before, after, records)}

    return cache.even_if_deleted(tried)


def _examples(before: Stage, after: Stage, records: Numbers) -> list[dict[str, Any]]:
    """Records as they are and would be: the cells that differ, and what would still be wrong."""
    spills, limits = cache.spills(), cache.limits()
    first = records[:EXAMPLES]
    now = {row["record"]: row for row in page_of(before, first, len(first), spills, limits).rows}
    then = page_of(after, first, len(first), spills, limits)
    names = [name for name, _ in then.columns]
    return [
        {
            "record": row["record"], "state": row["state"], "reasons": row["reasons"] or [],
            "changes": [
                {"name": name, "before": old, "after": new}
                for name, old, new in zip(names, now[row["record"]]["cells"], row["cells"], strict=True) if old != new
            ],
        }
        for row in then.rows
    ]  # fmt: skip


@transaction.atomic
def decide(
    user: Any, delivery: Delivery, choice: Choice, act: Act, apply: bool = True
) -> tuple[Decision, Run | None, Job | None]:
    """Keep what a person decides, as one act, whole or not at all; what runs take into account is applied by one run, or with
    the next one (`apply` False). Raises Invalid or Conflict, and then nothing is changed.
    """
    person = may_work(user, "decide on quarantined records")
    delivery = lock_rows(Delivery).select_related("feed").get(pk=delivery.pk)
    run = run_of(delivery)
    records = _chosen(delivery, run, choice, person)
    owner = _owner(act.owner) if act.kind == "assign" else None
    is_run = act.kind in RUN_KINDS
    details = returns.sources_of(run, records) if act.kind == "return" else _details(act)
    content = packed_numbers(records)
    if is_run:  # a rule may leave some of them as they are
        decided = _decision(run, records, act)
        content, records = decided.content, decided.records
    _said_what_it_takes(act, delivery)
    decision = Decision.objects.create(
        delivery=delivery, snapshot_key=delivery.snapshot_key, kind=act.kind, records=len(records), content=content,
        filters=[filter_.model_dump(mode="json") for filter_ in choice.filters or []], details=details,
        justification=act.justification.strip(), until=act.until, owner=owner, by=person,
    )  # fmt: skip
    _note(person, delivery, f"{VERBS[act.kind]} {_count(len(records))} of delivery {delivery.number}", decision, choice)
    if not is_run or not apply:
        return decision, None, None
    return decision, *ask_run(user, delivery, Run.Purpose.RUN, run.revision)


def _said_what_it_takes(act: Act, delivery: Delivery) -> None:
    if act.later and (act.kind != "accept" or not delivery.feed.key):
        raise Invalid(
            "An exception holds in later deliveries by the key of the feed. Agree the key first.", field="later"
        )
    if act.kind in ("accept", "discard") and not act.justification.strip():
        raise Invalid("Say why: accepting or discarding a record takes a justification.", field="justification")
    if act.kind == "comment" and not act.justification.strip():
        raise Invalid("A comment needs words.", field="justification")
    if act.kind == "wait" and act.until is None:
        raise Invalid("Say until which day the records may wait.", field="until")
    if act.until is not None and act.until < timezone.localdate():
        raise Invalid(f"{act.until.isoformat()} is past. Choose today or a later day.", field="until")


def _owner(id_: int | None) -> User | None:
    if id_ is None:
        return None
    owner = User.objects.filter(pk=id_, is_active=True).first()
    if owner is None or not set(owner.roles) & {"analyst", "approver"}:
        raise Invalid("Records are assigned to somebody who may decide on them: an analyst or approver.", field="owner")
    return owner


def _details(act: Act) -> dict[str, Any]:
    if act.kind != "amend":
        return {"later": True} if act.later else {}
    if act.rule is not None:
        sentence = "".join(part.text for part in act.rule.describe())
        return {"column": act.column, "rule": act.rule.model_dump(mode="json"), "sentence": sentence}
    return {"column": act.column, "formula": act.formula} if act.formula else {"values": act.values}


def _decision(run: Run, records: Numbers, act: Act) -> core.Decision:
    """The act as runs take it into account. Raises Invalid, or FormulaError with the place of what is wrong."""
    if act.kind != "amend":
        if act.kind not in RUN_KINDS:
            raise Invalid("This changes nothing of the records; there is nothing to try.", field="kind")
        kind: Any = act.kind
        return core.Decision.on(kind, records)
    columns = {name for name, _ in (run.outcome or {}).get("columns", [])}
    by_one = bool(act.formula) or act.rule is not None
    named = [act.column] if by_one else list(act.values)
    if not named:
        raise Invalid("Amending takes at least one value, a formula or a rule.")
    if unknown := sorted(set(named) - columns):
        raise Invalid(f"There is no column {unknown[0]!r}.", column=unknown[0])
    if act.rule is not None:
        return _by_rule(run, records, act.column, act.rule)
    if not act.formula:
        return core.Decision.amending(records, act.values)

    def amended() -> core.Decision:
        with cache.scratch() as scratch:
            return by_formula(stage_of(run), records, act.column, act.formula, scratch, cache.limits())

    return cache.even_if_deleted(amended)


def _by_rule(run: Run, records: Numbers, name: str, rule: Rule) -> core.Decision:
    rulebook = resolve_rule(run.delivery, rule)
    context = to_core(build_context(run.delivery, rulebook))

    def amended() -> core.Decision:
        with cache.scratch() as scratch:
            return by_rule(stage_of(run), records, name, rulebook.rules[0], scratch, cache.limits(), context)

    return cache.even_if_deleted(amended)


def _hold(delivery: Delivery) -> list[core.Decision]:
    return decisions_of(current_decisions(delivery))


def _chosen(delivery: Delivery, run: Run, choice: Choice, person: User | None = None) -> Numbers:
    """The records that an act is about (rising). Raises Conflict when they are not those that the person saw."""
    if choice.filters is not None:
        filters = choice.filters
        records = rising(cache.even_if_deleted(lambda: choose(run, filters, choice.among).numbers))
        if choice.count is not None and choice.count != len(records):
            raise Conflict(
                f"{_count(len(records))} fit now, you saw {choice.count:,}. Look at them again; nothing was changed."
            )
        if not len(records):
            raise Invalid("No record fits. Choose another reason or filter.")
    else:
        records = rising(choice.records)
        known = [held(run)[0], *(records_of(decision) for decision in that_hold(delivery))]
        if len(unknown := records[~is_in(records, rising(np.concatenate(known)))]):
            raise Invalid(f"Record {unknown[0]:,} is not in quarantine any more. Look at the newest run.")
    if person is not None:
        _nobody_was_faster(delivery, run, records, choice, person)
    return records


def _nobody_was_faster(delivery: Delivery, run: Run, records: Numbers, choice: Choice, person: User) -> None:
    """What others decided on these records since the run that the person looked at is not overwritten."""
    seen = run
    if choice.run is not None and choice.run != run.pk:
        seen = delivery.runs.filter(pk=choice.run).first() or run
    newer = that_hold(delivery).filter(kind__in=RUN_KINDS).exclude(pk__in=known_to(seen)).exclude(by=person)
    for decision in newer.select_related("by"):
        if both := int(np.sum(is_in(records, records_of(decision)))):
            who = decision.by.shown if decision.by else "Somebody"
            raise Conflict(
                f"{who} {VERBS[decision.kind]} {_count(both)} of these since you looked. Look at them again; nothing was changed."
            )


@dataclass(frozen=True)
class Taken:
    """What an answer says, what it would do (not where it was applied), and the amendment that it became, with its job."""

    reading: returns.Reading
    tried: dict[str, Any] | None = None
    decision: Decision | None = None
    job: Job | None = None


@transaction.atomic
def take_arrived(user: Any, delivery: Delivery, answer_id: int, apply: bool) -> Taken:
    """Read an answer that arrived by itself, like `take_answer`; applied, it waits no more."""
    person = may_work(user, "read what came back from a supplier")
    with cache.scratch() as place:
        answer = waiting_answer(delivery, answer_id)
        taken = take_answer(person, delivery, answer.name, copied(answer, place / "answer"), apply)
    if taken.decision is not None:
        settle_answer(answer, Answer.State.APPLIED, person, taken.decision)
    return taken


@transaction.atomic
def take_answer(user: Any, delivery: Delivery, name: str, path: Path, apply: bool) -> Taken:
    """Read what came back from the supplier: what it says and what it would do; with `apply` it becomes an amendment, and is run."""
    person = may_work(user, "read what came back from a supplier")
    if apply:
        delivery = lock_rows(Delivery).select_related("feed").get(pk=delivery.pk)
    run = run_of(delivery)
    reading = returns.read(delivery, run, name, path)
    amendment = reading.content.amendment
    if amendment is None:
        return Taken(reading)
    if not apply:
        return Taken(reading, _tried(delivery, run, amendment, amendment.records))
    decision = Decision.objects.create(
        delivery=delivery, snapshot_key=delivery.snapshot_key, kind="amend", records=len(amendment.records),
        content=amendment.content, details={"returned": reading.returned.pk, "file": name},
        justification=f"as the supplier wrote in {name}", by=person,
    )  # fmt: skip
    what = f"took the supplier's answer on {_count(decision.records)} of delivery {delivery.number}"
    _note(person, delivery, what, decision)
    return Taken(reading, None, decision, ask_run(user, delivery, Run.Purpose.RUN, run.revision)[1])


def apply_decisions(user: Any, delivery: Delivery) -> tuple[Run, Job]:
    """Run the delivery again under all decisions that hold."""
    return ask_run(user, delivery, Run.Purpose.RUN, run_of(delivery).revision)


@transaction.atomic
def undo(user: Any, delivery: Delivery, decision_id: int, apply: bool = True) -> tuple[Run | None, Job | None]:
    """Undo an act as a whole; it stays in the history as undone."""
    person = may_work(user, "undo a decision")
    delivery = lock_rows(Delivery).select_related("feed").get(pk=delivery.pk)
    decision = lock_rows(Decision).filter(pk=decision_id, delivery=delivery).first()
    if decision is None:
        raise NotFound(f"The delivery has no decision {decision_id}.")
    if decision.undone_at is not None:
        raise Conflict("This decision was undone already.")
    decision.undone_by, decision.undone_at = person, timezone.now()
    decision.save(update_fields=["undone_by", "undone_at"])
    what = f"undid: {VERBS[decision.kind]} {_count(decision.records)} of delivery {delivery.number}"
    _note(person, delivery, what, decision, undone=True)
    run = current_run(delivery)
    if run is None or decision.kind not in RUN_KINDS or not apply:
        return None, None
    return ask_run(user, delivery, Run.Purpose.RUN, run.revision)


def take_back(user: Any, delivery: Delivery, records: Sequence[int]) -> tuple[Run, Job]:
    """Take back all that was decided on some records, and run again."""
    person = may_work(user, "undo a decision")
    decided = [records_of(decision) for decision in that_hold(delivery).filter(kind__in=RUN_KINDS)]
    asked = rising(records)
    if not decided or not is_in(asked, rising(np.concatenate(decided))).any():
        raise Invalid("There is no decision on these records to undo.")
    _, run, job = decide(person, delivery, Choice(records=records), Act("reopen"))
    assert run is not None
    assert job is not None
    return run, job


def _note(
    person: User, delivery: Delivery, what: str, decision: Decision, choice: Choice | None = None, undone: bool = False
) -> None:
    """Say in the activity what was done: with the decision, which holds the records, all that happened can be told again from it."""
    note(person, what, delivery.feed.slug, delivery.pk, decision=decision.pk, kind=decision.kind, undone=undone,
         records=decision.records, filters=decision.filters, numbers=list(choice.records)[:100] if choice else [],
         justification=decision.justification, **decision.details)  # fmt: skip


def _count(records: int) -> str:
    return f"{records:,} record{'s' * (records != 1)}"
