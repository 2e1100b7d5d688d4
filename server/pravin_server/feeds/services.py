"""Make feeds, agree their columns."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection, Sequence
from typing import Any

from django.db import transaction
from django.utils.text import slugify

from pravin_core.intake.design import AgreedColumn
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Conflict, Invalid
from pravin_server.common.locks import lock_rows
from pravin_server.feeds.models import Feed


@transaction.atomic
def make_feed(user: Any, name: str, supplier: str = "", about: str = "") -> Feed:
    """Create a feed with an empty rulebook; its address is made from the name."""
    person = may_work(user, "create a feed")
    looks = _looks(name)
    if not looks:
        raise Invalid("The name of a feed needs at least one letter or digit.", field="name")
    feeds = lock_rows(Feed).in_bulk()
    if alike := next((feed for feed in feeds.values() if _looks(feed.name) == looks), None):
        raise Conflict(f"There is already a feed named like this: {alike.name!r}. Choose another name.", field="name")
    slug = _free(slugify(name), "-", 80, {feed.slug for feed in feeds.values()})
    view = _free(slug.replace("-", "_"), "_", 60, {feed.view for feed in feeds.values()})
    feed = Feed.objects.create(slug=slug, view=view, name=name.strip(), supplier=supplier, about=about, owner=person)
    note(person, f"created the feed {feed.name}", feed=slug)
    return feed


def _looks(name: str) -> str:
    """What people tell names apart by: letters and digits of any script, without regard to case and marks between."""
    return re.sub(r"[\W_]+", "", unicodedata.normalize("NFKC", name)).casefold()


def _free(wanted: str, mark: str, longest: int, taken: Collection[str]) -> str:
    """A name that fits and is not taken: cut names get a number, so that no two are the same."""
    base = wanted[:longest].strip("-_") or "feed"
    endings = (f"{mark}{number}" for number in range(2, len(taken) + 3))
    return next(text for end in ("", *endings) if (text := f"{base[: longest - len(end)]}{end}") not in taken)


@transaction.atomic
def describe_columns(user: Any, feed: Feed, columns: Sequence[AgreedColumn]) -> Feed:
    """Say what the agreed columns are: type, role, missing tokens, marks, date formats.

    Before anything is agreed the columns themselves may be given, e.g. from a schema file; afterwards those that the
    feed does not have are refused.
    """
    person = may_work(user, "describe a feed's columns")
    feed = lock_rows(Feed).get(pk=feed.pk)
    known = {column.name: column for column in columns}
    if feed.design:
        unknown = [name for name in known if name not in feed.columns]
        if unknown:
            raise Invalid(
                f"The feed has no column {unknown[0]!r}. New columns come with a delivery and are settled in Intake."
            )
    named = feed.design or [{"name": name} for name in known]
    feed.design = [
        {**column, **known[column["name"]].model_dump(mode="json", exclude={"sketch"}), "by_hand": True}
        if column["name"] in known
        else column
        for column in named
    ]
    feed.save(update_fields=["design"])
    note(person, f"described {len(known)} columns of {feed.name}", feed.slug)
    return feed
