"""Deliveries: the workspace, intake, the profile, records."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Any, Literal

from django.http import FileResponse, HttpRequest
from ninja import Field, Path, Query, Router, Schema
from pydantic import BaseModel

from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.intake.snapshot import FileCounts
from pravin_core.intake.totals import Compared, ControlTotals
from pravin_core.profiling.model import ColumnProfile, Profile
from pravin_core.records.filters import Filter
from pravin_core.records.pages import Page, Stage, page_of
from pravin_core.tables.types import DataType, Role
from pravin_server.common import cache
from pravin_server.common.access import reader
from pravin_server.common.errors import Invalid, NotFound
from pravin_server.common.models import Job
from pravin_server.common.schemas import PROBLEMS, JobOut, RunOut, Started
from pravin_server.deliveries import orders, queries, snapshots
from pravin_server.deliveries.models import Delivery, Source
from pravin_server.deliveries.rejected import rejected_page, write_rejected
from pravin_server.deliveries.services import choosing, reading, settling
from pravin_server.feeds.api import DeliverySummary
from pravin_server.runs.models import Run
from pravin_server.runs.results import stage_of

router = Router(tags=["deliveries"], auth=reader)
MOST_FILTERS = 50
Id = Path(..., ge=1, le=2**62)


class WorkspaceOut(DeliverySummary):
    """The frame of a delivery."""

    error: dict[str, Any] | None
    arrived: str
    changes_open: int
    totals_wrong: int
    columns: list[str]
    records: int
    balance_of: str
    run: RunOut | None
    trial: RunOut | None
    speaking: int | None
    revision: int
    rules: int
    findings: int
    quarantined: int
    decided: int
    gates_open: int | None
    job: JobOut | None
    last_job: JobOut | None


class FileOut(Schema):
    """A file of the delivery as it was sent. `companion`: it holds control totals."""

    id: int
    name: str
    size: int
    sha256: str
    companion: bool


class DoubtOut(Schema):
    """A line that reads differently under the values of a setting (`about`) that come into question."""

    line: int
    about: str = "encoding"
    readings: dict[str, str]


class SourceOut(Schema):
    """A table of the delivery with its settings and where its lines went."""

    id: int
    name: str
    table: str
    file: FileOut
    left_out: bool
    request: SettingsRequest
    settings: FileSettings | None
    evidence: dict[str, str]
    notes: list[str]
    rivals: dict[str, list[str]]
    doubts: list[DoubtOut]
    counts: FileCounts | None

    @staticmethod
    def resolve_settings(source: Source) -> dict[str, Any] | None:
        """None before the source was looked at."""
        return source.settings or None


class LineOut(Schema):
    line: int
    text: str
    fate: str
    reason: str
    cells: list[str | None]


class FirstRecord(Schema):
    line: int
    cells: list[str | None]


class PreviewOut(Schema):
    """The beginning of a source and what it becomes. `error` instead, when it cannot be read so."""

    settings: FileSettings | None
    evidence: dict[str, str]
    notes: list[str]
    rivals: dict[str, list[str]]
    doubts: list[DoubtOut]
    view: str
    unit: str
    lines: list[LineOut]
    records: list[FirstRecord]
    whole: bool
    error: str


class SettingsIn(Schema):
    """Import settings of a source, or that it is left out."""

    request: SettingsRequest
    left_out: bool = False


class ChangeOut(Schema):
    """A design change. `choice` is empty while it is not settled."""

    id: int
    source: int | None
    source_name: str
    kind: str
    name: str
    column: str
    evidence: str
    choices: list[str]
    choice: str
    target: str


class SourceColumns(Schema):
    """Which delivered column of a source fills which of the table; None is left out."""

    id: int
    name: str
    records: int
    left_out: bool
    names: list[str]
    columns: list[str | None]
    facts: dict[str, str]
    source_column: str
    examples: list[str]


class DesignOut(Schema):
    """How the sources become one table."""

    agreed: list[str]
    columns: list[str]
    sources: list[SourceColumns]
    changes: list[ChangeOut]
    open: int


class ChoiceIn(Schema):
    change: int
    choice: str = Field(max_length=40)
    target: str = Field("", max_length=1000)


class ChoicesIn(Schema):
    choices: list[ChoiceIn] = Field(min_length=1, max_length=5000)


class MaybeJob(Schema):
    job: JobOut | None


class TotalsOut(Schema):
    """The control totals and what the comparison found; none when none came."""

    totals: list[ControlTotals]
    compared: list[Compared]


class TotalsIn(Schema):
    """Typed in; None goes back to those that came with the delivery."""

    totals: ControlTotals | None


class RepairIn(Schema):
    line: int = Field(ge=1, le=2**62)
    lines: int = Field(1, ge=1, le=1000)
    text: str = Field(max_length=2**20)


class TriedOut(Schema):
    """What a mended text reads as; `reason` says why it is still no record."""

    columns: list[str]
    cells: list[str | None]
    reason: str


class RepairOut(Schema):
    source: int
    file: str
    line: int
    lines: int
    text: str
    original: str
    who: str
    at: datetime


class ChoiceOfColumn(Schema):
    """A column with the type and role that a person chose; None as proposed."""

    name: str = Field(max_length=2000)
    type: DataType | None = None
    role: Role | None = None


class ColumnOut(Schema):
    name: str
    type: str


class RecordOut(BaseModel):  # a row of hundreds: the plain model reads dictionaries several times faster
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
    source: int
    file: str
    line: int
    text: str
    reason: str


class RejectedPage(Schema):
    total: int
    lines: list[RejectedOut]
    repairs: list[RepairOut]


def delivery_or_404(delivery_id: int) -> Delivery:
    found = Delivery.objects.select_related("feed").filter(pk=delivery_id).first()
    if found is None:
        raise NotFound(f"There is no delivery {delivery_id}.")
    return found


def _source(delivery_id: int, source_id: int) -> Source:
    found = Source.objects.select_related("delivery__feed", "file").filter(pk=source_id, delivery_id=delivery_id)
    source = found.first()
    if source is None:
        raise NotFound(f"The delivery has no source {source_id}.")
    return source


@router.get("/deliveries/{delivery_id}", response={200: WorkspaceOut, **PROBLEMS})
def workspace(request: HttpRequest, delivery_id: int = Id) -> Any:
    """A delivery as its frame shows it."""
    return queries.workspace(delivery_or_404(delivery_id))


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
    return settling.treat_file(request.user, delivery_or_404(delivery_id), file_id, companion)


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
    return settling.change_settings(request.user, source, body.request, body.left_out)


@router.get("/deliveries/{delivery_id}/design", response={200: DesignOut, **PROBLEMS})
def design(request: HttpRequest, delivery_id: int = Id) -> Any:
    """How the sources become one table, and the design changes."""
    return queries.design(delivery_or_404(delivery_id))


@router.post("/deliveries/{delivery_id}/design", response={200: MaybeJob, **PROBLEMS})
def settle_design(request: HttpRequest, body: ChoicesIn, delivery_id: int = Id) -> Any:
    """Settle design changes, one or many; the delivery is read again when its columns change."""
    choices = [one.model_dump() for one in body.choices]
    return {"job": settling.settle_changes(request.user, delivery_or_404(delivery_id), choices)}


@router.get("/deliveries/{delivery_id}/totals", response={200: TotalsOut, **PROBLEMS})
def totals(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The control totals, compared with what was loaded."""
    delivery = delivery_or_404(delivery_id)
    return {"totals": delivery.totals or [], "compared": delivery.compared}


