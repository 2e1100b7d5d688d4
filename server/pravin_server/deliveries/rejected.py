"""Pages of rejected lines."""

from __future__ import annotations

from typing import Any

from pravin_core.engines.duckdb import connect, sql
from pravin_core.releases.writers import rejected
from pravin_server.common import cache
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import snapshot_of


def rejected_page(delivery: Delivery, offset: int, limit: int) -> dict[str, Any]:
    """Rejected lines by position, in the order of files and lines."""
    snapshot = snapshot_of(delivery)
    with cache.scratch() as scratch, connect([snapshot.folder], scratch, cache.limits()) as con:
        rows = con.execute(sql(rejected(snapshot).limit(limit).offset(offset))).fetchall()
    heads = ("file", "line", "text", "reason")
    return {"total": snapshot.rejected, "lines": [dict(zip(heads, row, strict=True)) for row in rows]}
