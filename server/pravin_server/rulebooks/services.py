"""Change rulebooks: every change is a revision, and nobody overwrites a colleague."""

from __future__ import annotations

from typing import Any

from django.db import transaction

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
