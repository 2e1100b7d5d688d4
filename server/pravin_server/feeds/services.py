"""Make feeds."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils.text import slugify

from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Conflict, Invalid
from pravin_server.feeds.models import Feed


@transaction.atomic
def make_feed(user: Any, name: str, supplier: str = "", about: str = "") -> Feed:
    """Create a feed with an empty rulebook; its address is made from the name."""
    person = may_work(user, "create a feed")
    slug = slugify(name)[:80]
    if not slug:
        raise Invalid("The name of a feed needs at least one letter or digit.", field="name")
    if Feed.objects.filter(slug=slug).exists():
        raise Conflict(f"There is already a feed named like {name!r}. Choose another name.", field="name")
    feed = Feed.objects.create(slug=slug, name=name.strip(), supplier=supplier, about=about, owner=person)
    note(person, f"created the feed {feed.name}", feed=slug)
    return feed
