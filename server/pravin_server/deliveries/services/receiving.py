"""Take deliveries in: keep the bytes, notice what was delivered before, ask for reading."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from typing import Any

from django.conf import settings
from django.core.files.base import File
from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from pravin_core.intake.totals import is_companion
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import DeliveredBefore, Invalid
from pravin_server.common.jobs import ask
from pravin_server.common.locks import lock_rows
from pravin_server.common.models import Job
from pravin_server.deliveries import ports
from pravin_server.deliveries.models import Delivery, SourceFile
from pravin_server.feeds.models import Feed
from pravin_server.storage.models import StoredFile

MOST_FILES = 200


@transaction.atomic
def receive(
    user: Any, feed: Feed, uploads: Sequence[File], again: bool = False, arrived: str = "upload"
) -> tuple[Delivery, Job]:
    """Keep the files of a delivery byte for byte and ask for it to be read.

    Raises DeliveredBefore when the same bytes were delivered before, unless they are wanted `again`.
    """
    person = may_work(user, "add a delivery")
    if not uploads:
        raise Invalid("A delivery needs at least one file.", field="files")
    if len(uploads) > MOST_FILES:
        raise Invalid(f"A delivery can have at most {MOST_FILES} files.", field="files")
    for upload in uploads:
        if (upload.size or 0) > settings.UPLOAD_LIMIT:
            raise Invalid(f"{upload.name} is larger than {settings.UPLOAD_LIMIT:,} bytes.", field="files")
    locked = lock_rows(Feed).get(pk=feed.pk)
    last = locked.deliveries.aggregate(last=Max("number"))["last"] or 0
    delivery = Delivery.objects.create(
        feed=feed, number=last + 1, received=timezone.now(), received_by=person, arrived=arrived
    )
    files = [_keep(delivery, position, upload) for position, upload in enumerate(uploads)]
    if not again:
        _refuse_repeated(delivery, files)
    if all(file.companion for file in files):
        SourceFile.objects.filter(delivery=delivery).update(companion=False)
    names = ", ".join(file.name for file in files)
    note(person, f"took in delivery {delivery.number} of {feed.name}", feed.slug, delivery.pk, files=names, by=arrived)
    return delivery, ask_reading(person, delivery)


def ask_reading(person: Any, delivery: Delivery) -> Job:
    """Ask for a delivery to be read (again), in the caller's transaction."""
    delivery.state, delivery.error = Delivery.State.READING, None
    delivery.save(update_fields=["state", "error"])
    return ask("read", delivery.pk, delivery, person, lock=f"delivery-{delivery.pk}")


def refuse_if_released(delivery: Delivery) -> None:
    """What was released cannot be read in another way."""
    if ports.is_released(delivery):
        raise Invalid("This delivery is released; how it is read cannot change any more. Withdraw the release first.")


def _refuse_repeated(delivery: Delivery, files: Sequence[SourceFile]) -> None:
    digests = [file.sha256 for file in files]
    others = delivery.feed.deliveries.exclude(pk=delivery.pk)
    candidates = others.filter(files__sha256__in=digests).distinct().prefetch_related("files")
    for candidate in candidates:
        if sorted(file.sha256 for file in candidate.files.all()) == sorted(digests):
            raise DeliveredBefore(
                f"The same bytes were delivered before: delivery {candidate.number}, received {candidate.received:%Y-%m-%d %H:%M}."
                " Nothing was taken in. Take them in again only if that is what you want.",
                delivery=candidate.pk,
                repeated=True,
            )


def _keep(delivery: Delivery, position: int, upload: File) -> SourceFile:
    name = str(upload.name or "file").replace("\\", "/").rsplit("/", 1)[-1][:255] or "file"
    file = SourceFile(
        delivery=delivery, position=position, name=name, size=upload.size or 0, companion=is_companion(name)
    )
    file.bytes.save(f"source/{uuid.uuid4().hex}", upload, save=False)
    file.sha256 = StoredFile.objects.values_list("sha256", flat=True).get(name=file.bytes.name)
    file.save()
    return file
