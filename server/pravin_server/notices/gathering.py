"""What waits for people just now, over all feeds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pravin_server.feeds.models import Feed
from pravin_server.library.tables import tables_of_feeds
from pravin_server.workspace.board import board, late_in_words

PLACES = {"design": "intake", "failed": "intake", "new": "new", "news": "new", "quarantine": "quarantine"}
LATE = "late"


def roles_for(sort: str) -> tuple[str, ...]:
    """Whom it waits for: a proposal for approvers, all else for whoever works on records."""
    return ("approver",) if sort == "proposal" else ("analyst", "approver")


@dataclass(frozen=True)
class Waits:
    """One thing that waits. `blocks`: what cannot go on before; `place`: where in the delivery a person goes on."""

    key: str
    sort: str
    slug: str
    name: str
    owner: str
    delivery: int | None
    says: str
    place: str
    blocks: tuple[str, ...]


def waiting() -> list[Waits]:
    """All that waits, what blocks most first."""
    tables = _tables()
    results = []
    for line in board():
        blocked = tuple(f"the reference table {name}" for name in tables.get(line["slug"], ()))
        newest = line["deliveries"][-1]["id"] if line["deliveries"] else 0
        if line["is_late"]:
            key = f"{LATE}:{line['slug']}:{newest}:{line['missing']}"
            results.append(_of(line, key, LATE, None, late_in_words(line), ("its next release", *blocked)))
        if waits := line["waits"]:
            key = f"{waits.sort}:{waits.delivery}"
            blocks = () if waits.sort == "failed" else ("its release",)
            results.append(_of(line, key, waits.sort, waits.delivery, waits.says, (*blocks, *blocked)))
    return sorted(results, key=lambda each: (-len(each.blocks), each.name.casefold()))


def _of(line: dict[str, Any], key: str, sort: str, delivery: int | None, says: str, blocks: tuple[str, ...]) -> Waits:
    place = PLACES.get(sort, "release") if delivery else ""
    return Waits(key, sort, line["slug"], line["name"], line["owner"], delivery, says, place, blocks)


def _tables() -> dict[str, list[str]]:
    """By the slug of a feed the reference tables that its releases are."""
    by_id = tables_of_feeds()
    return {feed.slug: by_id[feed.pk] for feed in Feed.objects.filter(pk__in=by_id).only("pk", "slug")}