@router.put("/deliveries/{delivery_id}/totals", response={200: JobOut, **PROBLEMS})
def type_totals(request: HttpRequest, body: TotalsIn, delivery_id: int = Id) -> Any:
    """Type control totals in; they are compared as the delivery is read again."""
    return settling.type_totals(request.user, delivery_or_404(delivery_id), body.totals)


@router.post("/deliveries/{delivery_id}/sources/{source_id}/repairs/try", response={200: TriedOut, **PROBLEMS})
def try_repair(request: HttpRequest, body: RepairIn, delivery_id: int = Id, source_id: int = Id) -> Any:
    """What a mended line reads as; changes nothing."""
    source = _source(delivery_id, source_id)
    cells, reason = settling.try_repair(source, body.text)
    return {"columns": source.settings["names"], "cells": cells, "reason": reason}


@router.post("/deliveries/{delivery_id}/sources/{source_id}/repairs", response={200: JobOut, **PROBLEMS})
def repair(request: HttpRequest, body: RepairIn, delivery_id: int = Id, source_id: int = Id) -> Any:
    """Mend a rejected line; it joins the records as the delivery is read again."""
    return settling.repair(request.user, _source(delivery_id, source_id), body.line, body.lines, body.text)


@router.delete("/deliveries/{delivery_id}/sources/{source_id}/repairs/{line}", response={200: JobOut, **PROBLEMS})
def take_repair_back(request: HttpRequest, delivery_id: int = Id, source_id: int = Id, line: int = Id) -> Any:
    """A mended line is rejected again."""
    return settling.take_repair_back(request.user, _source(delivery_id, source_id), line)


@router.get("/deliveries/{delivery_id}/profile", response={200: Profile, **PROBLEMS})
def profile(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The profile without its findings; those come with what was decided about them. While the delivery is read: what
    is measured so far."""
    return queries.profile(delivery_or_404(delivery_id))


@router.put("/deliveries/{delivery_id}/profile/column", response={200: ColumnProfile, **PROBLEMS})
def choose_column(request: HttpRequest, body: ChoiceOfColumn, delivery_id: int = Id) -> Any:
    """Say what a column is; the feed remembers it, and its profile is measured anew."""
    return choosing.choose(request.user, delivery_or_404(delivery_id), body.name, body.type, body.role)


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
        numbers = orders.numbers_of(stage, filters, sort, direction == "down")
        return stage, page_of(stage, numbers[offset : offset + limit], len(numbers), cache.spills(), cache.limits())

    stage, page = cache.even_if_deleted(read)
    names = [file.name for file in stage.snapshot.files]
    columns = [{"name": name, "type": kind} for name, kind in page.columns]
    return {"total": page.total, "columns": columns, "files": names, "rows": page.rows}


def _filters(said: str) -> list[Filter]:
    try:
        wanted = json.loads(said)
    except (ValueError, RecursionError):
        raise Invalid("The filters are no JSON.") from None
    if not isinstance(wanted, list) or len(wanted) > MOST_FILTERS:
        raise Invalid(f"Filters are a list of at most {MOST_FILTERS}.")
    return [Filter.model_validate(one) for one in wanted]


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
