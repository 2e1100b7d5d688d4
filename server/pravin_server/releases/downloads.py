"""Download a release: from its kept Parquet, in any of the formats, without holding it in memory."""

from __future__ import annotations

from typing import IO

from sqlglot import exp

from pravin_core.engines.duckdb import connect
from pravin_core.releases import writers
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column
from pravin_core.tables.types import DataType
from pravin_server.common import cache
from pravin_server.releases.models import Release


def open_download(release: Release, form: writers.Format, defused: bool) -> IO[bytes]:
    """An open file with the release in a format; it is gone when closed."""
    with cache.scratch() as scratch:
        source = scratch / "release.parquet"
        with source.open("wb") as out, release.data.open("rb") as stored:
            for piece in stored.chunks(2**20):
                out.write(piece)
        if form == "parquet":
            return source.open("rb")
        target = scratch / f"release.{form}"
        columns = [(c["name"], DataType(c["type"])) for c in release.manifest["columns"]]
        query = exp.select(*(column(name) for name, _ in columns)).from_(read_parquet([source]))
        if form in ("csv", "tsv"):
            query = writers.delimited(query, dict(columns), defused)
        with connect([scratch], scratch / "spill", cache.limits()) as con:
            writers.write(con, query, target, form)
        return target.open("rb")
