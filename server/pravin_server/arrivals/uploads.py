"""Resumable uploads: begin, send pieces from wherever the last one ended, take all in as one delivery."""

from __future__ import annotations

import fcntl
import hashlib
import os
from collections.abc import Sequence
from datetime import timedelta
from pathlib import Path
from typing import Any
from uuid import UUID

from django.conf import settings
from django.core.files.base import File
from django.db import transaction
from django.utils import timezone

from pravin_server.accounts.services import may_work
from pravin_server.arrivals.models import Upload
from pravin_server.common.errors import Conflict, Invalid, NotFound
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.services.receiving import receive
from pravin_server.feeds.models import Feed

KEPT = timedelta(days=2)


def begin(user: Any, feed: Feed, name: str, size: int, sha256: str = "") -> Upload:
    """Begin to send a file; one of the same name, size and digest that was begun before goes on where it ended."""
    person = may_work(user, "add a delivery")
    if size > settings.UPLOAD_LIMIT:
        raise Invalid(f"{name} is larger than {settings.UPLOAD_LIMIT:,} bytes.", field="size")
    drop_old()
    known = Upload.objects.filter(feed=feed, by=person, name=name[:255], size=size, sha256=sha256).first()
    return known or Upload.objects.create(feed=feed, by=person, name=name[:255], size=size, sha256=sha256)


def of(user: Any, key: UUID) -> Upload:
    """An upload of the person."""
    upload = Upload.objects.select_related("feed").filter(key=key, by=may_work(user, "add a delivery")).first()
    if upload is None:
        raise NotFound("There is no such upload. It may be too old; begin it again.")
    return upload


def add(upload: Upload, offset: int, piece: bytes) -> int:
    """Add a piece at the place where the last one ended; returns how many bytes are here.

    Raises Conflict when the place is another one, saying which: the sender goes on from there.
    """
    with upload.path.open("ab") as file:
        fcntl.flock(file, fcntl.LOCK_EX)  # two pieces at the same place: the second sees the first
        at = file.seek(0, os.SEEK_END)
        if offset != at:
            raise Conflict(f"{at:,} bytes of {upload.name} are here; go on from there.", received=at)
        if at + len(piece) > upload.size:
            raise Invalid(f"{upload.name} was said to have {upload.size:,} bytes; this is more.", field="offset")
        file.write(piece)
    return at + len(piece)


def take(user: Any, feed: Feed, keys: Sequence[UUID], again: bool) -> tuple[Delivery, Job]:
    """Make a delivery of uploads that are complete."""
    uploads = [of(user, key) for key in keys]
    for upload in uploads:
        if upload.feed_id != feed.pk:
            raise Invalid(f"{upload.name} was sent for another feed.", field="uploads")
        if upload.received != upload.size:
            raise Invalid(f"{upload.name} is not complete: {upload.received:,} of {upload.size:,} bytes are here.")
        _refuse_other_bytes(upload)
    files = [_File(upload.path.open("rb"), upload.name) for upload in uploads]
    try:
        with transaction.atomic():
            delivery, job = receive(user, feed, files, again)
    finally:
        for file in files:
            file.close()
    for upload in uploads:
        forget(upload)
    return delivery, job


def _refuse_other_bytes(upload: Upload) -> None:
    """A file that changed while it was sent, or between two tries, is not what anybody meant to deliver."""
    if not upload.sha256:
        return
    with upload.path.open("rb") as file:
        here = hashlib.file_digest(file, "sha256").hexdigest()
    if here != upload.sha256:
        forget(upload)
        raise Invalid(
            f"The bytes of {upload.name} are not those that were said: their SHA-256 is {here[:12]}…, not {upload.sha256[:12]}…."
            " The file changed while it was sent. Send it again.",
            field="uploads",
        )


class _File(File):
    """A file on disk under the name it was sent with."""


def forget(upload: Upload) -> None:
    """Give an upload up, with its bytes."""
    Path(upload.path).unlink(missing_ok=True)
    upload.delete()


def drop_old() -> None:
    """Give uploads up that nobody went on with."""
    for upload in Upload.objects.filter(begun__lt=timezone.now() - KEPT):
        forget(upload)
