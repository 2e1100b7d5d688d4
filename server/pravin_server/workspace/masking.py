"""Whoever may not see a feed's masked columns is refused all that could show their values, but for what covers them by itself.

An operation that is not named here is refused: a new one shows nothing before somebody has looked at what it shows.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

from django.http import HttpRequest

from pravin_server.analyses.models import Analysis
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds import masking
from pravin_server.feeds.models import Feed
from pravin_server.releases.contracts import went_out_masked
from pravin_server.releases.models import Release, ReleaseProposal, TableDivision
from pravin_server.runs.models import Run

DELIVERY, FEED = "/deliveries/{delivery_id}", "/feeds/{slug}"
COVERING = {  # they cover the values themselves
    f"GET {DELIVERY}/records", f"GET {DELIVERY}/records/{{record}}/life", f"GET {DELIVERY}/quarantine/records", f"GET {DELIVERY}/profile",
    f"GET {DELIVERY}/findings", f"GET {DELIVERY}/news", f"GET {DELIVERY}/news/{{novelty}}/measure", f"GET {FEED}/memory", f"GET {FEED}/memory.csv", f"GET {DELIVERY}/values", f"GET {FEED}/contract", f"GET {FEED}/rulebook",
}  # fmt: skip
WITHOUT_VALUES = {  # what they tell is no value of a record
    f"GET {DELIVERY}", f"GET {DELIVERY}/files", f"GET {DELIVERY}/sources", f"GET {DELIVERY}/design", f"GET {DELIVERY}/totals",
    f"GET {DELIVERY}/quarantine", f"GET {DELIVERY}/quarantine/counts", f"GET {DELIVERY}/release", f"GET {DELIVERY}/release/since",
    f"GET {DELIVERY}/proposal",
    f"GET {FEED}", f"GET {FEED}/columns", f"GET {FEED}/contract/versions", f"GET {FEED}/derived-from", f"GET {FEED}/divisions",
    f"GET {FEED}/filters", f"GET {FEED}/key", f"GET {FEED}/policy", f"GET {FEED}/arrival-plan", f"GET {FEED}/supplier.html", f"GET {FEED}/lineage", f"GET {FEED}/lineage/column", f"GET {FEED}/released",
    f"GET {FEED}/releases", f"GET {FEED}/revisions", f"GET {FEED}/revisions/{{one}}/{{other}}", f"GET {FEED}/schema", f"GET {FEED}/ways-in", "GET /runs/{run_id}", "GET /releases/{release_id}",
    "GET /releases/{release_id}/withdrawal",
}  # fmt: skip
# masked, where the contract asked for it
GOES_OUT = {"GET /releases/{release_id}/data", "GET /releases/{release_id}/package"}
_FEED_OF: dict[str, Callable[[Any], int | None]] = {
    "delivery_id": lambda key: Delivery.objects.filter(pk=key).values_list("feed", flat=True).first(),
    "slug": lambda key: Feed.objects.filter(slug=key).values_list("pk", flat=True).first(),
    "run_id": lambda key: Run.objects.filter(pk=key).values_list("delivery__feed", flat=True).first(),
    "release_id": lambda key: Release.objects.filter(pk=key).values_list("feed", flat=True).first(),
    "proposal_id": lambda key: ReleaseProposal.objects.filter(pk=key).values_list("delivery__feed", flat=True).first(),
    "division_id": lambda key: TableDivision.objects.filter(pk=key).values_list("feed", flat=True).first(),
    "comparison_id": lambda key: Analysis.objects.filter(pk=key).values_list("delivery__feed", flat=True).first(),
    "relations_id": lambda key: Analysis.objects.filter(pk=key).values_list("delivery__feed", flat=True).first(),
}


def may_see(request: HttpRequest) -> None:
    """Raise NotAllowed when what is asked for could show values that the person may only see masked."""
    if masking.works_on_records(request.user) or request.resolver_match is None:
        return
    operation = f"{request.method} {_template(request.resolver_match.route)}"
    if operation in COVERING or operation in WITHOUT_VALUES:
        return
    parts = request.resolver_match.kwargs
    feed = _feed(parts)
    if feed is not None and not (
        operation in GOES_OUT and went_out_masked(feed, int(parts["release_id"]), operation.endswith("/package"))
    ):
        masking.refuse(masking.hidden_columns(request.user, feed), "What is asked for can show")


def _template(route: str) -> str:
    """An address as the API's description writes it, without /api."""
    return "/" + re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", route).removeprefix("api/").rstrip("$")


def _feed(parts: Mapping[str, Any]) -> Feed | None:
    """The feed that an address leads to."""
    for name, found in _FEED_OF.items():
        if name in parts and str(parts[name])[:1] not in ("", "-"):
            try:
                return Feed.objects.filter(pk=found(parts[name]) or 0).first()
            except (ValueError, OverflowError):  # no such number: the operation says so
                return None
    return None
