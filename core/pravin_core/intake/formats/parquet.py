"""Parquet files: read by the engine, every value as text."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory

import pyarrow as pa
import pyarrow.parquet as pq
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.engines.duckdb import connect
from pravin_core.errors import IntakeError
from pravin_core.intake.formats.base import RECORD, Detected, FastRead, LineOutcome, Place, Reader, assign
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.intake.writing import filled, origin_columns
from pravin_core.sql.statements import copy_to, read_parquet
from pravin_core.sql.trees import column, sql
from pravin_core.tables.columns import LINE, unique_names


class ParquetFile(Reader):
    """Columns and types come with the file; nested values become JSON text."""

    format, label, view, unit = "parquet", "Parquet", "grid", "row"
    asked = 10
    more = ("names",)

    def recognises(self, path: Path, name: str, head: bytes) -> str:
        return "the file begins with PAR1" if head.startswith(b"PAR1") else ""

    def settle(self, place: Place, request: SettingsRequest, known: Sequence[str]) -> Detected:
        delivered = _names(place)
        chosen = request.names if request.names and len(request.names) == len(delivered) else delivered
        names, notes = unique_names(list(chosen))
        settings = FileSettings(
            format="parquet", header_rows=0, paths=tuple(delivered), **assign(names, request, place.name)
        )
        evidence = {"names": f"the {len(names):,} columns of the file", "types": "values are kept as text"}
        return Detected(settings, evidence, tuple(notes))

    def outcomes(self, place: Place, settings: FileSettings, limit: int | None = None) -> Iterator[LineOutcome]:
        with TemporaryDirectory(prefix="pravin-") as scratch, connect([place.path.parent], Path(scratch)) as con:
            source = place.path
            query = exp.select(*_texts(source, settings)).from_(read_parquet([source]))
            rows = con.execute(sql(query.limit(limit) if limit else query))
            number = 0
            while batch := rows.fetchmany(1000):
                for cells in batch:
                    number += 1
                    yield LineOutcome(RECORD, number, cells=tuple(cells))

    def read_fast(
        self,
        con: Connection,
        place: Place,
        settings: FileSettings,
        origin: tuple[int, int],
        work: Path,
        out: Path,
    ) -> FastRead | None:
        position = exp.cast(exp.Window(this=exp.Anonymous(this="row_number")), "BIGINT")
        rows = exp.select(exp.alias_(position, LINE, quoted=True), *_texts(place.path, settings))
        rows = rows.from_(read_parquet([place.path]))
        query = exp.select(*origin_columns(origin), *filled(settings, place.name)).from_(rows.subquery("r"))
        con.execute(sql(copy_to(query, out, format="parquet", row_group_size=100_000)))
        count = pq.ParquetFile(out).metadata.num_rows
        return FastRead(count, count)


def _schema(path: Path) -> pa.Schema:
    return pq.ParquetFile(path).schema_arrow


def _names(place: Place) -> list[str]:
    try:
        return list(_schema(place.path).names)
    except (pa.ArrowException, OSError) as error:
        raise IntakeError(
            "The Parquet file cannot be read: it is cut off or damaged.", file=place.name, advice="Ask for it again."
        ) from error


def _texts(path: Path, settings: FileSettings) -> list[exp.Expr]:
    """Each column as text under its name in the settings; nested ones as JSON."""
    types = {field.name: field.type for field in _schema(path)}
    expressions: list[exp.Expr] = []
    for delivered, name in zip(settings.paths, settings.names, strict=True):
        nested = pa.types.is_nested(types[delivered])
        value = exp.Anonymous(this="to_json", expressions=[column(delivered)]) if nested else column(delivered)
        expressions.append(exp.alias_(exp.cast(value, "VARCHAR"), name, quoted=True))
    return expressions


READER = ParquetFile()
