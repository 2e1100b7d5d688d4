"""Take deliveries in: keep the bytes, settle the settings, read, profile."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, settle
from pravin_core.profiling.profiler import profile_snapshot
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Invalid
from pravin_server.common.jobs import Progress, ask
from pravin_server.common.models import Job
from pravin_server.deliveries import snapshots
from pravin_server.deliveries.models import Delivery, DeliveryProfile, SourceFile
from pravin_server.feeds.models import Feed
from pravin_server.storage.models import StoredFile


@transaction.atomic
def receive(user: Any, feed: Feed, uploads: Sequence[UploadedFile]) -> tuple[Delivery, Job]:
    """Keep the files of a delivery byte for byte and ask for it to be read."""
    person = may_work(user, "take a delivery in")
    if not uploads:
        raise Invalid("A delivery needs at least one file.", field="files")
    if len(uploads) > 200:
        raise Invalid("A delivery can have at most 200 files.", field="files")
    for upload in uploads:
        if (upload.size or 0) > settings.UPLOAD_LIMIT:
            raise Invalid(f"{upload.name} is larger than {settings.UPLOAD_LIMIT:,} bytes.", field="files")
    locked = Feed.objects.select_for_update().get(pk=feed.pk)
    last = locked.deliveries.aggregate(last=Max("number"))["last"] or 0
    delivery = Delivery.objects.create(feed=feed, number=last + 1, received=timezone.now(), received_by=person)
    for position, upload in enumerate(uploads):
        _keep(delivery, position, upload)
    names = ", ".join(str(upload.name) for upload in uploads)
    note(person, f"took in delivery {delivery.number} of {feed.name}", feed.slug, delivery.pk, files=names)
    return delivery, ask("read", delivery.pk, delivery, person, lock=f"delivery-{delivery.pk}")


def _keep(delivery: Delivery, position: int, upload: UploadedFile) -> None:
    file = SourceFile(delivery=delivery, position=position, name=str(upload.name)[:255], size=upload.size or 0)
    file.bytes.save(f"source/{uuid.uuid4().hex}", upload, save=False)
    file.sha256 = StoredFile.objects.values_list("sha256", flat=True).get(name=file.bytes.name)
    file.save()


@transaction.atomic
def change_settings(user: Any, file: SourceFile, request: SettingsRequest) -> Job:
    """Choose import settings for a file and ask for the delivery to be read again under them."""
    person = may_work(user, "change import settings")
    delivery = Delivery.objects.select_for_update().get(pk=file.delivery_id)
    if delivery.releases.filter(state__in=["publishing", "published"]).exists():
        raise Invalid("This delivery is released; its import settings cannot change any more.")
    file.request = request.model_dump(exclude_none=True)
    file.save(update_fields=["request"])
    delivery.state, delivery.error = Delivery.State.READING, None
    delivery.save(update_fields=["state", "error"])
    note(person, f"changed import settings of {file.name}", delivery.feed.slug, delivery.pk, settings=file.request)
    return ask("read", delivery.pk, delivery, person, lock=f"delivery-{delivery.pk}")


def read_delivery(delivery_id: int, progress: Progress) -> None:
    """Read and profile a delivery: settings settled, snapshot made, counts and profile kept together."""
    delivery = Delivery.objects.select_related("feed").get(pk=delivery_id)
    files = list(delivery.files.all())
    progress("looking at the files", 0.02)
    _settle(files, delivery.feed.columns)
    progress("reading records", 0.1)
    key = snapshots.key_of(delivery)
    snapshot = snapshots.make(files, key)
    with cache.scratch() as scratch:
        now = delivery.received.replace(tzinfo=None)
        profile = profile_snapshot(
            snapshot,
            scratch,
            now,
            cache.limits(),
            lambda done, of: progress(f"profiling column {done + 1:,} of {of:,}", 0.3 + 0.7 * done / max(1, of)),
        )
    with transaction.atomic():
        locked = Delivery.objects.select_for_update().get(pk=delivery_id)
        _keep_counts(locked, files, snapshot, key)
        content = profile.model_dump(mode="json")
        DeliveryProfile.objects.update_or_create(delivery=locked, defaults={"snapshot_key": key, "content": content})


def _settle(files: list[SourceFile], agreed: Sequence[str]) -> None:
    """Settle each file; one without header takes the feed's columns, or those of a file beside it."""
    known: Sequence[str] = agreed
    headless: list[SourceFile] = []
    for file in files:
        _settle_one(file, known)
        if not file.settings["header"] and not file.request.get("names"):
            headless.append(file)
        elif not known:
            known = file.settings["names"]
    for file in headless:
        _settle_one(file, known)


def _settle_one(file: SourceFile, known: Sequence[str]) -> None:
    found = settle(snapshots.local_copy(file), file.name, SettingsRequest(**file.request), known)
    file.settings = found.settings.model_dump(mode="json")
    file.evidence, file.notes = found.evidence, list(found.notes)
    file.rivals = {name: list(others) for name, others in found.rivals.items()}
    file.save(update_fields=["settings", "evidence", "notes", "rivals"])


def _keep_counts(delivery: Delivery, files: list[SourceFile], snapshot: Snapshot, key: str) -> None:
    for file, counts in zip(files, snapshot.files, strict=True):
        file.counts = asdict(counts)
        file.save(update_fields=["counts"])
    delivery.snapshot_key, delivery.columns = key, list(snapshot.columns)
    delivery.records, delivery.rejected = snapshot.records, snapshot.rejected
    delivery.state, delivery.error = Delivery.State.READ, None
    delivery.save()


def reading_ended(delivery_id: int, state: str, error: dict[str, Any] | None) -> None:
    """A delivery that could not be read says why; its bytes stay."""
    said = error or {"title": "Reading was cancelled", "detail": "Choose Read again in Intake."}
    Delivery.objects.filter(pk=delivery_id).update(state=Delivery.State.FAILED, error=said)


@transaction.atomic
def read_again(user: Any, delivery: Delivery) -> Job:
    """Ask for a delivery to be read again under its settings."""
    person = may_work(user, "read a delivery again")
    delivery.state, delivery.error = Delivery.State.READING, None
    delivery.save(update_fields=["state", "error"])
    return ask("read", delivery.pk, delivery, person, lock=f"delivery-{delivery.pk}")
