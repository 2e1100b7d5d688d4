"""Drop folders: one for each feed, looked into again and again; what is complete becomes a delivery, or an answer about records that
were returned.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path

from django.core.files.base import File
from django.db import transaction

from pravin_core.errors import PravinError
from pravin_server.activity.services import note
from pravin_server.arrivals.models import DropSighting
from pravin_server.common.errors import Conflict, ServerError
from pravin_server.deliveries.services.receiving import receive
from pravin_server.feeds.folders import drop_folder
from pravin_server.feeds.models import Feed
from pravin_server.quarantine.answers import is_answer, receive_answer

UNFINISHED = (".part", ".partial", ".tmp", ".crdownload", ".filepart")
TAKEN, REFUSED = "taken", "refused"


def look() -> int:
    """Look into the drop folders of all feeds; returns into how many something was taken in from."""
    return sum(_look_into(feed) for feed in Feed.objects.filter(owner__isnull=False).select_related("owner"))


def _look_into(feed: Feed) -> bool:
    """Take the files of a folder in, when none has changed since the last look: answers as such, all others as one delivery."""
    files = {path.name: path.stat() for path in _files(drop_folder(feed))}
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
    paths = [drop_folder(feed) / name for name in sorted(files)]
    answers = [path for path in paths if is_answer(path, path.name)]
    delivered = [path for path in paths if path not in answers]
    took = [_take(feed, [path], _as_answer) for path in answers]
    took += [_take(feed, delivered, _as_delivery)] if delivered else []
    feed.sightings.all().delete()
    return any(took)


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


def _as_delivery(feed: Feed, paths: list[Path]) -> None:
    with ExitStack() as opened, transaction.atomic():
        files = [File(opened.enter_context(path.open("rb")), path.name) for path in paths]
        receive(feed.owner, feed, files, arrived="drop folder")


def _as_answer(feed: Feed, paths: list[Path]) -> None:
    for path in paths:
        receive_answer(feed, path.name, path, "drop folder")


def _take(feed: Feed, paths: list[Path], receive_as: Callable[[Feed, list[Path]], None]) -> bool:
    outcome = TAKEN
    try:
        receive_as(feed, paths)
    except Conflict as error:
        note(None, f"did not take {len(paths)} files from the drop folder: {error.message}"[:400], feed.slug)
        outcome = REFUSED
    except (ServerError, PravinError) as error:
        note(None, f"could not take files from the drop folder: {error.message}"[:400], feed.slug)
        outcome = REFUSED
    for path in paths:
        _put_away(path, outcome)
    return outcome == TAKEN


def _put_away(path: Path, where: str) -> None:
    """Move a file to the sub-folder of what was taken or refused, under a name that is free."""
    folder = path.parent / where
    folder.mkdir(exist_ok=True)
    target, number = folder / path.name, 2
    while target.exists():
        target, number = folder / f"{path.stem}-{number}{path.suffix}", number + 1
    os.rename(path, target)
