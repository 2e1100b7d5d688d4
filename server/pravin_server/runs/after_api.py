"""The table of a delivery as the rules leave it."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Field, Router, Schema

from pravin_core.profiling.model import Profile
from pravin_server.accounts.access import reader
from pravin_server.common.schemas import PROBLEMS, Id, JobOut
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.runs import tables_after

router = Router(tags=["runs"], auth=reader)


class TableAfterIn(Schema):
    """The last rule that is applied; empty for all of the rulebook."""

    rule: str = Field("", max_length=40)


class TableAskedOut(Schema):
    """A table that was asked for, and the work on it; none when it was made before."""

    id: int
    job: JobOut | None


class TableAfterOut(Schema):
    """A table as rules left it: the last rule and its number, how many records these left out, and its profile."""

    id: int
    rule: str
    place: int
    quarantined: int
    removed: int
    profile: Profile


@router.post("/deliveries/{delivery_id}/tables-after", response={200: TableAskedOut, **PROBLEMS})
def ask_table(request: HttpRequest, body: TableAfterIn, delivery_id: int = Id) -> Any:
    """Ask for the table as the rules leave it, at the end or at any rule."""
    table, job = tables_after.ask_table(request.user, delivery_or_404(delivery_id), body.rule)
    return {"id": table.pk, "job": job}


@router.get("/deliveries/{delivery_id}/tables-after/{table_id}", response={200: TableAfterOut, **PROBLEMS})
def table(request: HttpRequest, delivery_id: int = Id, table_id: int = Id) -> Any:
    """The table with its profile; its findings are asked for with what was decided about them."""
    table_after = tables_after.table_or_404(delivery_or_404(delivery_id), table_id)
    return {
        "id": table_after.pk, "rule": table_after.rule, "place": table_after.place, **table_after.left_out,
        "profile": {**(table_after.content or {}), "findings": []},
    }  # fmt: skip
