"""Deliveries: the workspace, intake, the profile, records."""

from __future__ import annotations

import json
from typing import Any, Literal

from django.http import HttpRequest
from ninja import Path, Query, Router, Schema

from pravin_core.errors import PravinError
from pravin_core.intake.preview import preview
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.intake.snapshot import settle
from pravin_core.profiling.model import Profile
from pravin_core.records.filters import Filter
from pravin_core.records.pages import Page, Stage, read_page
from pravin_server.common import cache
from pravin_server.common.access import reader
from pravin_server.common.errors import Invalid, NotFound
from pravin_server.common.models import Job
from pravin_server.common.schemas import PROBLEMS, JobOut, RunOut, Started
from pravin_server.deliveries import queries, services, snapshots
from pravin_server.deliveries.models import Delivery, SourceFile
from pravin_server.deliveries.rejected import rejected_page
from pravin_server.feeds.api import DeliverySummary
from pravin_server.runs.models import Run
from pravin_server.runs.results import stage_of

router = Router(tags=["deliveries"], auth=reader)
Id = Path(..., ge=1, le=2**62)


class WorkspaceOut(DeliverySummary):
    """The frame of a delivery."""

    error: dict[str, Any] | None
    columns: list[str]
    records: int
    balance_of: str
    run: RunOut | None
    trial: RunOut | None
    speaking: int | None
    revision: int
    rules: int
    quarantined: int
    decided: int
    gates_open: int | None
    job: JobOut | None
    last_job: JobOut | None


class FileOut(Schema):
    """A source file with its settings and where its lines went."""

    id: int
    name: str
    size: int
    sha256: str
    request: SettingsRequest
    settings: FileSettings | None
    evidence: dict[str, str]
    notes: list[str]
    rivals: dict[str, list[str]]
    counts: dict[str, Any] | None

    @staticmethod
    def resolve_settings(file: SourceFile) -> dict[str, Any] | None:
        """None before the file was looked at."""
        return file.settings or None


class LineOut(Schema):
    line: int
    text: str
    fate: str
    reason: str


class FirstRecord(Schema):
    line: int
    cells: list[str]


class PreviewOut(Schema):
    """The beginning of a file and what it becomes. `error` instead, when it cannot be read so."""

    settings: FileSettings | None
    evidence: dict[str, str]
    notes: list[str]
    lines: list[LineOut]
    records: list[FirstRecord]
    whole: bool
    error: str


class ColumnOut(Schema):
    name: str
    type: str


class RecordOut(Schema):
    record: int
    file: int
    line: int
    state: str
    reasons: list[dict[str, Any]] | None
    cells: list[str | None]
    originals: list[str | None] | None = None


class RecordsOut(Schema):
    """A page of records. Originals only where they differ."""

    total: int
    columns: list[ColumnOut]
    files: list[str]
    rows: list[RecordOut]


class RejectedOut(Schema):
    file: str
    line: int
    text: str
    reason: str


class RejectedPage(Schema):
    total: int
    lines: list[RejectedOut]


def delivery_or_404(delivery_id: int) -> Delivery:
    found = Delivery.objects.select_related("feed").filter(pk=delivery_id).first()
    if found is None:
        raise NotFound(f"There is no delivery {delivery_id}.")
    return found


def _file(delivery_id: int, file_id: int) -> SourceFile:
    found = SourceFile.objects.select_related("delivery__feed").filter(pk=file_id, delivery_id=delivery_id).first()
    if found is None:
        raise NotFound(f"The delivery has no file {file_id}.")
    return found


@router.get("/deliveries/{delivery_id}", response={200: WorkspaceOut, **PROBLEMS})
def workspace(request: HttpRequest, delivery_id: int = Id) -> Any:
    """A delivery as its frame shows it."""
    return queries.workspace(delivery_or_404(delivery_id))


