"""Deliveries in a few words, many at once: a fixed number of queries, whatever their number."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.db.models import Count, Exists, F, IntegerField, Model, OuterRef, QuerySet, Subquery
from django.db.models.functions import Coalesce

from pravin_server.common import lookups  # noqa: F401  which registers `among`
from pravin_server.deliveries.models import Delivery, DesignChange, SourceFile
from pravin_server.monitoring.models import Memory
from pravin_server.releases.models import Release, ReleaseProposal
from pravin_server.runs.models import Run
from pravin_server.runs.queries import speaking

# what a summary is made from: rows, since the board has thousands of them
OF_A_ROW = (
    "id", "number", "state", "received", "records", "rejected", "feed_slug", "feed_name", "file_count", "unsettled", "news",
    "release_state", "is_published", "proposal", "proposed_run", "proposal_id",
)  # fmt: skip


def summaries(ids: Collection[int]) -> dict[int, dict[str, Any]]:
    """Deliveries by id, as lists show them (two queries).

    Beside what the API answers: `unsettled` design changes, whether the delivery is `published`, and of its counting
    run the number of `held` records, those that wait in quarantine, and the state of a `proposal` to release it (empty: none).
    """
    rows = with_counts(Delivery.objects.filter(pk__among=list(ids))).values_list(*OF_A_ROW, named=True)
    runs = _runs(ids)
    return {row.id: summary(row, runs.get(row.id, {})) for row in rows}


def with_counts(deliveries: QuerySet[Delivery]) -> QuerySet[Delivery]:
    """Deliveries with all that summaries are made from (OF_A_ROW)."""
    releases = Release.objects.filter(delivery=OuterRef("pk")).exclude(state=Release.State.FAILED)
    return deliveries.annotate(
        feed_slug=F("feed__slug"),
        feed_name=F("feed__name"),
        file_count=count_of(SourceFile, "delivery"),
        unsettled=count_of(DesignChange, "delivery", choice=""),
        release_state=Subquery(releases.order_by("-id").values("state")[:1]),
        is_published=Exists(releases.filter(state=Release.State.PUBLISHED)),
        news=Coalesce(Subquery(Memory.objects.filter(delivery=OuterRef("pk")).values("open")), 0),
        proposal=Subquery(_proposals().values("state")[:1]),
        proposed_run=Subquery(_proposals().values("run")[:1]),
        proposal_id=Subquery(_proposals().values("pk")[:1]),
    )


def _proposals() -> QuerySet[ReleaseProposal]:
    gone = [ReleaseProposal.State.CANCELLED, ReleaseProposal.State.REPLACED]
    return ReleaseProposal.objects.filter(delivery=OuterRef("pk")).exclude(state__in=gone).order_by("-id")


def count_of(model: type[Model], field: str, **only: Any) -> Coalesce:
    """How many rows of a model belong to each row of the outer query."""
    rows = model._default_manager.filter(**{field: OuterRef("pk")}, **only).order_by()
    counted = rows.values(field).annotate(n=Count("pk")).values("n")
    return Coalesce(Subquery(counted, output_field=IntegerField()), 0)


def _runs(ids: Collection[int]) -> dict[int, dict[str, dict[str, Any]]]:
    """Of each delivery the newest finished trial and run over it as it is read now: revision and reconciliation."""
    newest = Run.objects.filter(delivery_id__among=list(ids), state="done", snapshot_key=F("delivery__snapshot_key"))
    rows = (
        newest.order_by("delivery_id", "purpose", "-id")
        .distinct("delivery_id", "purpose")
        .values(
            "delivery_id",
            "purpose",
            "id",
            revision_number=F("revision__number"),
            balance=F("outcome__reconciliation"),
            waiting=F("cases__waiting"),
        )
    )
    results: dict[int, dict[str, dict[str, Any]]] = {}
    for row in rows:
        results.setdefault(row["delivery_id"], {})[row["purpose"]] = dict(row)
    return results


def summary(delivery: Any, runs: dict[str, dict[str, Any]]) -> dict[str, Any]:
    """A delivery (as a row, or with its counts) in a few words, with the newest trial and run by purpose."""
    counting, trial = runs.get(Run.Purpose.RUN), runs.get(Run.Purpose.TRIAL)
    shown = speaking(counting, trial, lambda run: run["revision_number"])
    return {
        "id": delivery.id,
        "feed": {"slug": delivery.feed_slug, "name": delivery.feed_name},
        "number": delivery.number,
        "state": delivery.state,
        "received": delivery.received,
        "files": delivery.file_count,
        "balance": (shown and shown["balance"]) or as_delivered(delivery),
        "release": delivery.release_state or "",
        "has_run": counting is not None,
        "news": delivery.news,
        "unsettled": delivery.unsettled,
        "published": delivery.is_published,
        "proposal": delivery.proposal if counting and counting["id"] == delivery.proposed_run else "",
        "proposal_id": delivery.proposal_id,
        "held": counting["waiting"] or 0 if counting else 0,
    }


def as_delivered(delivery: Any) -> dict[str, int]:
    """The balance before any run: all records are as delivered."""
    return {
        "delivered": delivery.records + delivery.rejected, "added": 0, "ready": delivery.records, "corrected": 0,
        "quarantined": 0, "removed": 0, "rejected": delivery.rejected,
    }  # fmt: skip
