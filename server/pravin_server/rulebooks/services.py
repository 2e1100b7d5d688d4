"""Change rulebooks: every change is a revision, and nobody overwrites a colleague."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from pravin_core.rules.base import ColumnCorrection
from pravin_core.rules.registry import KINDS
from pravin_core.rules.rulebook import Rulebook
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Conflict
from pravin_server.feeds.models import Feed
from pravin_server.rulebooks.models import Revision


def newest(feed: Feed) -> Revision:
    """The draft: the newest revision (a first, empty one is made when there is none)."""
    found = feed.revisions.select_related("author").first()
    return found or Revision.objects.get_or_create(feed=feed, number=0, defaults={"change": "empty rulebook"})[0]


def rulebook_of(revision: Revision) -> Rulebook:
    """The rules of a revision."""
    return Rulebook.model_validate({"rules": revision.rules})


@transaction.atomic
def change_rules(user: Any, feed: Feed, rulebook: Rulebook, based_on: int, change: str) -> Revision:
    """Keep a new revision. `based_on` is the number of the revision that was edited.

    Raises Conflict when somebody else changed the rulebook since.
    """
    person = may_work(user, "change the rulebook")
    Feed.objects.select_for_update().get(pk=feed.pk)
    last = newest(feed)
    if last.number != based_on:
        author = last.author.shown if last.author else "somebody"
        raise Conflict(
            f"{author} changed the rulebook since you opened it (revision {last.number}: {last.change}). "
            "Look at the newest revision and make your change there.",
            newest=last.number,
        )
    rules = rulebook.model_dump(mode="json")["rules"]
    revision = Revision.objects.create(
        feed=feed, number=last.number + 1, rules=rules, change=change[:400] or "changed the rules", author=person
    )
    note(person, f"rulebook of {feed.name}: {revision.change}", feed.slug, revision=revision.number)
    return revision


READING = ("to-number", "to-date")  # what repairs text must come before what reads it


def put_rule(rules: list[dict[str, Any]], rule: dict[str, Any]) -> dict[str, Any]:
    """Put a rule without id into a list of rules, where it fits; returns it with its id.

    A correction comes before the first rule that reads one of its columns as numbers or dates, all others at the end.
    """
    taken = {one["id"] for one in rules}
    name = next(name for number in range(1, len(taken) + 2) if (name := f"{rule['kind']}-{number}") not in taken)
    made = {**rule, "id": name}
    rules.insert(_place(rules, made), made)
    return made


def _place(rules: Sequence[dict[str, Any]], rule: dict[str, Any]) -> int:
    if rule["kind"] in READING or not issubclass(KINDS[rule["kind"]], ColumnCorrection):
        return len(rules)
    columns = set(rule.get("columns", ()))
    for place, other in enumerate(rules):
        if other["kind"] in READING and columns & set(other.get("columns", ())):
            return place
    return len(rules)
