"""Feeds."""

from __future__ import annotations

from typing import Any, Literal

from django.http import HttpRequest
from ninja import Field, Router, Schema

from pravin_core.intake import schema_files
from pravin_core.intake.design import AgreedColumn
from pravin_server.accounts.access import reader
from pravin_server.common.schemas import PROBLEMS, Slug
from pravin_server.feeds import masking, services
from pravin_server.feeds.lookups import feed_or_404

router = Router(tags=["feeds"], auth=reader)


class ColumnsIn(Schema):
    columns: list[AgreedColumn] = Field(min_length=1, max_length=20_000)


class SchemaIn(Schema):
    text: str = Field(max_length=4 * 2**20, description="the schema file")


@router.get("/feeds/{slug}/columns", response={200: list[AgreedColumn], **PROBLEMS})
def columns(request: HttpRequest, slug: str = Slug) -> Any:
    """The agreed columns: names, types, how their values are written."""
    feed = feed_or_404(slug)
    hidden = masking.hidden_columns(request.user, feed)
    return [{**column, "sketch": None} if column["name"] in hidden else column for column in feed.design]


@router.put("/feeds/{slug}/columns", response={200: list[AgreedColumn], **PROBLEMS})
def describe_columns(request: HttpRequest, body: ColumnsIn, slug: str = Slug) -> Any:
    """Say what columns are; those that are not named stay as they are."""
    return services.describe_columns(request.user, feed_or_404(slug), body.columns).design


@router.get("/feeds/{slug}/schema", response={200: dict[str, Any], **PROBLEMS})
def schema(request: HttpRequest, slug: str = Slug, standard: Literal["table-schema", "csvw"] = "table-schema") -> Any:
    """The columns as a schema file: Table Schema or CSV on the Web metadata."""
    feed = feed_or_404(slug)
    return schema_files.schema_file(
        [AgreedColumn.model_validate(column) for column in feed.design], standard, feed.slug
    )


@router.put("/feeds/{slug}/schema", response={200: list[AgreedColumn], **PROBLEMS})
def read_schema(request: HttpRequest, body: SchemaIn, slug: str = Slug) -> Any:
    """Describe the columns by a schema file of either standard."""
    file = schema_files.read_schema_file(body.text)
    return services.describe_columns(request.user, feed_or_404(slug), file).design
