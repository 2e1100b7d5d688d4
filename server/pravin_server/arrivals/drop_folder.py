"""Drop folders: one for each feed, looked into again and again; what is complete becomes a delivery."""

from __future__ import annotations

import os
import stat
from contextlib import ExitStack
from pathlib import Path

from django.conf import settings
from django.core.files.base import File
from django.db import transaction

from pravin_server.activity.services import note
from pravin_server.arrivals.models import DropSighting
from pravin_server.common.errors import Conflict, ServerError
from pravin_server.deliveries.services.receiving import receive
from pravin_server.feeds.models import Feed

UNFINISHED = (".part", ".partial", ".tmp", ".crdownload", ".filepart")
TAKEN, REFUSED = "taken", "refused"


def folder_of(feed: Feed) -> Path:
    """Where suppliers of a feed put files."""
    place: Path = settings.DROP_DIR / feed.slug
    place.mkdir(parents=True, exist_ok=True)
    return place


def look() -> int:
    """Look into the drop folders of all feeds; returns how many deliveries were taken in."""
    return sum(_look_into(feed) for feed in Feed.objects.filter(owner__isnull=False).select_related("owner"))


def _look_into(feed: Feed) -> bool:
    """Take the files of a folder in as one delivery, when none has changed since the last look."""
    files = {path.name: path.stat() for path in _files(folder_of(feed))}
    seen = {sighting.name: sighting for sighting in feed.sightings.all()}
    feed.sightings.exclude(name__in=files).delete()
    steady = True
    for name, now in files.items():
        each_sighting = seen.get(name)
        if each_sighting is None or (each_sighting.size, each_sighting.modified) != (now.st_size, now.st_mtime_ns):
            DropSighting.objects.update_or_create(
                feed=feed, name=name, defaults={"size": now.st_size, "modified": now.st_mtime_ns}
            )
            steady = False
    if not files or not steady:
        return False
    return _take(feed, [folder_of(feed) / name for name in sorted(files)])


def _files(folder: Path) -> list[Path]:
    """Ordinary files that are not hidden and not marked as unfinished; links are not followed."""
    return [
        path
        for path in folder.iterdir()
        if not path.name.startswith(".")
        and not path.name.casefold().endswith(UNFINISHED)
        and stat.S_ISREG(path.lstat().st_mode)
        and path.lstat().st_size
    ]


def _take(feed: Feed, paths: list[Path]) -> bool:
    outcome = TAKEN
    try:
        with ExitStack() as opened, transaction.atomic():
            files = [File(opened.enter_context(path.open("rb")), path.name) for path in paths]
            receive(feed.owner, feed, files, arrived="drop folder")
    except Conflict as error:
        note(None, f"did not take {len(paths)} files from the drop folder: {error.message}"[:400], feed.slug)
        outcome = REFUSED
    except ServerError as error:
        note(None, f"could not take files from the drop folder: {error.message}"[:400], feed.slug)
        outcome = REFUSED
    for path in paths:
        _put_away(path, outcome)
    feed.sightings.all().delete()
    return outcome == TAKEN


def _put_away(path: Path, where: str) -> None:
    """Move a file to the sub-folder of what was taken or refused, under a name that is free."""
    folder = path.parent / where
    folder.mkdir(exist_ok=True)
    target, number = folder / path.name, 2
    while target.exists():
        target, number = folder / f"{path.stem}-{number}{path.suffix}", number + 1
    os.rename(path, target)
