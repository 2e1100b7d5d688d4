"""Deliveries of derived feeds: made from what is released, once for each state of their sources."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from django.core.files.base import File
from django.db import transaction
from django.utils import timezone
from sqlglot import exp

from pravin_core.compiler.plan import compile_corrections
from pravin_core.errors import PravinError
from pravin_core.intake.design import AgreedColumn
from pravin_core.releases.deriving import Making, Stage, derive, records_of_table, write_derived
from pravin_core.rules.base import counted
from pravin_core.rules.reshaping import Reference
from pravin_core.rules.resolving import resolved
from pravin_core.rules.rulebook import Rulebook, as_rulebook
from pravin_core.tables.columns import Column
from pravin_server.common import cache
from pravin_server.common.errors import NotYet, ServerError
from pravin_server.common.jobs import Progress
from pravin_server.common.locks import lock_rows
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.services.receiving import receive
from pravin_server.derived.models import DerivedDelivery, DerivedPlan
from pravin_server.feeds.models import Feed
from pravin_server.feeds.services import describe_columns
from pravin_server.library.ports import ReleasedTable
from pravin_server.library.services import snapshot_of_library
from pravin_server.releases.queries import columns_of_releases, reference_of_releases, released_table

MOST_LETTERS = 200  # of an agreed column's name; longer ones are agreed in Intake
Sources = Mapping[str, ReleasedTable]


def sources_now(feeds: Mapping[str, Feed]) -> Sources:
    """What is released now of feeds, by slug. Raises NotYet when nothing is released of one."""
    tables = {slug: released_table(feed) for slug, feed in feeds.items()}
    if missing := [feeds[slug].name for slug, table in tables.items() if table is None]:
        raise NotYet(f"Nothing is released of {' and '.join(missing)} yet. The table is made as soon as it is.")
    return {slug: table for slug, table in tables.items() if table is not None}


def making_of(tables: Mapping[str, Reference], base: str, steps: Rulebook) -> Making:
    """What a derived table is made of: the tables by the slug of their feed."""
    looked_into = {getattr(rule, "reference", "") for rule in steps.rules}
    return Making(tables[base], steps, {slug: table for slug, table in tables.items() if slug in looked_into})


def columns_only(columns: Mapping[str, Sequence[Column]]) -> dict[str, Reference]:
    """Tables of which no more than their columns is known: enough to see whether steps fit, and where columns come from."""
    return {name: Reference(exp.to_table("no_records"), tuple(each)) for name, each in columns.items()}


def columns_after(sources: Sources, base: str, steps: Rulebook) -> list[Column]:
    """The columns that steps leave. Raises the core's errors when they do not fit."""
    making = making_of(
        columns_only({slug: columns_of_releases(each.releases) for slug, each in sources.items()}), base, steps
    )
    active = [(number, rule) for number, rule in enumerate(steps.rules, start=1) if rule.enabled]
    names = [each.name for each in making.base.columns]
    return compile_corrections(active, exp.to_table("no_records"), names, making.context).columns


def steps_of(feed: Feed, rules: Sequence[dict[str, Any]]) -> Rulebook:
    """The steps of a feed as they run: with the library's parameters and code lists put in. Raises the core's errors."""
    return resolved(as_rulebook({"rules": list(rules)}), snapshot_of_library(feed))


def make(sources: Sources, base: str, steps: Rulebook, progress: Progress | None) -> tuple[Path, Stage]:
    """Run the steps on what is released; the folder of the result in the cache, and what became of the records."""
    tables = {slug: reference_of_releases(table.releases, table.key) for slug, table in sources.items()}
    making = making_of(tables, base, steps)
    version = hashlib.sha256(making.base.version.encode()).hexdigest()[:32]
    with cache.scratch() as scratch:
        records = records_of_table(
            making.base, cache.folder("references", f"records-{version}"), scratch, cache.limits()
        )
    beat = (lambda share: progress("joining and appending", 0.1 + 0.7 * share)) if progress else None
    folder = cache.folder("results", f"derived-{making.key}")
    with cache.only_one(making.key):
        return folder, derive(making, records, folder, cache.limits(), beat)


