"""The releases of a feed in time: what each held, who answers for it, and how much it differs from the one before."""

from __future__ import annotations

from typing import Any

from django.db.models import Prefetch

from pravin_server.feeds.models import Feed
from pravin_server.releases.models import Release, ReleaseProposal
from pravin_server.storage.models import StoredFile


def history_of(feed: Feed) -> list[dict[str, Any]]:
    """All releases of a feed that were published once, newest first: `release`, its `balance`, the `bytes` of its data, by how many
    records it differs from the release published before (None: it was the first), the words of its proposal and approval.
    """
    approved = Prefetch("proposals", ReleaseProposal.objects.select_related("by", "decided_by"))
    releases = (
        feed.releases.filter(published__isnull=False)
        .select_related("feed", "delivery", "asked_by", "replaced_by")
        .prefetch_related(approved)
        .order_by("number")
    )
    sizes = dict(StoredFile.objects.filter(name__in=[each.data.name for each in releases]).values_list("name", "size"))
    lines: list[dict[str, Any]] = []
    before: Release | None = None
    for release in releases:
        proposal = next(iter(release.proposals.all()), None)
        lines.append(
            {
                "release": release,
                "balance": release.manifest["reconciliation"],
                "bytes": sizes.get(release.data.name or "", 0),
                "more": release.records - before.records if before else None,
                "columns": len(release.manifest["columns"]),
                "proposed_by": proposal.by.shown if proposal and proposal.by else "",
                "word": proposal.word if proposal else "",
                "approval": proposal.answer if proposal else "",
                "withdrawn_why": release.withdrawn_why,
            }
        )
        before = release
    return lines[::-1]
