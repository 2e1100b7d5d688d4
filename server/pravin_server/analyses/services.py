"""Ask for analyses, do them once, keep what they found."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from typing import Any

from django.db import transaction

from pravin_core.profiling.comparison import Comparison, compare
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.relations.relations import Relations, relate
from pravin_core.profiling.relations.table import SAMPLE
from pravin_core.records.pages import Stage
from pravin_server.accounts.services import may_work
from pravin_server.analyses.models import Analysis, Suitability
from pravin_server.common import cache
from pravin_server.common.errors import Invalid, NotFound, NotYet
from pravin_server.common.jobs import Progress, ask
from pravin_server.common.models import Job
from pravin_server.deliveries import snapshots
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.services.reading import received
from pravin_server.rulebooks.services import change_rules, newest, put_rule, rulebook_of, rules_of
from pravin_server.runs.models import Run
from pravin_server.runs.queries import displayed_run
from pravin_server.runs.results import stage_of
from pravin_server.runs.tables_after import profile_at, snapshot_at, table_or_404

VERSION = 2  # raise when an analysis says something else of the same
SUITABILITY = "Suitability"


@transaction.atomic
def ask_relations(
    user: Any, delivery: Delivery, target: str, exact: bool, table: int | None = None
) -> tuple[Analysis, Job | None]:
    """Ask how the columns go together; the target is one of them, or empty. `table`: as rules left it."""
    if target and target not in [column.name for column in profiled(delivery, table)]:
        raise Invalid(f"The table has no column {target!r}. Choose another target.")
    asked = {"target": target, "exact": exact, **({"table": table} if table else {})}
    return _ask(user, delivery, Analysis.Kind.RELATIONS, asked, [])


@transaction.atomic
def request_comparison(
    user: Any, delivery: Delivery, other: int | None, table: int | None = None
) -> tuple[Analysis, Job | None]:
    """Ask for a delivery beside another one of its feed or, without one, before and after the rules: as the run left it, or
    as the rules of `table` did.
    """
    if other is None and table is not None:
        key = table_or_404(delivery, table).key
        return _ask(user, delivery, Analysis.Kind.SIDE_BY_SIDE, {"table": table}, [key])
    if other is None:
        run = displayed_run(delivery)
        if run is None:
            raise NotYet("The rules have not been tried on this delivery. Run or try them, then compare.")
        on = [run.snapshot_key, run.revision.rules, run.decisions]
        return _ask(user, delivery, Analysis.Kind.SIDE_BY_SIDE, {"run": run.pk}, on)
    found_delivery = Delivery.objects.filter(pk=other, feed=delivery.feed, state=Delivery.State.READ).first()
    if found_delivery is None:
        raise NotFound(f"The feed has no delivery {other} that is read.")
    return _ask(user, delivery, Analysis.Kind.SIDE_BY_SIDE, {"delivery": other}, [found_delivery.snapshot_key])


def _ask(user: Any, delivery: Delivery, kind: str, asked: dict[str, Any], on: list[Any]) -> tuple[Analysis, Job | None]:
    types = [(column.name, column.type, column.role) for column in profiled(delivery)]
    serialized = json.dumps([VERSION, delivery.pk, delivery.snapshot_key, kind, asked, on, types], sort_keys=True)
    key = hashlib.sha256(serialized.encode()).hexdigest()
    analysis, _ = Analysis.objects.get_or_create(key=key, defaults={"delivery": delivery, "kind": kind, "asked": asked})
    if analysis.content is not None:
        return analysis, None
    going = delivery.jobs.filter(kind="analysis", target=analysis.pk, state__in=["waiting", "working"]).first()
    return analysis, going or ask("analysis", analysis.pk, delivery, user)


def perform(analysis_id: int, progress: Progress) -> None:
    """Do an analysis. Called again after a crash, it does nothing when it is done."""
    analysis = Analysis.objects.select_related("delivery__feed").get(pk=analysis_id)
    if analysis.content is not None:
        return
    with cache.scratch() as scratch:
        if analysis.kind == Analysis.Kind.RELATIONS:
            table = analysis.asked.get("table")
            result: Relations | Comparison = relate(
                snapshot_at(analysis.delivery, table),
                profiled(analysis.delivery, table),
                analysis.asked["target"],
                scratch,
                cache.limits(),
                None if analysis.asked["exact"] else SAMPLE,
                lambda share: progress("comparing columns", share),
            )
        else:
            first, second = sides(analysis)
            now = received(analysis.delivery)
            result = compare(
                first, second, scratch, now, cache.limits(), lambda share: progress("comparing side by side", share)
            )
    Analysis.objects.filter(pk=analysis_id).update(content=result.model_dump(mode="json"))


def sides(analysis: Analysis) -> tuple[Stage, Stage]:
    """The tables that are compared: the other delivery and this one, or before and after the rules."""
    here = Stage(snapshots.snapshot_of(analysis.delivery))
    if "table" in analysis.asked:
        return here, Stage(snapshot_at(analysis.delivery, analysis.asked["table"]))
    if "run" in analysis.asked:
        return here, stage_of(Run.objects.select_related("revision", "delivery").get(pk=analysis.asked["run"]))
    return Stage(snapshots.snapshot_of(Delivery.objects.get(pk=analysis.asked["delivery"]))), here


def profiled(delivery: Delivery, table: int | None = None) -> list[ColumnProfile]:
    """The profiles of the columns of a delivery, or of the table as rules left it. Raises NotYet when it is not profiled."""
    return [ColumnProfile.model_validate(column) for column in profile_at(delivery, table)["columns"]]


def suitability_of(delivery: Delivery) -> dict[str, Any]:
    """What is settled about the columns of a feed for modelling, and which the rule made of it drops."""
    mine = _rule_of_suitability(rules_of(newest(delivery.feed))) or {}
    excluded = list(mine.get("columns", []))
    kept = Suitability.objects.filter(feed=delivery.feed).select_related("by").first()
    if kept is None:
        return {"excluded": excluded, "by": "", "at": None}
    settled = {"target": kept.target, "limits": kept.limits, "roles": kept.roles}
    return {**settled, "excluded": excluded, "by": kept.by.shown if kept.by else "", "at": kept.at}


@transaction.atomic
def drop_unsuitable(
    user: Any, delivery: Delivery, columns: list[str], why: str, settled: dict[str, Any] | None = None
) -> int:
    """One rule that drops the columns found unsuitable, in place of the one made before; none when there are none. What it rests
    on is kept for the feed.
    """
    person = may_work(user, "drop columns")
    before = newest(delivery.feed)
    rules = rules_of(before)
    mine = _rule_of_suitability(rules)
    note = f"{SUITABILITY}: {why}"[:2000]
    if mine is not None and columns:
        mine.update(columns=columns, note=note)
    elif mine is not None:
        rules.remove(mine)
    elif columns:
        put_rule(rules, {"kind": "drop-columns", "columns": columns, "note": note})
    else:
        raise Invalid("No column is excluded, so there is nothing to make a rule of.")
    unknown = [name for name in columns if name not in delivery.columns]
    if unknown:
        raise Invalid(f"The delivery has no column {unknown[0]!r}.")
    if settled is not None:
        Suitability.objects.update_or_create(feed=delivery.feed, defaults={**settled, "by": person})
    sentence = f"suitability: {len(columns)} columns fall out"
    rulebook = rulebook_of(before).model_validate({"rules": rules})
    return change_rules(person, delivery.feed, rulebook, before.number, sentence).number


def _rule_of_suitability(rules: Sequence[dict[str, Any]]) -> dict[str, Any] | None:
    """The rule that was made here, if there is one."""
    drops = (rule for rule in rules if rule["kind"] == "drop-columns")
    return next((rule for rule in drops if str(rule.get("note", "")).startswith(SUITABILITY)), None)
