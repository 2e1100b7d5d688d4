"""Deliveries: the workspace, intake, the profile, records."""

from __future__ import annotations

from typing import Any

from django.http import FileResponse, HttpRequest
from ninja import File, Query, Router
from ninja.files import UploadedFile

from pravin_core.intake.formats.registry import READERS
from pravin_core.intake.settings import SettingsRequest
from pravin_core.profiling.model import ColumnProfile, Profile
from pravin_server.accounts.access import reader
from pravin_server.common import cache
from pravin_server.common.errors import NotFound
from pravin_server.common.models import Job
from pravin_server.common.schemas import PROBLEMS, Id, JobOut, Slug, Started
from pravin_server.deliveries import queries
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.deliveries.models import Source
from pravin_server.deliveries.rejected import rejected_page, write_rejected
from pravin_server.deliveries.schemas import (
    ChoiceOfColumn,
    ChoicesIn,
    DesignOut,
    FileOut,
    FormatOut,
    MaybeJob,
    PreviewOut,
    RejectedPage,
    RepairIn,
    SettingsIn,
    SourceOut,
    TotalsIn,
    TotalsOut,
    TriedOut,
)
from pravin_server.deliveries.services import intake_decisions, reading, receiving, type_overrides
from pravin_server.feeds import masking
from pravin_server.feeds.lookups import feed_or_404

router = Router(tags=["deliveries"], auth=reader)


def _source(delivery_id: int, source_id: int) -> Source:
    filter_ = Source.objects.select_related("delivery__feed", "file").filter(pk=source_id, delivery_id=delivery_id)
    source = filter_.first()
    if source is None:
        raise NotFound(f"The delivery has no source {source_id}.")
    return source


@router.get("/formats", response={200: list[FormatOut], **PROBLEMS})
def formats(request: HttpRequest) -> Any:
    """The formats that are read, in the order in which a file is tried, each with its import settings."""
    return [
        {
            "format": each_reader.format,
            "label": each_reader.label,
            "about": each_reader.about(),
            "first": each_reader.first,
            "more": each_reader.more,
        }
        for each_reader in READERS
    ]


@router.post("/feeds/{slug}/deliveries", response={201: Started, **PROBLEMS})
def receive(request: HttpRequest, slug: str = Slug, again: bool = False, files: list[UploadedFile] = File(...)) -> Any:
    """Take a delivery in: one or several files. The answer's id is the delivery's.

    Bytes that were delivered before are refused (409) unless they are wanted `again`.
    """
    delivery, job = receiving.receive(request.user, feed_or_404(slug), files, again)
    return 201, {"id": delivery.pk, "job": job}


