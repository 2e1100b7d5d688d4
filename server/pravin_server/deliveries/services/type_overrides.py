"""What a column is, said by a person: remembered by the feed, and its profile measured anew under it."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from pravin_core.profiling.findings.registry import OF_TABLES, kinds
from pravin_core.profiling.model import ColumnProfile, Finding
from pravin_core.profiling.profiler import profile_one, worst_first
from pravin_core.tables.types import DataType, Role
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Invalid, NotYet
from pravin_server.common.locks import lock_rows
from pravin_server.deliveries import snapshots
from pravin_server.deliveries.models import Delivery, DeliveryProfile
from pravin_server.deliveries.services.reading import received
from pravin_server.feeds.models import Feed

_OF_TABLE = {kind.name for kind in kinds(OF_TABLES)}


def choose(user: Any, delivery: Delivery, name: str, data_type: DataType | None, role: Role | None) -> ColumnProfile:
    """Say what type and role a column has (None: as proposed); returns its profile and changes its findings."""
    person = may_work(user, "say what a column is")
    if delivery.state != Delivery.State.READ:
        raise NotYet("The delivery is not read yet.")
    if name not in delivery.columns:
        raise Invalid(f"The delivery has no column {name!r}.")

    def measure() -> tuple[ColumnProfile, list[Finding]]:
        with cache.scratch() as scratch:
            snapshot = snapshots.snapshot_of(delivery)
            return profile_one(snapshot, name, scratch, received(delivery), cache.limits(), data_type, role)

    column, findings = cache.even_if_deleted(measure)
    with transaction.atomic():
        _remember(delivery, column, data_type, role)
        profile = lock_rows(DeliveryProfile).get(delivery=delivery)
        _put(profile.content, column, findings)
        profile.treated = {}
        profile.save(update_fields=["content", "treated"])
        text = " and ".join(str(item) for item in (data_type, role) if item) or "what is proposed"
        note(person, f"said that {name} of {delivery.feed.name} is {text}", delivery.feed.slug, delivery.pk)
    return column


def _remember(delivery: Delivery, column: ColumnProfile, data_type: DataType | None, role: Role | None) -> None:
    feed = lock_rows(Feed).get(pk=delivery.feed_id)
    design = feed.design or [{"name": column} for column in delivery.columns]
    by_hand = data_type is not None or role is not None
    for item in design:
        if item["name"] == column.name:
            agreed = bool(item.get("type")) and not by_hand  # back to what is proposed
            item.update(
                type=column.type if agreed else data_type, role=column.role if agreed else role, by_hand=by_hand
            )
    feed.design = design
    feed.save(update_fields=["design"])


def _put(content: dict[str, Any], column: ColumnProfile, findings: list[Finding]) -> None:
    """The column's measures, and the findings about it alone, in place of those before."""
    content["columns"] = [
        column.model_dump(mode="json") if stored["name"] == column.name else stored for stored in content["columns"]
    ]
    before = [Finding.model_validate(item) for item in content.get("findings", [])]
    of_table = [finding for finding in before if finding.columns != (column.name,) or finding.kind in _OF_TABLE]
    content["findings"] = [
        finding.model_dump(mode="json") for finding in sorted([*of_table, *findings], key=worst_first)
    ]
