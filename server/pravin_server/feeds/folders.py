"""The folder of a feed that its suppliers reach: what they put there is a delivery or an answer, what lies in `FOR_THEM` is for them."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings

from pravin_server.feeds.models import Feed

FOR_THEM = "for the supplier"


def drop_folder(feed: Feed) -> Path:
    """Where suppliers of a feed put files."""
    place: Path = settings.DROP_DIR / feed.slug
    place.mkdir(parents=True, exist_ok=True)
    return place


def supplier_folder(feed: Feed) -> Path:
    """Where suppliers of a feed find files that are for them."""
    place = drop_folder(feed) / FOR_THEM
    place.mkdir(exist_ok=True)
    return place


@contextmanager
def written_for_supplier(feed: Feed, name: str) -> Iterator[Path]:
    """Where to write a file for the suppliers of a feed: they find it under its name once it is whole."""
    target = supplier_folder(feed) / name
    part = target.with_name(f".{name}.part")
    yield part
    os.replace(part, target)
