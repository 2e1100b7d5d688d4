"""Make readers, say what they may read, give them another password, end them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone

from pravin_server.accounts.services import may_release
from pravin_server.activity.services import note
from pravin_server.common.errors import Conflict, Invalid, NotFound
from pravin_server.feeds.models import Feed
from pravin_server.readers import roles
from pravin_server.readers.models import DatabaseReader


def _reader(reader_id: int) -> DatabaseReader:
    found = DatabaseReader.objects.filter(pk=reader_id).first()
    if found is None:
        raise NotFound(f"There is no reader {reader_id}.")
    return found


@transaction.atomic
def make_reader(user: Any, name: str, slugs: Sequence[str]) -> tuple[DatabaseReader, str]:
    """Make a reader of some feeds; returns it and its password, which is shown once. Raises Conflict when the name is taken."""
    person, feeds = may_release(user, "make a reader"), _feeds(slugs)
    if DatabaseReader.objects.filter(name__iexact=name.strip()).exists():
        raise Conflict(f"There is a reader “{name.strip()}” already.")
    reader = DatabaseReader.objects.create(name=name.strip(), made_by=person)
    reader.role = roles.role_of(reader.pk)
    reader.save(update_fields=["role"])
    password = roles.make_role(reader.role)
    _let_read(reader, feeds)
    note(person, f"made the reader {reader.name}", feeds=[feed.slug for feed in feeds], role=reader.role)
    return reader, password


@transaction.atomic
def set_feeds(user: Any, reader_id: int, slugs: Sequence[str]) -> DatabaseReader:
    """Say which feeds a reader may read from now on. Raises NotFound where there is no such reader."""
    person = may_release(user, "say what a reader may read")
    reader, feeds = _reader(reader_id), _feeds(slugs)
    before = set(reader.feeds.values_list("slug", flat=True))
    _let_read(reader, feeds)
    now = {feed.slug for feed in feeds}
    if now != before:
        note(
            person,
            f"said what the reader {reader.name} may read",
            added=sorted(now - before),
            taken=sorted(before - now),
        )
    return reader


@transaction.atomic
def give_password(user: Any, reader_id: int) -> tuple[DatabaseReader, str]:
    """Give a reader another password; returns both. The former one is refused from then on."""
    person = may_release(user, "give a reader a password")
    reader = _reader(reader_id)
    password = roles.new_password(_role(reader))
    reader.password_at = timezone.now()
    reader.save(update_fields=["password_at"])
    note(person, f"gave the reader {reader.name} another password")
    return reader, password


@transaction.atomic
def end_reader(user: Any, reader_id: int) -> None:
    """End a reader, its role and its connections."""
    person = may_release(user, "end a reader")
    reader = _reader(reader_id)
    roles.end_role(_role(reader))
    note(person, f"ended the reader {reader.name}", role=reader.role)
    reader.delete()


def roles_of(feed: Feed) -> list[str]:
    """The roles that may read the view of a feed."""
    found = DatabaseReader.objects.filter(feeds=feed, role__isnull=False).order_by("pk")
    return [str(role) for role in found.values_list("role", flat=True)]


def _role(reader: DatabaseReader) -> str:
    if reader.role is None:
        raise NotFound("The reader has no role in the database.")
    return reader.role


def _let_read(reader: DatabaseReader, feeds: Sequence[Feed]) -> None:
    reader.feeds.set(feeds)
    roles.let_read(_role(reader), [feed.view for feed in feeds])


def _feeds(slugs: Sequence[str]) -> list[Feed]:
    """The feeds of these names, locked: none of their views changes meanwhile. Raises Invalid when there is none of a name."""
    feeds = list(Feed.objects.select_for_update().filter(slug__in=slugs).order_by("pk"))
    if missing := set(slugs) - {feed.slug for feed in feeds}:
        raise Invalid(f"There is no feed “{min(missing)}”.", field="feeds")
    return feeds