def deliver(plan_id: int, progress: Progress) -> None:
    """Make a derived feed's table from what is released now and take it in as a delivery; nothing when it is made already."""
    plan = DerivedPlan.objects.select_related("feed__owner", "base", "by").filter(pk=plan_id).first()
    if plan is None:
        return
    try:
        said = _deliver(plan, progress)
    except NotYet as error:
        _say(plan, error.message, failed=False)
    except (PravinError, ServerError) as error:
        _say(plan, error.message, failed=True)
        raise
    else:
        _say(plan, said, failed=False)


def _deliver(plan: DerivedPlan, progress: Progress) -> str:
    sources = sources_now({feed.slug: feed for feed in plan.sources.all()})
    steps = steps_of(plan.feed, plan.steps)
    if is_made_of(newest_of(plan.feed), plan, steps, sources):
        return "nothing changed since the last delivery"
    folder, stage = make(sources, plan.base.slug, steps, progress)
    progress("taking the table in", 0.85)
    with cache.scratch() as scratch:
        file = scratch / f"{plan.feed.slug}.parquet"
        write_derived(folder, stage.outcome, file, scratch, cache.limits())
        with transaction.atomic(), file.open("rb") as data:
            feed = lock_rows(Feed).get(pk=plan.feed_id)
            now = lock_rows(DerivedPlan).filter(pk=plan.pk, version=plan.version).first()
            if now is None:
                return "the plan was changed while the table was made; it is made anew"
            if is_made_of(newest_of(feed), plan, steps, sources):  # another worker thought that this one had died
                return "nothing changed since the last delivery"
            person = plan.by or feed.owner
            if not feed.design and all(len(name) <= MOST_LETTERS for name, _ in stage.columns):
                describe_columns(person, feed, [AgreedColumn(name=name, type=kind) for name, kind in stage.columns])
            delivery, _ = receive(person, feed, [File(data, file.name)], again=True, arrived=Delivery.MADE)
            DerivedDelivery.objects.create(
                delivery=delivery,
                base=plan.base,
                steps=stored(steps),
                sources=told(sources),
                records=list(stage.records),
            )
    return f"delivery {delivery.number} was made, {counted(stage.records[-1], 'record')}"


def newest_of(feed: Feed) -> DerivedDelivery | None:
    """What the newest delivery that was made for a feed was made from."""
    return DerivedDelivery.objects.filter(delivery__feed=feed).order_by("-delivery__number").first()


def is_made_of(made: DerivedDelivery | None, plan: DerivedPlan, steps: Rulebook, sources: Sources) -> bool:
    """Whether a delivery is what the steps of a plan make of its sources as they are."""
    now = (plan.base_id, stored(steps), told(sources))
    return made is not None and (made.base_id, made.steps, made.sources) == now


def is_current(plan: DerivedPlan, made: DerivedDelivery | None) -> bool:
    """Whether a delivery is what a plan makes now; not while a source is not released, or the library lacks what a step names."""
    try:
        sources = sources_now({feed.slug: feed for feed in plan.sources.all()})
        return is_made_of(made, plan, steps_of(plan.feed, plan.steps), sources)
    except (NotYet, PravinError):
        return False


def stored(steps: Rulebook) -> list[dict[str, Any]]:
    """Steps as they are kept."""
    kept: list[dict[str, Any]] = steps.model_dump(mode="json")["rules"]
    return kept


def told(sources: Sources) -> list[dict[str, Any]]:
    """The state of sources, as it is kept with a delivery."""
    return [
        {"feed": slug, "releases": list(table.releases), "key": list(table.key)}
        for slug, table in sorted(sources.items())
    ]


def _say(plan: DerivedPlan, said: str, failed: bool) -> None:
    DerivedPlan.objects.filter(pk=plan.pk).update(last_at=timezone.now(), last_said=said[:1000], last_failed=failed)
