"""Parts for modelling: how a released table is divided, what the parts hold, and the parts as files."""

from __future__ import annotations

import datetime as dt
from typing import Any, Literal

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema
from pydantic import ValidationError

from pravin_core.releases.modelling import Division, PartShare, Report
from pravin_server.accounts.access import reader
from pravin_server.common.errors import Invalid, NotFound
from pravin_server.common.files import file_response
from pravin_server.common.schemas import PROBLEMS, Id, Slug
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.releases import modelling
from pravin_server.releases.models import TableDivision

router = Router(tags=["releases"], auth=reader)


class DivisionIn(Schema):
    """How to divide: see Division."""

    shares: list[PartShare] = Field(min_length=2, max_length=10)
    seed: str = Field("", max_length=100)
    way: Literal["records", "groups", "time"] = "records"
    column: str = Field("", max_length=2000)
    stratum: str = Field("", max_length=2000)
    watched: list[str] = Field([], max_length=100)
    left_out: dict[str, str] = Field({}, max_length=5000)


class DivisionOut(DivisionIn):
    """A division: its number in the feed, since when, by whom. `moments`: the times at which each further part begins."""

    id: int
    number: int
    key: list[str]
    moments: list[str]
    who: str
    at: dt.datetime


class ColumnToDivide(Schema):
    name: str
    type: str


class DivisionsOut(Schema):
    """The divisions of a feed, newest first, and the columns of what is released now (empty: nothing is)."""

    key: list[str]
    columns: list[ColumnToDivide]
    divisions: list[DivisionOut]


class ReportOut(Report):
    """How what is released now is divided; `release`: the number of its newest release."""

    release: int


def _out(division: TableDivision) -> dict[str, Any]:
    who = division.by.shown if division.by else ""
    return {**division.content, "id": division.pk, "number": division.number, "who": who, "at": division.at}


def _division(division_id: int) -> TableDivision:
    found = TableDivision.objects.select_related("feed", "by").filter(pk=division_id, ended=None).first()
    if found is None:
        raise NotFound(f"There is no division {division_id}.")
    return found


@router.get("/feeds/{slug}/divisions", response={200: DivisionsOut, **PROBLEMS})
def divisions(request: HttpRequest, slug: str = Slug) -> Any:
    """The divisions of a feed's released table, and what can divide it."""
    feed = feed_or_404(slug)
    columns = modelling.columns_to_divide(feed)
    return {
        "key": feed.key,
        "columns": [{"name": name, "type": kind} for name, kind in columns],
        "divisions": [_out(each) for each in feed.divisions.filter(ended=None).select_related("by")],
    }


@router.post("/feeds/{slug}/divisions", response={201: DivisionOut, **PROBLEMS})
def divide(request: HttpRequest, body: DivisionIn, slug: str = Slug) -> Any:
    """Divide the released table of a feed into parts for modelling."""
    feed = feed_or_404(slug)
    try:
        division = Division(**{**body.model_dump(), "key": tuple(feed.key) if body.way == "records" else ()})
    except ValidationError as error:
        raise Invalid(_sentence(error)) from None
    return 201, _out(modelling.divide(request.user, feed, division))


@router.delete("/divisions/{division_id}", response={204: None, **PROBLEMS})
def end(request: HttpRequest, division_id: int = Id) -> Any:
    """End a division: it is not offered any more."""
    modelling.end(request.user, _division(division_id))
    return 204, None


@router.get("/divisions/{division_id}/report", response={200: ReportOut, **PROBLEMS})
def report(request: HttpRequest, division_id: int = Id) -> Any:
    """What the parts of what is released now hold, and what lies in several of them."""
    told, release = modelling.report_of(_division(division_id))
    return {**told.model_dump(), "release": release}


@router.get("/divisions/{division_id}/data", response={200: None, **PROBLEMS})
def data(
    request: HttpRequest,
    division_id: int = Id,
    part: str = Query(
        "", max_length=20, description="the part; without it all records, with their part as the last column"
    ),
    form: Literal["csv", "tsv", "jsonl", "parquet"] = "parquet",
    defused: bool = Query(True, description="put ' before texts that a spreadsheet would run (CSV and TSV)"),
) -> Any:
    """A part of what is released now as a file."""
    division = _division(division_id)
    place = modelling.file_of_part(division, part, form, defused)
    name = f"{division.feed.slug}-division-{division.number}-{part or 'parts'}.{form}"
    return file_response(request, place, name)


def _sentence(error: ValidationError) -> str:
    said = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
    return f"{said[:1].upper()}{said[1:]}."
