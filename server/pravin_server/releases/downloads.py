"""Download a release: from its kept Parquet, in any of the forms, made once and kept in the cache."""

from __future__ import annotations

import hashlib
from pathlib import Path

from pravin_core.engines.duckdb import connect
from pravin_core.releases.outputs import OutputForm, write_output
from pravin_core.tables.types import DataType
from pravin_server.common import cache
from pravin_server.releases.files import stored_file
from pravin_server.releases.models import Release

FORM = 1  # raise when the file of the same form is written otherwise


def output_of(release: Release, form: OutputForm) -> Path:
    """The file of a release in a form. Raises the core's errors for what the form cannot hold."""
    source = stored_file(release)
    if form.form == "parquet" and not form.columns:
        return source
    told = hashlib.sha256(f"{FORM} {form.model_dump_json()}".encode()).hexdigest()[:32]
    types = {column["name"]: DataType(column["type"]) for column in release.manifest["columns"]}

    def make(target: Path) -> None:
        with cache.scratch() as scratch, connect([source.parent, scratch], scratch / "spill", cache.limits()) as con:
            write_output(con, source, types, form, target, scratch)

    return cache.made(cache.folder("released", f"{source.stem}-{told}.{form.form}"), make)
