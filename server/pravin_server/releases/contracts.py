"""The contract of a feed's released table: proposed from a run, agreed in versions, judged before a release."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from django.db import transaction

from pravin_core.compiler.origins import DELIVERED, column_origins
from pravin_core.errors import PravinError
from pravin_core.releases.contract import Breach, Contract, ContractColumn, judge, propose
from pravin_core.rules.base import Rule
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.runner import result_parts
from pravin_core.tables.types import DataType
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Conflict, NotYet, ServerError
from pravin_server.common.locks import lock_rows
from pravin_server.deliveries.models import Delivery, DeliveryProfile
from pravin_server.feeds.models import Feed
from pravin_server.releases.models import ContractVersion, Release
from pravin_server.rulebooks.run_context import to_core
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run
from pravin_server.runs.results import result_of, rulebook_of_run

PERSONAL = "personal data"  # the finding


def newest(feed: Feed) -> ContractVersion | None:
    """The version that stands."""
    return ContractVersion.objects.filter(feed=feed).select_related("author").first()


def contract_of(version: ContractVersion | None) -> Contract:
    """The contract of a version; without columns where none is agreed."""
    return Contract.model_validate({"columns": version.columns if version else []})


def proposed(feed: Feed) -> Contract:
    """A contract as the newest delivery that was run would fulfil it. Raises NotYet when none was."""
    for delivery in feed.deliveries.order_by("-number"):
        if run := current_run(delivery):
            folder, outcome = result_of(run)
            with cache.scratch() as scratch:
                return propose(
                    result_parts(folder), outcome.columns, feed.key, _personal(delivery), scratch, cache.limits()
                )
    raise NotYet("No delivery of this feed has been run yet. A contract is proposed from what the rules leave.")


def _personal(delivery: Delivery) -> set[str]:
    """The columns in which the profile found personal data."""
    profile = DeliveryProfile.objects.filter(delivery=delivery, snapshot_key=delivery.snapshot_key).first()
    findings = profile.content.get("findings", []) if profile else []
    return {name for finding in findings if finding.get("kind") == PERSONAL for name in finding.get("columns", [])}


def masked_in(feed: Feed) -> frozenset[str]:
    """The columns of a feed that its contract wants masked, and those that they are made of in the newest delivery that was run."""
    version = newest(feed)
    masked = [each.name for each in contract_of(version).columns if each.masked]
    if version is None or not masked:
        return frozenset()
    run = Run.objects.filter(delivery__feed=feed, state="done").select_related("delivery").order_by("-pk").first()
    if run is None:
        return frozenset(masked)
    try:
        return frozenset(masked) | _made_of(version.pk, run.pk)
    except (PravinError, ServerError):  # what they are made of cannot be told at present: then it may be any
        return frozenset([*masked, *run.delivery.columns])


def went_out_masked(feed: Feed, release_id: int, told_how: bool) -> bool:
    """Whether the contract of a release asked for all columns to be masked that today's wants masked; it was not published otherwise.

    With `told_how`: and no rule masks by a key, with which anybody could try values out.
    """
    release = Release.objects.filter(pk=release_id, feed=feed).select_related("contract", "run__revision").first()
    version = release.contract if release else None
    if told_how and release and any(getattr(rule, "key", "") for rule in masking_rules(rulebook_of_run(release.run))):
        return False
    then, today = ({each.name for each in contract_of(of).columns if each.masked} for of in (version, newest(feed)))
    return version is not None and today <= then


@lru_cache(maxsize=256)
def _made_of(version_id: int, run_id: int) -> frozenset[str]:
    """The delivered columns that the masked ones of a contract are made of by the rules of a run. Neither ever changes."""
    contract = contract_of(ContractVersion.objects.get(pk=version_id))
    run = Run.objects.select_related("revision", "delivery__feed").get(pk=run_id)
    origins = column_origins(rulebook_of_run(run), run.delivery.columns, to_core(run.context))
    masked = [each.name for each in contract.columns if each.masked]
    return frozenset(each.column for name in masked for each in origins.get(name, ()) if each.table == DELIVERED)


@transaction.atomic
def agree(user: Any, feed: Feed, based_on: int, columns: Sequence[ContractColumn], change: str) -> ContractVersion:
    """Agree a new version. Raises Conflict when somebody agreed another since the version that this one is based on."""
    person = may_work(user, "agree the contract of a released table")
    feed = lock_rows(Feed).get(pk=feed.pk)
    former = newest(feed)
    number = former.number if former else 0
    if based_on != number:
        raise Conflict(
            f"The contract is at version {number} now, yours is based on {based_on}. Nothing was lost: look at what changed, and agree again."
        )
    version = ContractVersion.objects.create(
        feed=feed,
        number=number + 1,
        columns=[column.model_dump(mode="json") for column in columns],
        change=change.strip() or "agreed",
        author=person,
    )
    note(person, f"agreed version {version.number} of the contract of {feed.name}: {version.change}", feed.slug)
    return version


def breaches(version: ContractVersion, run: Run) -> list[Breach]:
    """What breaks a version of the contract in what a run left."""
    return _breaches(version.pk, run.pk)


@lru_cache(maxsize=256)
def _breaches(version_id: int, run_id: int) -> list[Breach]:
    """Neither a version nor what a run left changes; the page of a delivery asks for it often."""
    run = Run.objects.select_related("revision", "delivery").get(pk=run_id)
    folder, outcome = result_of(run)
    contract = contract_of(ContractVersion.objects.get(pk=version_id))
    masked = masked_columns(rulebook_of_run(run))
    with cache.scratch() as scratch:
        return judge(contract, result_parts(folder), outcome.columns, masked, scratch, cache.limits())


def warnings(case_columns: Sequence[tuple[str, str]], delivery: Delivery, run: Run) -> list[str]:
    """What an approver should know of columns that are about to go out: texts that read as something else, and personal data that no
    rule masks. What the contract says of a column is agreed, and no warning is given of its type then.
    """
    contract = contract_of(newest(delivery.feed))
    agreed = {column.name: column for column in contract.columns}
    profile = DeliveryProfile.objects.filter(delivery=delivery, snapshot_key=delivery.snapshot_key).first()
    reads_as = {column["name"]: column["type"] for column in profile.content["columns"]} if profile else {}
    masked = masked_columns(rulebook_of_run(run))
    personal = _personal(delivery) | {name for name, column in agreed.items() if column.personal}
    told = []
    for name, kind in case_columns:
        reads = reads_as.get(name, DataType.TEXT)
        if kind == DataType.TEXT and reads != DataType.TEXT and name not in agreed and name not in masked:
            told.append(f"{name} reads as {reads}, and goes out as text")
        if name in personal and name not in masked:
            told.append(f"{name} holds personal data, and goes out as it is")
    return told


def masking_rules(rulebook: Rulebook) -> list[Rule]:
    """The rules that mask values."""
    return [rule for rule in rulebook.rules if rule.kind == "mask"]


def masked_columns(rulebook: Rulebook) -> set[str]:
    """The columns that rules mask in every record."""
    rules = masking_rules(rulebook)
    return {name for rule in rules if rule.enabled and not rule.condition() for name in getattr(rule, "columns", ())}
