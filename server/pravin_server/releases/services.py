"""Publish and withdraw releases."""

from __future__ import annotations

import uuid
from dataclasses import replace
from pathlib import Path
from typing import Any

from django.core.files.base import File
from django.db import transaction
from django.db.models import Max, Q
from django.utils import timezone
from sqlglot import exp

from pravin_core.engines import duckdb as engine
from pravin_core.engines.base import Connection
from pravin_core.releases import writers
from pravin_core.releases.contract import ContractColumn
from pravin_core.runs.model import Outcome
from pravin_core.runs.runner import is_in_order, result_parts
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import DataType
from pravin_server.accounts.services import may_release
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Conflict, Invalid
from pravin_server.common.jobs import Progress, ask
from pravin_server.common.locks import lock_rows
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.quarantine.cases import current_decisions
from pravin_server.releases import tables
from pravin_server.releases.contracts import contract_of
from pravin_server.releases.contracts import newest as newest_contract
from pravin_server.releases.gates.base import Proposal
from pravin_server.releases.gates.registry import judge
from pravin_server.releases.models import Release
from pravin_server.releases.queries import standing_releases
from pravin_server.releases.released_table import show, supersede
from pravin_server.releases.streaming import as_rows, meanwhile
from pravin_server.rulebooks.services import newest
from pravin_server.runs.queries import current_run
from pravin_server.runs.results import result_of, rulebook_of_run
from pravin_server.storage.models import StoredFile


def case_of(delivery: Delivery) -> Proposal | None:
    """What would be released; None when the rulebook has not been run."""
    run = current_run(delivery)
    if run is None:
        return None
    outcome = Outcome.model_validate(run.outcome)
    return Proposal(delivery, run, outcome, newest(delivery.feed), current_decisions(delivery))


def is_follow_up(case: Proposal) -> bool:
    """Whether the delivery is released, but of an earlier run."""
    published = case.delivery.releases.filter(state=Release.State.PUBLISHED, replaced_by=None)
    return published.exclude(run=case.run).exists()


def releasable(delivery: Delivery, run_id: int) -> Proposal:
    """What would be released of the run that a person looked at. Raises Invalid when a gate is not met, Conflict when the delivery was
    run again since, or is released.
    """
    case = case_of(delivery)
    if case is None:
        raise Invalid("There is nothing to release: run the rulebook first.")
    if case.run.pk != run_id:
        raise Conflict("The delivery was run again since you looked. Look at the newest reconciliation and decide.")
    releases = delivery.releases.exclude(state__in=[Release.State.FAILED, Release.State.WITHDRAWN])
    if releases.filter(Q(state=Release.State.PUBLISHING) | Q(run=case.run)).exists():
        raise Conflict("This delivery is released already.")
    if open_gates := [gate for gate in judge(case) if not gate.met]:
        raise Invalid(f"{open_gates[0].name}: {open_gates[0].evidence}.", gates=[gate.name for gate in open_gates])
    return case


@transaction.atomic
def ask_release(user: Any, delivery: Delivery, run_id: int) -> tuple[Release, Job]:
    """Ask for the release of the run that the approver looked at. Raises Invalid when a gate is not met."""
    person = may_release(user)
    feed = lock_rows(Feed).get(pk=delivery.feed_id)
    case = releasable(delivery, run_id)
    number = (feed.releases.aggregate(last=Max("number"))["last"] or 0) + 1
    table = f"_feed_{feed.pk}_release_{number}"  # no view begins so: their names come from addresses
    release = Release.objects.create(
        feed=feed,
        delivery=delivery,
        run=case.run,
        number=number,
        table=table,
        asked_by=person,
        contract=newest_contract(feed),
    )
    return release, ask("publish", release.pk, delivery, person, lock=f"delivery-{delivery.pk}")


