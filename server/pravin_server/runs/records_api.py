"""Records: as delivered, or as a trial or run left them."""

from __future__ import annotations

import json
from typing import Any, Literal

from django.http import FileResponse, HttpRequest
from ninja import Query, Router, Schema
from pydantic import BaseModel

from pravin_core.records.export import export_records
from pravin_core.records.filters import Filter, read_filter
from pravin_core.records.pages import Page, Stage, page_of
from pravin_core.releases.writers import Format
from pravin_server.accounts.access import reader
from pravin_server.common import cache
from pravin_server.common.errors import Invalid, NotFound
from pravin_server.common.schemas import PROBLEMS, Id
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds import masking
from pravin_server.runs import orders, tables_after
from pravin_server.runs.models import Run
from pravin_server.runs.results import stage_of

router = Router(tags=["runs"], auth=reader)
MOST_FILTERS = 50


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


@router.get("/deliveries/{delivery_id}/records", response={200: RecordsOut, **PROBLEMS})
def records(
    request: HttpRequest,
    delivery_id: int = Id,
    run: int | None = Query(None, ge=1, le=2**62, description="as this run left them; without it as delivered"),
    table: int | None = Query(None, ge=1, le=2**62, description="the table as rules left it, instead of run"),
    where: str = Query("[]", max_length=20_000, description="a JSON list of filters, all of which must hold"),
    sort: str | None = Query(None, max_length=2000),
    direction: Literal["up", "down"] = "up",
    offset: int = Query(0, ge=0, le=10**10),
    limit: int = Query(200, ge=1, le=500),
) -> Any:
    """A page of records."""
    delivery = delivery_or_404(delivery_id)
    filters, asked_run = filters_of(where), _run(delivery, run)
    hidden = masking.hidden_columns(request.user, delivery.feed)
    masking.refuse_named(hidden, filters, sort)

    def read() -> tuple[Stage, Page]:
        stage = _stage(delivery, asked_run, table)
        numbers = orders.numbers_of(stage, filters, sort, direction == "down")
        return stage, page_of(stage, numbers[offset : offset + limit], len(numbers), cache.spills(), cache.limits())

    stage, page = cache.even_if_deleted(read)
    names = [file.name for file in stage.snapshot.files]
    columns = [{"name": name, "type": kind} for name, kind in page.columns]
    own = [name for name, _ in page.columns]
    rows = [masking.masked_row(row, own, hidden) for row in page.rows]
    return {"total": page.total, "columns": columns, "files": names, "rows": rows}


@router.get("/deliveries/{delivery_id}/records/file", response={200: None, **PROBLEMS})
def records_file(
    request: HttpRequest,
    delivery_id: int = Id,
    run: int | None = Query(None, ge=1, le=2**62),
    table: int | None = Query(None, ge=1, le=2**62),
    where: str = Query("[]", max_length=20_000),
    sort: str | None = Query(None, max_length=2000),
    direction: Literal["up", "down"] = "up",
    form: Format = "csv",
) -> Any:
    """All records behind filters as a file, in the order they are shown."""
    delivery = delivery_or_404(delivery_id)
    filters, asked_run = filters_of(where), _run(delivery, run)
    with cache.scratch() as place:
        out = place / f"records.{form}"

        def made() -> None:
            export_records(
                _stage(delivery, asked_run, table), filters, out, form, sort, direction == "down", cache.limits()
            )

        cache.even_if_deleted(made)
        name = f"{delivery.feed.slug}-{delivery.number}-records.{form}"
        return FileResponse(out.open("rb"), as_attachment=True, filename=name)


def _run(delivery: Delivery, run: int | None) -> Run | None:
    """The finished run that is asked for, if one is. Raises NotFound."""
    if run is None:
        return None
    done = Run.objects.select_related("revision", "delivery").filter(pk=run, delivery=delivery, state="done").first()
    if done is None:
        raise NotFound(f"The delivery has no finished run {run}.")
    return done


def _stage(delivery: Delivery, run: Run | None, table: int | None) -> Stage:
    """The records as a run left them, as rules did, or as delivered."""
    return stage_of(run) if run else Stage(tables_after.snapshot_at(delivery, table))


def filters_of(said: str) -> list[Filter]:
    """Filters from the JSON of an address. Raises Invalid, or pydantic's ValidationError where one cannot be asked."""
    try:
        content = json.loads(said)
    except (ValueError, RecursionError):
        raise Invalid("The filters are not JSON.") from None
    if not isinstance(content, list) or len(content) > MOST_FILTERS:
        raise Invalid(f"Filters are a list of at most {MOST_FILTERS}.")
    return [read_filter(filter_) for filter_ in content]
