"""The life of one record: as delivered, what each rule did to it, its reasons, decisions, releases, other deliveries."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import date
from typing import Any

import numpy as np
from django.db.models import Q

from pravin_core.cases.tracing import Step, trace
from pravin_core.records.filters import Filter, make_filter
from pravin_core.records.pages import Stage, page_of
from pravin_core.tables.record_sets import is_in, unpacked_numbers
from pravin_server.accounts.models import User
from pravin_server.common import cache
from pravin_server.common.errors import NotFound
from pravin_server.deliveries.lines import source_text
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import snapshot_of
from pravin_server.feeds import masking
from pravin_server.quarantine.cases import Cases, cases_of, records_of
from pravin_server.quarantine.listing import act_out
from pravin_server.quarantine.models import CaseStep, Decision
from pravin_server.rulebooks.run_context import to_core
from pravin_server.runs import orders
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run
from pravin_server.runs.results import rulebook_of_run, stage_of

LONGEST = 10**7  # characters of a cell: here it is shown whole
MOST_OTHERS = 60  # deliveries that are searched for the same key


def life(delivery: Delivery, record: int, whole: bool = True, hidden: Collection[str] = ()) -> dict[str, Any]:
    """All that is known of a record; without `whole` only what is quick to tell: its cells and its case. Values of hidden columns are
    covered, and its line is not shown. Raises NotFound when the delivery has none of this number.
    """
    run = current_run(delivery)
    told = cache.even_if_deleted(lambda: _life(delivery, run, record, whole))
    return _covered(told, hidden) if hidden else told


def _covered(told: dict[str, Any], hidden: Collection[str]) -> dict[str, Any]:
    return {
        **told,
        "line_text": "",
        "cells": [_cover(cell, cell["name"], hidden, "original", "current") for cell in told["cells"]],
        "reasons": masking.masked_reasons(told["reasons"], hidden),
        "key": {name: masking.MASK if name in hidden else value for name, value in told["key"].items()},
        "decisions": [{**act, "details": masking.masked_details(act["details"], hidden)} for act in told["decisions"]],
        "steps": [
            {**step, "cells": [_cover(cell, cell["name"], hidden, "before", "after") for cell in step["cells"]]}
            for step in told["steps"]
        ],
    }


def _cover(cell: dict[str, Any], column: str, hidden: Collection[str], first: str, second: str) -> dict[str, Any]:
    """A cell with the two values that it had covered; that they differ stays seen."""
    if column not in hidden:
        return cell
    shown = {part: masking.MASK for part in (first, second) if cell[part] is not None}
    if len(shown) == 2 and cell[first] != cell[second]:
        shown[second] = masking.CHANGED
    return {**cell, **shown}


def _life(delivery: Delivery, run: Run | None, record: int, whole: bool) -> dict[str, Any]:
    stage = stage_of(run) if run else Stage(snapshot_of(delivery))
    limits = cache.limits()
    two = page_of(stage, np.asarray([record, record + 1]), 2, cache.spills(), limits, LONGEST).rows
    row = next((row for row in two if row["record"] == record), None)
    if row is None:
        raise NotFound(f"Delivery {delivery.number} has no record {record:,}.")
    after = next((r["line"] for r in two if r["record"] == record + 1 and r["file"] == row["file"]), row["line"] + 1)
    types = stage.types
    was = _delivered(stage, record)
    reasons = row["reasons"] or []
    cells = [
        {
            "name": name, "type": kind.value, "current": now, "original": was.get(name),
            "wrong": [reason["phrase"] for reason in reasons if name in reason["name"].split(", ")],
        }
        for (name, kind), now in zip(types.items(), row["cells"], strict=True)
    ]  # fmt: skip
    current = dict(zip(types, row["cells"], strict=True))
    key = {name: current.get(name) for name in delivery.feed.key if name in current}
    return {
        "record": record, "run": run.pk if run else None, "state": row["state"],
        "file": stage.snapshot.files[row["file"]].name if row["file"] >= 0 else "", "line": row["line"],
        "line_text": source_text(delivery, row["file"], row["line"], after - 1), "cells": cells, "reasons": reasons,
        "key": key, "decisions": _decisions(delivery, record), "runs": _case_runs(delivery, record),
        "steps": _steps(run, stage, record) if whole else [], "releases": _releases(delivery, record) if whole else [],
        "others": _others(delivery, key) if whole else [], **_case(run, record),
    }  # fmt: skip


def _delivered(stage: Stage, record: int) -> dict[str, str | None]:
    """The cells of a record as they were delivered, by the names that the columns have now."""
    rows = page_of(Stage(stage.snapshot), np.asarray([record]), 1, cache.spills(), cache.limits(), LONGEST).rows
    cells = dict(zip(stage.snapshot.columns, rows[0]["cells"], strict=True)) if rows else {}
    there = stage.outcome.delivered if stage.outcome else {}
    return {name: cells.get(there.get(name, name)) for name in stage.types}


def _case(run: Run | None, record: int) -> dict[str, Any]:
    nothing = {"since": None, "owner": "", "due": None}
    if run is None:
        return nothing
    cases: Cases = cases_of(run)
    if not is_in(np.asarray([record]), cases.records)[0]:
        return nothing
    at = int(np.searchsorted(cases.records, record))
    owner = User.objects.filter(pk=int(cases.owner[at])).first()
    return {
        "since": Run.objects.values_list("ended", flat=True).get(pk=int(cases.since[at])),
        "owner": owner.shown if owner else "",
        "due": date.fromordinal(int(cases.due[at])) if cases.due[at] else None,
    }


def _decisions(delivery: Delivery, record: int) -> list[dict[str, Any]]:
    rows = Decision.objects.filter(delivery=delivery, snapshot_key=delivery.snapshot_key)
    about = [row for row in rows.select_related("by", "owner", "undone_by") if record in records_of(row)]
    return [act_out(decision, delivery) for decision in about]


def _case_runs(delivery: Delivery, record: int) -> list[dict[str, Any]]:
    steps = CaseStep.objects.filter(run__delivery=delivery, run__snapshot_key=delivery.snapshot_key)
    result = []
    for step in steps.select_related("run__revision"):
        opened = record in unpacked_numbers(bytes(step.opened))
        if opened or record in unpacked_numbers(bytes(step.ended)):
            run = step.run
            result.append({"run": run.pk, "revision": run.revision.number, "ended": run.ended, "opened": opened})
    return result


def _steps(run: Run | None, stage: Stage, record: int) -> list[dict[str, Any]]:
    if run is None:
        return []
    with cache.scratch() as scratch:
        steps: list[Step] = trace(stage, record, scratch, cache.limits(), to_core(run.context))
    rules = dict(enumerate(rulebook_of_run(run).rules, start=1))
    return [
        {
            "rule": step.rule, "sentence": [part.model_dump() for part in rules[step.rule].describe()],
            "cells": [{"name": name, "before": step.before[name], "after": step.after[name]} for name in step.after],
        }
        for step in steps
    ]  # fmt: skip


def _releases(delivery: Delivery, record: int) -> list[dict[str, Any]]:
    """The releases of the delivery that hold the record: those whose run left it ready."""
    result = []
    releases = delivery.releases.filter(Q(state="published") | Q(state="withdrawn")).select_related(
        "run__revision", "run__delivery__feed"
    )
    for release in releases:
        row = page_of(stage_of(release.run), np.asarray([record]), 1, cache.spills(), cache.limits()).rows
        if row and row[0]["state"] in ("ready", "corrected"):
            fields = {"number": release.number, "state": release.state, "published": release.published}
            result.append({"id": release.pk, **fields})
    return result


def _others(delivery: Delivery, key: dict[str, str | None]) -> list[dict[str, Any]]:
    """The records of other deliveries of the feed that have the same key, as their newest run left them, or as delivered."""
    if not key or len(key) < len(delivery.feed.key) or not all(key.values()):
        return []
    filters: Sequence[Filter] = [make_filter("column", name=name, value=value) for name, value in key.items()]
    result = []
    others = Delivery.objects.filter(feed=delivery.feed, state="read").exclude(pk=delivery.pk).select_related("feed")
    for other in others.order_by("-number")[:MOST_OTHERS]:
        run = current_run(other)
        stage = stage_of(run) if run else Stage(snapshot_of(other))
        if not set(key) <= set(stage.types):
            continue
        numbers = orders.numbers_of(stage, filters, None, False)[:5]
        rows = page_of(stage, numbers, len(numbers), cache.spills(), cache.limits()).rows
        result += [
            {"delivery": other.pk, "number": other.number, "record": row["record"], "state": row["state"]}
            for row in rows
        ]
    return result
