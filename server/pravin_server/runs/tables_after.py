"""The table of a delivery as the rules leave it, at the end or at any rule: asked for, made once, profiled like a delivered one."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from django.db import transaction

from pravin_core.intake.snapshot import Snapshot, load_snapshot
from pravin_core.profiling.model import Finding
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.records.after_rules import first_rules, table_after
from pravin_core.records.pages import Stage
from pravin_core.rules.rulebook import Rulebook, opened
from pravin_core.runs.model import Outcome
from pravin_core.runs.runner import result_key, run_rulebook
from pravin_core.tables.types import DataType, Role
from pravin_server.common import cache
from pravin_server.common.errors import NotFound, NotYet
from pravin_server.common.jobs import Progress, ask
from pravin_server.common.models import Job
from pravin_server.deliveries import snapshots
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.services.reading import chosen_by_hand, received
from pravin_server.rulebooks.run_context import build_context, resolve_rulebook, to_core
from pravin_server.rulebooks.services import newest, rulebook_of
from pravin_server.runs import ports
from pravin_server.runs.models import TableAfter
from pravin_server.runs.results import decisions_of

VERSION = 2  # raise when the same rules leave, or the same table shows, something else
KEPT = 20  # of a delivery; the oldest give way, they are made anew when they are asked for


@transaction.atomic
def ask_table(user: Any, delivery: Delivery, rule: str) -> tuple[TableAfter, Job | None]:
    """Ask for the table after a rule of the newest revision, or after all; no job when it was made before.

    Raises NotFound when the rulebook has no such rule, NotYet when the delivery is not read.
    """
    if not delivery.snapshot_key:
        raise NotYet("The delivery is not read yet. Wait until it is.")
    if delivery.changes.filter(choice="").exists():
        raise NotYet(
            "Design changes are not settled. Settle in Intake how the columns match; then rules can be applied."
        )
    own = rulebook_of(newest(delivery.feed))
    try:
        first = first_rules(own, rule)
    except KeyError:
        raise NotFound(f"The rulebook has no rule {rule!r} any more. Choose another one.") from None
    resolved = resolve_rulebook(delivery, first)
    made_of = {
        "snapshot_key": delivery.snapshot_key,
        "rules": resolved.model_dump(mode="json")["rules"],
        "decisions": ports.current_decisions(delivery),
        "context": build_context(delivery, resolved),
    }
    types = [(name, kind, role) for name, (kind, role) in chosen_by_hand(delivery.feed).items()]
    serialized = json.dumps([VERSION, delivery.pk, rule, made_of, types], sort_keys=True)
    table, _ = TableAfter.objects.get_or_create(
        key=hashlib.sha256(serialized.encode()).hexdigest(),
        defaults={"delivery": delivery, "rule": rule, "place": len(first.rules), **made_of},
    )
    old = list(delivery.tables_after.values_list("pk", flat=True)[KEPT:])
    delivery.tables_after.filter(pk__in=old).exclude(pk=table.pk).delete()
    if table.content is not None:
        return table, None
    going = delivery.jobs.filter(kind="table after", target=table.pk, state__in=["waiting", "working"]).first()
    return table, going or ask("table after", table.pk, delivery, user)


def perform(table_id: int, progress: Progress) -> None:
    """Make and profile a table. Called again after a crash, it does nothing when it is done."""
    table = TableAfter.objects.select_related("delivery__feed").get(pk=table_id)
    if table.content is not None:
        return
    stage, outcome = _stage(table, progress)
    snapshot = _snapshot(table, stage)
    counts = outcome.reconciliation
    with cache.scratch() as scratch:
        profile = profile_snapshot(
            snapshot,
            scratch,
            received(table.delivery),
            cache.limits(),
            lambda done, _: progress.often("measuring the columns", 0.5 + 0.5 * done / max(1, len(snapshot.columns))),
            _types(table.delivery, outcome),
        )
    content = profile.model_dump(mode="json")
    content["findings"] = [_of_this_table(Finding.model_validate(finding)) for finding in content["findings"]]
    left_out = {"quarantined": counts.quarantined, "removed": counts.removed}
    TableAfter.objects.filter(pk=table_id).update(content=content, left_out=left_out)


def _of_this_table(finding: Finding) -> dict[str, Any]:
    """A finding with an id of its own: what was decided about the delivered table says nothing of this one."""
    own = hashlib.sha256(f"after {finding.id}".encode()).hexdigest()[:12]
    return finding.model_copy(update={"id": own}).model_dump(mode="json")


def _types(delivery: Delivery, outcome: Outcome) -> dict[str, tuple[DataType | None, Role | None]]:
    """What is known of the columns: the types that rules gave them, and what a person chose for those that are left."""
    chosen = chosen_by_hand(delivery.feed)
    converted = {name: DataType(kind) for name, kind in outcome.columns if kind != DataType.TEXT}
    names = {name for name, _ in outcome.columns}
    return {
        name: (converted.get(name) or chosen.get(name, (None, None))[0], chosen.get(name, (None, None))[1])
        for name in names & (converted.keys() | chosen.keys())
    }


def _rulebook(table: TableAfter) -> Rulebook:
    return opened(table.rules)


def _stage(table: TableAfter, progress: Progress | None = None) -> tuple[Stage, Outcome]:
    rulebook, context = _rulebook(table), to_core(table.context)
    decisions = decisions_of(table.decisions)
    key = result_key(table.snapshot_key, rulebook, decisions, context)
    folder = cache.folder("results", key)
    snapshot = snapshots.make(table.delivery, table.snapshot_key)
    with cache.only_one(key):
        beat = (lambda share: progress("applying the rules", 0.5 * share)) if progress else None
        outcome = run_rulebook(snapshot, rulebook, folder, decisions, cache.limits(), beat, context)
    return Stage(snapshot, folder, outcome, rulebook), outcome


def _snapshot(table: TableAfter, stage: Stage) -> Snapshot:
    with cache.only_one(table.key):
        return table_after(stage, cache.folder("after", table.key), cache.limits())


def table_or_404(delivery: Delivery, table_id: int) -> TableAfter:
    """A finished table of the delivery. Raises NotFound when there is none."""
    table_after_ = TableAfter.objects.filter(pk=table_id, delivery=delivery, content__isnull=False).first()
    if table_after_ is None:
        raise NotFound(f"There is no finished table {table_id} of this delivery. Ask for it again.")
    return table_after_


def snapshot_at(delivery: Delivery, table_id: int | None) -> Snapshot:
    """The table that a screen looks at: as delivered, or as rules left it; made again if the cache was deleted."""
    if table_id is None:
        return snapshots.snapshot_of(delivery)
    table = table_or_404(delivery, table_id)
    if snapshot := load_snapshot(cache.folder("after", table.key)):
        return snapshot
    stage, _ = _stage(table)
    return _snapshot(table, stage)


def profile_at(delivery: Delivery, table_id: int | None) -> dict[str, Any]:
    """The profile of that table as it is kept. Raises NotYet when it is not measured."""
    if table_id is not None:
        return table_or_404(delivery, table_id).content or {}
    stored = getattr(delivery, "profile", None)
    if stored is None or stored.content.get("awaited"):
        raise NotYet("The delivery is not profiled yet. Wait until it is read.")
    content: dict[str, Any] = stored.content
    return content


def last_rule_at(delivery: Delivery, table_id: int | None) -> str | None:
    """The rule behind which rules belong that are made of that table; None where they go by their kind."""
    return None if table_id is None else table_or_404(delivery, table_id).rule
