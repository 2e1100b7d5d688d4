"""The library."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Field, File, Form, Router, Schema, UploadedFile

from pravin_core.rules.base import Part
from pravin_core.rules.resolving import SharedRules
from pravin_core.rules.rulebook import opened
from pravin_server.accounts.access import reader
from pravin_server.common.errors import NotFound
from pravin_server.common.schemas import PROBLEMS, Slug
from pravin_server.feeds import masking
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.feeds.models import Feed
from pravin_server.library import ports, services
from pravin_server.library.models import CodeList, Parameter, ReferenceTable, SharedGroup

router = Router(tags=["library"], auth=reader)


class CodeListOut(Schema):
    """A code list: its newest version, and the earlier ones in a line each."""

    name: str
    about: str
    version: int
    codes: list[list[str]]
    history: list[str]


class CodeListIn(Schema):
    """A changed code list; `based_on` is the version that was edited."""

    name: str = Field(min_length=1, max_length=200, pattern=r"\S")
    about: str = Field("", max_length=400)
    based_on: int = Field(0, ge=0, le=10**9)
    change: str = Field("edited", max_length=400)
    codes: list[list[str]] | None = Field(None, max_length=20_000)
    csv: str | None = Field(None, max_length=4_000_000, description="in place of codes: delimited text of two columns")


class ParameterOut(Schema):
    """A parameter; `values` are those of single feeds."""

    name: str
    type: str
    default: str
    values: dict[str, str]
    about: str


class ParameterIn(Schema):
    """A parameter to keep."""

    name: str = Field(min_length=1, max_length=60)
    type: Literal["text", "number", "date"] = "text"
    default: str = Field(max_length=400)
    values: dict[str, str] = Field(default={})
    about: str = Field("", max_length=400)


class SharedOut(Schema):
    """A group of shared rules with its sentences, and the feeds that it applies to."""

    id: int
    name: str
    feeds: str
    place: str
    rules: list[dict[str, Any]]
    sentences: list[list[Part]]
    applies_to: list[str]
    off: list[str]
    about: str


class SharedIn(Schema):
    """A group of shared rules to keep."""

    name: str = Field(min_length=1, max_length=200, pattern=r"\S")
    feeds: str = Field(min_length=1, max_length=400)
    place: Literal["first", "last"] = "first"
    rules: list[dict[str, Any]] = Field(max_length=500)
    off: list[str] = Field(default=[], max_length=2000)
    about: str = Field("", max_length=400)


class SwitchIn(Schema):
    """Whether shared rules apply to a feed."""

    on: bool


class ReferenceOut(Schema):
    """A reference table: where it comes from, its columns and records."""

    name: str
    about: str
    feed: str
    version: int
    file: str
    columns: list[str]
    records: int
    at: datetime | None


class LibraryOut(Schema):
    """All of the library."""

    code_lists: list[CodeListOut]
    parameters: list[ParameterOut]
    shared: list[SharedOut]
    references: list[ReferenceOut]


def _code_list(list_: CodeList) -> dict[str, Any]:
    versions = list(list_.versions.select_related("author")[:50])
    sentences = [
        f"{v.number}: {v.change}, {v.author.shown if v.author else 'somebody'}, {v.at:%Y-%m-%d}" for v in versions
    ]
    newest = versions[0] if versions else None
    return {
        "name": list_.name,
        "about": list_.about,
        "version": newest.number if newest else 0,
        "codes": newest.codes if newest else [],
        "history": sentences,
    }


def _shared(group: SharedGroup, tells_keys: bool = True) -> dict[str, Any]:
    rules = opened(group.rules).rules
    meant = SharedRules(group.name, group.feeds, ())
    applies = [slug for slug in Feed.objects.values_list("slug", flat=True) if meant.meant_for(slug)]
    return {
        "id": group.pk, "name": group.name, "feeds": group.feeds, "place": group.place,
        "rules": group.rules if tells_keys else [masking.without_key(rule) for rule in group.rules],
        "sentences": [rule.describe() for rule in rules], "applies_to": applies, "off": group.off, "about": group.about,
    }  # fmt: skip


def _reference(table: ReferenceTable) -> dict[str, Any]:
    version = table.versions.first()
    if table.feed:
        release = ports.released_table(table.feed)
        return {
            "name": table.name, "about": table.about, "feed": table.feed.slug, "version": release.number if release else 0, "file": "",
            "columns": release.columns if release else table.feed.columns, "records": release.records if release else 0, "at": release.published if release else None,
        }  # fmt: skip
    return {
        "name": table.name, "about": table.about, "feed": "", "version": version.number if version else 0, "file": version.file_name if version else "",
        "columns": version.columns if version else [], "records": version.records if version else 0, "at": version.at if version else None,
    }  # fmt: skip


@router.get("/library", response={200: LibraryOut, **PROBLEMS})
def library(request: HttpRequest) -> Any:
    """Everything in the library."""
    return {
        "code_lists": [_code_list(code_list) for code_list in CodeList.objects.all()],
        "parameters": list(Parameter.objects.all()),
        "shared": [_shared(group, masking.works_on_records(request.user)) for group in SharedGroup.objects.all()],
        "references": [
            _reference(reference_table) for reference_table in ReferenceTable.objects.select_related("feed")
        ],
    }


@router.put("/library/code-lists", response={200: CodeListOut, **PROBLEMS})
def keep_code_list(request: HttpRequest, body: CodeListIn) -> Any:
    """Keep a new version of a code list."""
    codes = (
        services.codes_from_csv(body.csv)
        if body.csv is not None
        else [(row[0], row[1]) for row in body.codes or [] if len(row) == 2]
    )
    return _code_list(services.keep_code_list(request.user, body.name, codes, body.about, body.change, body.based_on))


@router.get("/library/code-lists/{name}/csv", response={200: None, **PROBLEMS})
def code_list_csv(request: HttpRequest, name: str) -> Any:
    """A code list as CSV."""
    code_list = CodeList.objects.filter(name=name).first()
    if code_list is None:
        raise NotFound(f"There is no code list {name!r}.")
    answer = HttpResponse(services.codes_as_csv(_code_list(code_list)["codes"]), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = 'attachment; filename="code-list.csv"'
    return answer


@router.put("/library/parameters", response={200: ParameterOut, **PROBLEMS})
def keep_parameter(request: HttpRequest, body: ParameterIn) -> Any:
    """Keep a parameter."""
    return services.keep_parameter(request.user, body.name, body.type, body.default, body.values, body.about)


@router.put("/library/shared", response={200: SharedOut, **PROBLEMS})
def keep_shared(request: HttpRequest, body: SharedIn) -> Any:
    """Keep a group of shared rules."""
    return _shared(
        services.keep_shared(request.user, body.name, body.feeds, body.place, body.rules, body.off, body.about)
    )


@router.post("/feeds/{slug}/shared/{group_id}", response={200: SharedOut, **PROBLEMS})
def switch_shared(request: HttpRequest, group_id: int, body: SwitchIn, slug: str = Slug) -> Any:
    """Switch a group of shared rules on or off for a feed."""
    group = SharedGroup.objects.filter(pk=group_id).first()
    if group is None:
        raise NotFound("There are no such shared rules.")
    return _shared(services.switch_shared(request.user, group, feed_or_404(slug), body.on))


@router.post("/library/references", response={200: ReferenceOut, **PROBLEMS})
def keep_reference(
    request: HttpRequest, name: str = Form(..., min_length=1, max_length=200), feed: str = Form(""), about: str = Form(""),
    file: UploadedFile | None = File(None),
) -> Any:  # fmt: skip
    """Keep a reference table: a file, or the latest release of a feed."""
    return _reference(services.keep_reference(request.user, name, file, feed_or_404(feed) if feed else None, about))
