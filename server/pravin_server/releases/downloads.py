"""Download a release: from its kept Parquet, in any of the forms, without holding it in memory."""

from __future__ import annotations

from typing import IO

from pravin_core.engines.duckdb import connect
from pravin_core.releases.outputs import OutputForm, write_output
from pravin_core.tables.types import DataType
from pravin_server.common import cache
from pravin_server.releases.models import Release


def open_download(release: Release, form: OutputForm) -> IO[bytes]:
    """An open file with the release in a form; it is gone when closed. Raises the core's errors for what the form cannot hold."""
    with cache.scratch() as scratch:
        source = scratch / "release.parquet"
        with source.open("wb") as out, release.data.open("rb") as stored:
            for piece in stored.chunks(2**20):
                out.write(piece)
        if form.form == "parquet" and form.is_plain:
            return source.open("rb")
        target = scratch / f"output.{form.form}"
        types = {column["name"]: DataType(column["type"]) for column in release.manifest["columns"]}
        with connect([scratch], scratch / "spill", cache.limits()) as con:
            write_output(con, source, types, form, target, scratch)
        return target.open("rb")
