"""What people changed since a release: rules, and decisions on records."""

from __future__ import annotations

from typing import Any

from pravin_server.quarantine.cases import known_to
from pravin_server.quarantine.models import Decision
from pravin_server.releases.models import Release
from pravin_server.rulebooks import services as rulebooks
from pravin_server.runs.models import Run
from pravin_server.runs.results import rulebook_of_run


def rules_since(release: Release, run: Run) -> list[dict[str, Any]]:
    """The rules that were added, removed, changed or moved from a release to a run, with their sentences then and now."""
    before, after = (rulebook_of_run(each).model_dump(mode="json")["rules"] for each in (release.run, run))
    return [
        {
            **difference,
            "before": rulebooks.describe(difference["before"]),
            "after": rulebooks.describe(difference["after"]),
        }
        for difference in rulebooks.differences(before, after)
    ]


def decisions_since(release: Release | None, run: Run) -> list[Decision]:
    """The decisions that a run takes into account, and that the release of the same delivery did not, the newest first."""
    known = set(known_to(run))
    if release is not None and release.delivery_id == run.delivery_id:
        known -= set(known_to(release.run))
    return list(Decision.objects.filter(pk__in=known).select_related("by").order_by("-id"))