@router.get("/deliveries/{delivery_id}/files", response={200: list[FileOut], **PROBLEMS})
def files(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The files as they were sent."""
    return list(delivery_or_404(delivery_id).files.all())


@router.get("/deliveries/{delivery_id}/files/{file_id}/bytes", response={200: None, **PROBLEMS})
def file_bytes(request: HttpRequest, delivery_id: int = Id, file_id: int = Id) -> Any:
    """A file as it was sent, byte for byte."""
    file = delivery_or_404(delivery_id).files.filter(pk=file_id).first()
    if file is None:
        raise NotFound(f"The delivery has no file {file_id}.")
    return FileResponse(file.bytes.open("rb"), as_attachment=True, filename=file.name)


@router.put("/deliveries/{delivery_id}/files/{file_id}/companion", response={200: JobOut, **PROBLEMS})
def treat_file(request: HttpRequest, companion: bool, delivery_id: int = Id, file_id: int = Id) -> Any:
    """Say whether a file holds control totals or records; the delivery is read again."""
    return intake_decisions.treat_file(request.user, delivery_or_404(delivery_id), file_id, companion)


@router.get("/deliveries/{delivery_id}/sources", response={200: list[SourceOut], **PROBLEMS})
def sources(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The sources: tables to read, one or several in a file."""
    return list(delivery_or_404(delivery_id).sources.select_related("file"))


@router.post("/deliveries/{delivery_id}/sources/{source_id}/preview", response={200: PreviewOut, **PROBLEMS})
def look(request: HttpRequest, body: SettingsRequest, delivery_id: int = Id, source_id: int = Id) -> Any:
    """What the beginning of a source becomes under some settings; changes nothing."""
    return cache.even_if_deleted(lambda: queries.preview_of(_source(delivery_id, source_id), body))


@router.put("/deliveries/{delivery_id}/sources/{source_id}/settings", response={200: JobOut, **PROBLEMS})
def change_settings(request: HttpRequest, body: SettingsIn, delivery_id: int = Id, source_id: int = Id) -> Any:
    """Choose import settings and read the delivery again under them; the feed remembers them."""
    source = _source(delivery_id, source_id)
    return intake_decisions.change_settings(request.user, source, body.request, body.left_out)


@router.get("/deliveries/{delivery_id}/design", response={200: DesignOut, **PROBLEMS})
def design(request: HttpRequest, delivery_id: int = Id) -> Any:
    """How the sources become one table, and the design changes."""
    delivery = delivery_or_404(delivery_id)
    return queries.design(delivery, masking.hidden_columns(request.user, delivery.feed))


@router.post("/deliveries/{delivery_id}/design", response={200: MaybeJob, **PROBLEMS})
def settle_design(request: HttpRequest, body: ChoicesIn, delivery_id: int = Id) -> Any:
    """Settle design changes, one or many; the delivery is read again when its columns change."""
    choices = [choice.model_dump() for choice in body.choices]
    return {"job": intake_decisions.settle_changes(request.user, delivery_or_404(delivery_id), choices)}


@router.get("/deliveries/{delivery_id}/totals", response={200: TotalsOut, **PROBLEMS})
def totals(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The control totals, compared with what was loaded."""
    delivery = delivery_or_404(delivery_id)
    return {"totals": delivery.totals or [], "compared": delivery.compared}


@router.put("/deliveries/{delivery_id}/totals", response={200: JobOut, **PROBLEMS})
def type_totals(request: HttpRequest, body: TotalsIn, delivery_id: int = Id) -> Any:
    """Type control totals in; they are compared as the delivery is read again."""
    return intake_decisions.type_totals(request.user, delivery_or_404(delivery_id), body.totals)


@router.post("/deliveries/{delivery_id}/sources/{source_id}/repairs/try", response={200: TriedOut, **PROBLEMS})
def try_repair(request: HttpRequest, body: RepairIn, delivery_id: int = Id, source_id: int = Id) -> Any:
    """What a repaired line reads as; changes nothing."""
    source = _source(delivery_id, source_id)
    cells, reason = intake_decisions.try_repair(source, body.text)
    return {"columns": source.settings["names"], "cells": cells, "reason": reason}


@router.post("/deliveries/{delivery_id}/sources/{source_id}/repairs", response={200: JobOut, **PROBLEMS})
def repair(request: HttpRequest, body: RepairIn, delivery_id: int = Id, source_id: int = Id) -> Any:
    """Repair a rejected line; it joins the records as the delivery is read again."""
    return intake_decisions.repair(request.user, _source(delivery_id, source_id), body.line, body.lines, body.text)


@router.delete("/deliveries/{delivery_id}/sources/{source_id}/repairs/{line}", response={200: JobOut, **PROBLEMS})
def take_repair_back(request: HttpRequest, delivery_id: int = Id, source_id: int = Id, line: int = Id) -> Any:
    """A repaired line is rejected again."""
    return intake_decisions.take_repair_back(request.user, _source(delivery_id, source_id), line)


@router.get("/deliveries/{delivery_id}/profile", response={200: Profile, **PROBLEMS})
def profile(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The profile without its findings; those come with what was decided about them. While the delivery is read: what
    is measured so far."""
    delivery = delivery_or_404(delivery_id)
    return queries.profile(delivery, masking.hidden_columns(request.user, delivery.feed))


@router.put("/deliveries/{delivery_id}/profile/column", response={200: ColumnProfile, **PROBLEMS})
def choose_column(request: HttpRequest, body: ChoiceOfColumn, delivery_id: int = Id) -> Any:
    """Say what a column is; the feed remembers it, and its profile is measured anew."""
    return type_overrides.choose(request.user, delivery_or_404(delivery_id), body.name, body.type, body.role)


@router.get("/deliveries/{delivery_id}/rejected", response={200: RejectedPage, **PROBLEMS})
def rejected(
    request: HttpRequest,
    delivery_id: int = Id,
    offset: int = Query(0, ge=0, le=10**10),
    limit: int = Query(200, ge=1, le=500),
) -> Any:
    """The rejected lines."""
    delivery = delivery_or_404(delivery_id)
    return cache.even_if_deleted(lambda: rejected_page(delivery, offset, limit))


@router.get("/deliveries/{delivery_id}/rejected.csv", response={200: None, **PROBLEMS})
def rejected_file(request: HttpRequest, delivery_id: int = Id) -> Any:
    """All rejected lines as CSV."""
    delivery = delivery_or_404(delivery_id)
    with cache.scratch() as place:
        out = place / "rejected.csv"
        cache.even_if_deleted(lambda: write_rejected(delivery, out))
        return FileResponse(
            out.open("rb"), as_attachment=True, filename=f"{delivery.feed.slug}-{delivery.number}-rejected.csv"
        )


@router.post("/deliveries/{delivery_id}/read", response={200: Started, **PROBLEMS})
def read_again(request: HttpRequest, delivery_id: int = Id) -> Any:
    """Read a delivery again, e.g. after it could not be read."""
    delivery = delivery_or_404(delivery_id)
    job: Job = reading.read_again(request.user, delivery)
    return {"id": delivery.pk, "job": job}
