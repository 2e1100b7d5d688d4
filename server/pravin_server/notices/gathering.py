"""What waits for people just now, over all feeds."""

from __future__ import annotations

from dataclasses import dataclass

from pravin_server.library.tables import tables_of_feeds
from pravin_server.quarantine.overview import reminders
from pravin_server.workspace.board import blocks, board, late_in_words

PLACES = {
    "design": "intake", "failed": "intake", "new": "new", "news": "new",
    "quarantine": "quarantine", "due": "quarantine", "answer": "quarantine",
}  # fmt: skip


def roles_for(sort: str) -> tuple[str, ...]:
    """Whom it waits for: a proposal for approvers, all else for whoever works on records."""
    return ("approver",) if sort == "proposal" else ("analyst", "approver")


@dataclass(frozen=True)
class Waits:
    """One thing that waits. `blocks`: what cannot go on before; `place`: where in the delivery a person goes on."""

    key: str
    sort: str
    feed_id: int
    slug: str
    name: str
    owner: str
    delivery: int | None
    says: str
    place: str
    blocks: list[str]


def waiting() -> list[Waits]:
    """All that waits, what blocks most first."""
    tables = tables_of_feeds()
    results = []
    for line in board():
        feed = (line["id"], line["slug"], line["name"], line["owner"])
        blocked = tables.get(line["id"], [])
        newest = line["deliveries"][-1]["id"] if line["deliveries"] else 0
        if line["is_late"]:
            key = f"late:{line['id']}:{newest}:{line['missing']}"
            says = late_in_words(line)
            results.append(Waits(key, "late", *feed, None, says, "", blocks("its next release", blocked)))
        if waits := line["waits"]:
            place = PLACES.get(waits.sort, "release")
            missing = blocks("its release", blocked)
            results.append(Waits(waits.key, waits.sort, *feed, waits.delivery, waits.says, place, missing))
    results += _in_quarantine()
    return sorted(results, key=lambda each: (-len(each.blocks), each.name.casefold()))


def _in_quarantine() -> list[Waits]:
    """Records whose day is past, and answers of suppliers: also where the delivery is published. A later day, or another answer, is
    another thing.
    """
    results = []
    for reminder in reminders():
        delivery, feed = reminder.delivery, reminder.delivery.feed
        about = (feed.pk, feed.slug, feed.name, feed.owner.shown if feed.owner else "", delivery.pk)
        if reminder.day:
            records = f"{reminder.overdue:,} record{'s' * (reminder.overdue > 1)}"
            says = f"the day of {records} in delivery {delivery.number} is past"
            results.append(Waits(f"due:{delivery.pk}:{reminder.day}", "due", *about, says, PLACES["due"], []))
        if reminder.answers:
            says = (
                f"{reminder.answers} answer{'s' * (reminder.answers > 1)} of the supplier in delivery {delivery.number}"
            )
            key = f"answer:{delivery.pk}:{reminder.newest_answer}"
            results.append(Waits(key, "answer", *about, says, PLACES["answer"], []))
    return results
