"""The contract of a feed's released table: proposed, agreed, its versions."""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Field, Router, Schema

from pravin_core.releases.contract import Contract, ContractColumn
from pravin_server.accounts.access import reader
from pravin_server.common.errors import NotYet
from pravin_server.common.schemas import PROBLEMS, Slug
from pravin_server.feeds import masking
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.feeds.models import Feed
from pravin_server.releases import contracts
from pravin_server.releases.models import ContractVersion

router = Router(tags=["releases"], auth=reader)


class ContractVersionOut(Schema):
    """A version of a contract; number 0 is what is proposed while none is agreed."""

    number: int
    change: str
    who: str
    at: datetime | None
    columns: list[ContractColumn]


class ContractIn(Schema):
    """A contract and the number of the version that it is based on (0: none)."""

    based_on: int = Field(ge=0, le=2**31 - 1)
    change: str = Field("", max_length=400)
    columns: list[ContractColumn] = Field(min_length=1, max_length=5000)


@router.get("/feeds/{slug}/contract", response={200: ContractVersionOut, **PROBLEMS})
def contract(request: HttpRequest, slug: str = Slug) -> Any:
    """The contract that stands; where none is agreed, one as the newest run would fulfil it (without columns: nothing was run)."""
    feed = feed_or_404(slug)
    return _current(feed, masking.hidden_columns(request.user, feed))


@router.put("/feeds/{slug}/contract", response={200: ContractVersionOut, **PROBLEMS})
def agree(request: HttpRequest, body: ContractIn, slug: str = Slug) -> Any:
    """Agree a new version; releases must keep it from now on."""
    feed = feed_or_404(slug)
    agreed = Contract(columns=tuple(body.columns))
    return _out(contracts.agree(request.user, feed, body.based_on, agreed.columns, body.change))


@router.get("/feeds/{slug}/contract/versions", response={200: list[ContractVersionOut], **PROBLEMS})
def versions(request: HttpRequest, slug: str = Slug) -> Any:
    """All versions, newest first."""
    feed = feed_or_404(slug)
    hidden = masking.hidden_columns(request.user, feed)
    return [_out(version, hidden) for version in feed.contracts.select_related("author")[:500]]


def _current(feed: Feed, hidden: Collection[str]) -> dict[str, Any]:
    if version := contracts.newest(feed):
        return _out(version, hidden)
    try:
        columns = contracts.proposed(feed).columns
    except NotYet:
        columns = ()
    return {"number": 0, "change": "", "who": "", "at": None, "columns": columns}


def _out(version: ContractVersion, hidden: Collection[str] = ()) -> dict[str, Any]:
    """A version; of hidden columns without the values that it names."""
    unnamed = {"example": "", "allowed": []}
    return {
        "number": version.number, "change": version.change, "who": version.author.shown if version.author else "",
        "at": version.at, "columns": [{**each, **unnamed} if each["name"] in hidden else each for each in version.columns],
    }  # fmt: skip