def publish(release_id: int, progress: Progress) -> None:
    """Write the release: Parquet kept with the release, table filled, view switched, all in one transaction."""
    release = Release.objects.select_related("run__revision", "run__delivery", "feed", "contract").get(pk=release_id)
    if release.state != Release.State.PUBLISHING:
        return
    progress("collecting the ready records", 0.05)
    folder, outcome = result_of(release.run)
    lie_in_order = not outcome.ordered and is_in_order(result_parts(folder))
    limits = replace(
        cache.limits(), threads=1
    )  # the file beside the table: neither keeps the database waiting for rows
    with cache.scratch() as scratch, engine.connect([folder], scratch, limits) as con:
        parquet = scratch / "data.parquet"
        records = writers.ready(result_parts(folder), outcome, release.delivery.number, lie_in_order)
        progress("filling the table", 0.1)

        def keep() -> None:
            with engine.beside(con) as own:
                writers.write(own, records, parquet, "parquet")

        with transaction.atomic():
            with meanwhile(keep) as kept:
                columns = _fill(release, outcome, folder, lie_in_order, con)
                kept()
            feed = lock_rows(Feed).get(pk=release.feed_id)
            locked = lock_rows(Release).get(pk=release_id)
            if locked.state != Release.State.PUBLISHING:
                raise Conflict(f"Release {release.number} is {locked.state} already.")
            _publish(feed, locked, outcome, parquet, columns)


def _numbered(folder: Path, outcome: Outcome, contract: dict[str, ContractColumn], lie_in_order: bool) -> exp.Select:
    """The ready records with their numbers; what the contract calls text as it is written everywhere."""
    keep = template(":s IN ('ready', 'corrected')", s=column(names.STATE))
    cells = []
    for name, kind in outcome.columns:
        is_text = name in contract and contract[name].type is DataType.TEXT
        cells.append(exp.alias_(written(column(name), DataType(kind)), name, quoted=True) if is_text else column(name))
    rows = exp.select(column(RECORD), *cells).from_(read_parquet(result_parts(folder))).where(keep)
    return rows if lie_in_order else rows.order_by(column(RECORD))


def _fill(
    release: Release, outcome: Outcome, folder: Path, lie_in_order: bool, con: Connection
) -> list[tables.TableColumn]:
    """Make and fill the table of a release; returns its columns."""
    contract = contract_of(release.contract)
    agreed = {each.name: each for each in contract.columns}
    named = tables.database_names([name for name, _ in outcome.columns])
    columns = [
        tables.TableColumn(
            database,
            tables.database_type(DataType(kind), agreed.get(name)),
            name in agreed and agreed[name].required,
            name in contract.key,
            _comment(agreed.get(name)),
        )
        for database, (name, kind) in zip(named, outcome.columns, strict=True)
    ]
    about = f"{release.feed.name}, release {release.number}, of delivery {release.run.delivery.number}"
    numbered = _numbered(folder, outcome, agreed, lie_in_order)
    rows = as_rows(con, numbered, [tables.RECORD_TYPE, *(each.type for each in columns)])
    records = tables.make_table(release.table, columns, rows, about)
    expected = outcome.reconciliation.ready + outcome.reconciliation.corrected
    if records != expected:
        raise Invalid(f"The table holds {records:,} records, {expected:,} are ready; nothing was published.")
    return columns


def _comment(agreed: ContractColumn | None) -> str:
    """What is said of a column in the database: label, description, unit."""
    if agreed is None:
        return ""
    told = ": ".join(text for text in (agreed.label, agreed.description) if text)
    return f"{told} [{agreed.unit}]".strip() if agreed.unit else told


def _publish(feed: Feed, release: Release, outcome: Outcome, parquet: Path, columns: list[tables.TableColumn]) -> None:
    before, records = standing_releases(feed), outcome.reconciliation.ready + outcome.reconciliation.corrected
    with parquet.open("rb") as file:
        release.data.save(f"release/{uuid.uuid4().hex}.parquet", File(file), save=False)
    stored = StoredFile.objects.get(name=release.data.name)
    release.records, release.state, release.published = records, Release.State.PUBLISHED, timezone.now()
    release.manifest = _manifest(release, outcome, columns, stored.sha256)
    release.save()
    former = release.delivery.releases.filter(state=Release.State.PUBLISHED, replaced_by=None).exclude(pk=release.pk)
    follows = [earlier.number for earlier in former]
    former.update(replaced_by=release)
    supersede(feed, before, standing_releases(feed))
    show(feed)
    follow_up = f", which replaces release {follows[0]}" if follows else ""
    note(release.asked_by, f"published release {release.number} of {release.feed.name} with {records:,} records{follow_up}",
         release.feed.slug, release.delivery_id)  # fmt: skip