@router.get("/deliveries/{delivery_id}/files", response={200: list[FileOut], **PROBLEMS})
def files(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The source files."""
    return list(delivery_or_404(delivery_id).files.all())


@router.post("/deliveries/{delivery_id}/files/{file_id}/preview", response={200: PreviewOut, **PROBLEMS})
def look(request: HttpRequest, body: SettingsRequest, delivery_id: int = Id, file_id: int = Id) -> Any:
    """What the beginning of a file becomes under some settings; changes nothing."""
    file = _file(delivery_id, file_id)
    path = snapshots.local_copy(file)
    known = file.delivery.feed.columns or _names_beside(file)
    empty: dict[str, Any] = {"lines": [], "records": [], "whole": True, "evidence": {}, "notes": [], "settings": None}
    try:
        found = settle(path, file.name, body, known)
        shown = preview(path, found.settings)
    except PravinError as error:
        return {**empty, "error": str(error)}
    lines = [dict(zip(("line", "text", "fate", "reason"), line, strict=True)) for line in shown.lines]
    return {
        "settings": found.settings, "evidence": found.evidence, "notes": list(found.notes), "lines": lines,
        "records": [{"line": line, "cells": cells} for line, cells in shown.records], "whole": shown.whole, "error": "",
    }  # fmt: skip


def _names_beside(file: SourceFile) -> list[str]:
    for other in file.delivery.files.exclude(pk=file.pk):
        if other.settings and other.settings["header"]:
            return list(other.settings["names"])
    return []


@router.put("/deliveries/{delivery_id}/files/{file_id}/settings", response={200: JobOut, **PROBLEMS})
def change_settings(request: HttpRequest, body: SettingsRequest, delivery_id: int = Id, file_id: int = Id) -> Any:
    """Choose import settings and read the delivery again under them."""
    return services.change_settings(request.user, _file(delivery_id, file_id), body)


@router.get("/deliveries/{delivery_id}/profile", response={200: Profile, **PROBLEMS})
def profile(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The profile."""
    delivery = delivery_or_404(delivery_id)
    found = getattr(delivery, "profile", None)
    if found is None:
        raise NotFound("The delivery is not profiled yet.")
    return found.content


@router.get("/deliveries/{delivery_id}/records", response={200: RecordsOut, **PROBLEMS})
def records(
    request: HttpRequest,
    delivery_id: int = Id,
    run: int | None = Query(None, ge=1, le=2**62, description="as this run left them; without it as delivered"),
    where: str = Query("[]", max_length=20_000, description="a JSON list of filters, all of which must hold"),
    sort: str | None = Query(None, max_length=2000),
    direction: Literal["up", "down"] = "up",
    offset: int = Query(0, ge=0, le=10**10),
    limit: int = Query(200, ge=1, le=500),
) -> Any:
    """A page of records."""
    delivery = delivery_or_404(delivery_id)
    filters = _filters(where)
    found = None
    if run is not None:
        done = Run.objects.select_related("revision", "delivery").filter(pk=run, delivery=delivery, state="done")
        found = done.first()
        if found is None:
            raise NotFound(f"The delivery has no finished run {run}.")

    def read() -> tuple[Stage, Page]:
        stage = stage_of(found) if found else Stage(snapshots.snapshot_of(delivery))
        with cache.scratch() as scratch:
            down = direction == "down"
            return stage, read_page(stage, filters, sort, down, offset, limit, scratch, cache.limits())

    stage, page = cache.even_if_deleted(read)
    names = [file.name for file in stage.snapshot.files]
    columns = [{"name": name, "type": kind} for name, kind in page.columns]
    return {"total": page.total, "columns": columns, "files": names, "rows": page.rows}


def _filters(said: str) -> list[Filter]:
    try:
        wanted = [Filter.model_validate(one) for one in json.loads(said)]
        for one in wanted:
            if one.on in ("rule", "record"):
                int(one.value)
            if one.test in ("above", "below") and one.value[4:5] != "-":
                float(one.value)
    except (ValueError, TypeError) as error:
        raise Invalid(f"The filter cannot be read: {error}") from error
    return wanted


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


@router.post("/deliveries/{delivery_id}/read", response={200: Started, **PROBLEMS})
def read_again(request: HttpRequest, delivery_id: int = Id) -> Any:
    """Read a delivery again, e.g. after it could not be read."""
    delivery = delivery_or_404(delivery_id)
    job: Job = services.read_again(request.user, delivery)
    return {"id": delivery.pk, "job": job}
