"""A release as one package: its data, what it is in open standards, how it came about, checksums."""

from __future__ import annotations

import hashlib
import json
import re
import zipfile
from pathlib import Path
from typing import Any

from django.template.loader import render_to_string
from sqlglot import exp

from pravin_core.engines.duckdb import connect
from pravin_core.exports.script import SourceSettings, script
from pravin_core.intake.settings import FileSettings
from pravin_core.releases import writers
from pravin_core.releases.contract import ContractColumn
from pravin_core.releases.describing import Described, DescribedColumn, csv_metadata, data_package, postgres_table
from pravin_core.rules.base import Rule
from pravin_core.runs.runner import result_parts
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column
from pravin_core.stopping import go_on
from pravin_core.tables.types import DataType
from pravin_server.common import cache
from pravin_server.deliveries.snapshots import sources_of
from pravin_server.releases import tables
from pravin_server.releases.contracts import contract_of
from pravin_server.releases.files import part_of
from pravin_server.releases.models import Release
from pravin_server.rulebooks.run_context import to_core
from pravin_server.runs.results import result_of, rulebook_of_run

FORM = 1  # raise when a package of the same release is made otherwise


def package_of(release: Release) -> Path:
    """The package of a release; made once, and again when the cache does not hold it."""
    name = f"{release.manifest['data_sha256']}-{release.pk}-package-{FORM}.zip"
    return cache.made(cache.folder("released", name), lambda target: _make(release, target))


def _make(release: Release, target: Path) -> None:
    with cache.scratch() as scratch, zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as archive:
        for path in _files(release, scratch):
            go_on()
            archive.write(path, str(path.relative_to(scratch)))


def _files(release: Release, folder: Path) -> list[Path]:
    """The files of the package, written into a folder; the checksums last."""
    short = f"{_short(release.feed.slug)}-release-{release.number}"
    data = folder / "data" / f"{short}.csv"
    data.parent.mkdir()
    quarantine = folder / "quarantine.csv"
    _write_data(release, data, quarantine, folder / "spill")
    table = _described(release, short, data)
    rulebook = rulebook_of_run(release.run)
    texts = {
        "datapackage.json": _json(data_package(table)),
        f"data/{short}.csv-metadata.json": _json(csv_metadata(table)),
        "table.sql": postgres_table(table, release.feed.view),
        "dictionary.html": render_to_string("releases/dictionary.html", {"table": table, "release": release}),
        "rulebook.json": _json({"rules": rulebook.model_dump(mode="json")["rules"]}),
        "rules.txt": "".join(f"{number}. {_sentence(rule)}\n" for number, rule in enumerate(rulebook.rules, start=1)),
        "clean.py": _script(release),
        "reconciliation.json": _json(release.manifest["reconciliation"]),
        "manifest.json": _json(release.manifest),
        "README.txt": render_to_string("releases/package.txt", {"table": table, "release": release}),
    }
    for name, text in texts.items():
        (folder / name).write_text(text, encoding="utf-8")
    files = [data, quarantine, *(folder / name for name in texts)]
    sums = "".join(f"{_sha256(path)}  {path.relative_to(folder)}\n" for path in sorted(files))
    (folder / "SHA256SUMS").write_text(sums)
    return [*files, folder / "SHA256SUMS"]


def _write_data(release: Release, data: Path, quarantine: Path, spill: Path) -> None:
    part = part_of(release)
    in_delivery, in_record = writers.origin_columns([name for name, _ in part.columns])
    types = dict(part.columns) | {in_delivery: DataType.WHOLE, in_record: DataType.WHOLE}
    rows = exp.select(*(column(name) for name in types)).from_(read_parquet([part.file]))
    folder, _ = result_of(release.run)
    with connect([part.file.parent, folder, data.parent.parent], spill, cache.limits()) as con:
        writers.write(con, writers.standard_text(rows, types), data, "csv")
        writers.write(con, writers.reasons_counted(result_parts(folder)), quarantine, "csv")


def _described(release: Release, short: str, data: Path) -> Described:
    agreed = {each.name: each for each in contract_of(release.contract).columns}
    columns = [_column(column, agreed) for column in release.manifest["columns"]]
    origin = zip(
        writers.origin_columns([each.name for each in columns]),
        (tables.DELIVERY_COLUMN, tables.RECORD_COLUMN),
        ("the number of the delivery that the record came with", "the number of the record in its delivery"),
        strict=True,
    )
    columns += [
        DescribedColumn(name, DataType.WHOLE, database, "bigint", None, about) for name, database, about in origin
    ]
    return Described(
        name=short,
        title=f"{release.feed.name}, release {release.number}",
        version=f"{release.number}.0.0",
        path=f"data/{data.name}",
        created=release.published.isoformat(timespec="seconds") if release.published else "",
        columns=tuple(columns),
        size=data.stat().st_size,
        sha256=_sha256(data),
    )


def _column(told: dict[str, Any], agreed: dict[str, ContractColumn]) -> DescribedColumn:
    kind = DataType(told.get("table_type", told["type"]))
    database = told.get("database_type") or tables.database_type(kind)
    return DescribedColumn(told["name"], kind, told["database_name"], database, agreed.get(told["name"]))


def _script(release: Release) -> str:
    """The script that makes the data from the sources: with the rules, tables and day of the run."""
    run = release.run
    sources = [
        SourceSettings(each.name, FileSettings(**each.settings), each.table) for each in sources_of(run.delivery)
    ]
    title = f"{release.feed.name}: what release {release.number} was made by"
    return script(title, rulebook_of_run(run), run.delivery.columns, sources, to_core(run.context))


def _sentence(rule: Rule) -> str:
    return "".join(part.text for part in rule.describe()) + ("" if rule.enabled else " (off)")


def _short(slug: str) -> str:
    """A name of a-z, 0-9 and -, as the standards want it."""
    return re.sub(r"[^a-z0-9]+", "-", slug.lower()).strip("-") or "table"


def _json(content: Any) -> str:
    return json.dumps(content, indent=2, ensure_ascii=False) + "\n"


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