def _manifest(release: Release, outcome: Outcome, columns: list[tables.TableColumn], sha256: str) -> dict[str, Any]:
    """The description of a release: what it holds, made from what, by which rules."""
    rulebook = rulebook_of_run(release.run)
    agreed = {each.name: each for each in contract_of(release.contract).columns}
    return {
        "feed": release.feed.name,
        "release": release.number,
        "delivery": release.run.delivery.number,
        "published": release.published.isoformat() if release.published else None,
        "table": f"{tables.SCHEMA}.{release.table}",
        "view": f"{tables.SCHEMA}.{release.feed.view}",
        "columns": [
            {
                "name": name,
                "type": kind,
                "database_name": made.name,
                "database_type": made.type,
                "comment": made.comment,
                "table_type": agreed[name].type.value if name in agreed else kind,
            }
            for (name, kind), made in zip(outcome.columns, columns, strict=True)
        ],
        "contract": release.contract.number if release.contract else None,
        "sources": [{"name": f.name, "sha256": f.sha256, "size": f.size} for f in release.delivery.files.all()],
        "revision": release.run.revision.number,
        "rules": ["".join(part.text for part in rule.describe()) for rule in rulebook.rules if rule.enabled],
        "reconciliation": outcome.reconciliation.model_dump(),
        "data_sha256": sha256,
        "origin": writers.origin_columns([name for name, _ in outcome.columns]),
        "spreadsheet_formulas": writers.DEFUSED,
    }


@transaction.atomic
def withdraw(user: Any, release: Release, justification: str, ends_view: bool = False) -> Release:
    """Take a release back: the view shows what stands without it. The table and its data stay for the record.

    Where nothing would be left to show, readers would meet an error: that has to be said with `ends_view`.
    """
    person = may_release(user, "withdraw a release")
    feed = lock_rows(Feed).get(pk=release.feed_id)
    locked = lock_rows(Release).get(pk=release.pk)
    if locked.state != Release.State.PUBLISHED:
        raise Conflict("Only a published release can be withdrawn.")
    if not justification.strip():
        raise Invalid("Say why: withdrawing a release takes a justification.", field="justification")
    before = standing_releases(feed)
    if before and not standing_releases(feed, without=locked) and not ends_view:
        raise Conflict(
            f"Nothing else is released of {feed.name}: the view {tables.SCHEMA}.{feed.view} would end, and readers would meet an "
            "error until the next release. Nothing was changed. Withdraw it again and say that the view may end."
        )
    locked.state, locked.withdrawn = Release.State.WITHDRAWN, timezone.now()
    locked.withdrawn_why = justification.strip()
    locked.save(update_fields=["state", "withdrawn", "withdrawn_why"])
    Release.objects.filter(replaced_by=locked).update(replaced_by=None)
    supersede(feed, before, standing_releases(feed))
    show(feed)
    note(person, f"withdrew release {locked.number} of {feed.name}", feed.slug, locked.delivery_id,
         justification=justification)  # fmt: skip
    return locked


def publishing_ended(release_id: int, state: str, error: dict[str, Any] | None) -> None:
    """A release that could not be published says so; nothing was changed."""
    Release.objects.filter(pk=release_id, state=Release.State.PUBLISHING).update(
        state=Release.State.FAILED, error=error
    )


def sentences(case: Proposal) -> list[str]:
    """The rules of the case's run in words, in order."""
    return ["".join(part.text for part in rule.describe()) for rule in rulebook_of_run(case.run).rules]


def differences(case: Proposal, last: Release) -> list[dict[str, Any]]:
    """The counts of a case against those of the last release."""
    before, now = last.manifest["reconciliation"], case.outcome.reconciliation.model_dump()
    columns = {"what": "columns", "before": len(last.manifest["columns"]), "now": len(case.outcome.columns)}
    parts = ("delivered", "ready", "corrected", "quarantined", "removed", "rejected")
    return [columns, *({"what": part, "before": before[part], "now": now[part]} for part in parts)]
