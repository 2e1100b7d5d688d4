"""Rejected lines: pages, single ones, and all as a file."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from sqlglot import exp

from pravin_core.engines.duckdb import connect
from pravin_core.engines.kept import kept_engine
from pravin_core.releases.writers import rejected, write
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import sql
from pravin_server.common import cache
from pravin_server.deliveries.models import Delivery, Source
from pravin_server.deliveries.snapshots import snapshot_of, sources_of


def rejected_page(delivery: Delivery, offset: int, limit: int) -> dict[str, Any]:
    """Rejected lines by position, in the order of sources and lines, and the lines that were repaired."""
    snapshot = snapshot_of(delivery)
    sources = sources_of(delivery)
    query = exp.select("file", "line", "text", "reason").from_(read_parquet([snapshot.rejected_path]))
    query = query.order_by("file", "line").limit(limit).offset(offset)
    with kept_engine([snapshot.folder], cache.spills(), cache.limits()) as con:
        rows = con.execute(sql(query)).fetchall()
    lines = [
        {"source": sources[file].pk, "file": sources[file].name, "line": line, "text": text, "reason": reason}
        for file, line, text, reason in rows
    ]
    return {"total": snapshot.rejected, "lines": lines, "repairs": _repairs(sources)}


def _repairs(sources: list[Source]) -> list[dict[str, Any]]:
    return [
        {
            "source": source.pk, "file": source.name, "line": repair.line, "lines": repair.lines, "text": repair.text,
            "original": repair.original, "who": repair.by.shown if repair.by else "", "at": repair.at,
        }
        for source in sources for repair in source.repairs.select_related("by")
    ]  # fmt: skip


def texts(delivery: Delivery, source: Source, line: int, lines: int) -> list[str]:
    """The raw texts of rejected lines of a source, from a line on; those repaired before count with what they were."""
    repaired = source.repairs.filter(line=line).first()
    if repaired:
        return repaired.original.split("\n")[:lines]
    snapshot = snapshot_of(delivery)
    place = [each_source.pk for each_source in sources_of(delivery)].index(source.pk)
    with kept_engine([snapshot.folder], cache.spills(), cache.limits()) as con:
        rows = con.execute(
            "SELECT text FROM read_parquet($1) WHERE file = $2 AND line >= $3 AND line < $4 ORDER BY line",
            [str(snapshot.rejected_path), place, line, line + lines],
        ).fetchall()
    return [text for (text,) in rows]


def write_rejected(delivery: Delivery, out: Path) -> None:
    """All rejected lines as CSV: file, line, raw text, reason."""
    snapshot = snapshot_of(delivery)
    with cache.scratch() as scratch, connect([snapshot.folder, out.parent], scratch, cache.limits()) as con:
        write(con, rejected(snapshot), out, "csv")
