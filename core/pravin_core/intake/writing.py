"""The Parquet files of a snapshot: records of a source, and the rejected lines of all."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import ClassVar

import pyarrow as pa
import pyarrow.parquet as pq
from sqlglot import exp

from pravin_core.intake.encoding import shown
from pravin_core.intake.settings import FileSettings
from pravin_core.sql.trees import column
from pravin_core.stopping import go_on
from pravin_core.tables.columns import FILE, LINE, RECORD

_BATCH = 20_000
_BATCH_CELLS = 2_000_000
_BATCH_TEXT = 2**26  # characters


def origin_columns(origin: tuple[int, int]) -> list[exp.Expr]:
    """Record number (in the order of the source), source and line, for a query over a source's lines.

    `origin`: the number of the first record and the source's place in the delivery.
    """
    position = exp.Window(this=exp.Anonymous(this="row_number"))
    return [
        exp.alias_(position + exp.Literal.number(origin[0] - 1), RECORD, quoted=True),
        exp.alias_(exp.cast(exp.Literal.number(origin[1]), "SMALLINT"), FILE, quoted=True),
        column(LINE),
    ]


def filled(settings: FileSettings, source: str) -> list[exp.Expr]:
    """The table's columns that a source fills, for a query over its delivered columns."""
    own = [
        exp.alias_(column(name), target, quoted=True)
        for name, target in zip(settings.names, settings.columns, strict=True)
        if target is not None
    ]
    constants = {**settings.facts, **({settings.source_column: source} if settings.source_column else {})}
    return own + [exp.alias_(exp.Literal.string(value), name, quoted=True) for name, value in constants.items()]


class RecordsFile:
    """Collects the records of one source into a Parquet file, a batch at a time.

    `number` is the source's place in the delivery, `first` the number of its first record.
    """

    def __init__(self, path: Path, settings: FileSettings, source: str, first: int, number: int) -> None:
        self._kept = [at for at, target in enumerate(settings.columns) if target is not None]
        constants = {**settings.facts, **({settings.source_column: source} if settings.source_column else {})}
        self._constants = list(constants.values())
        fields: dict[str, pa.DataType] = {RECORD: pa.int64(), FILE: pa.int16(), LINE: pa.int64()}
        self._schema = pa.schema(fields | {name: pa.string() for name in settings.fills})
        self._writer = pq.ParquetWriter(path, self._schema)
        self._next, self._number = first, number
        self._cells: list[tuple[str | None, ...]] = []
        self._lines: list[int] = []
        self._text = 0
        self._size = max(100, min(_BATCH, _BATCH_CELLS // max(1, len(settings.names))))
        self.records = 0

    def add(self, line: int, cells: tuple[str | None, ...]) -> None:
        """One record: its line and its delivered cells."""
        self._cells.append(cells)
        self._lines.append(line)
        self._text += sum(map(len, filter(None, cells)))
        if len(self._cells) == self._size or self._text > _BATCH_TEXT:
            self._flush()

    def _flush(self) -> None:
        go_on()
        count = len(self._cells)
        columns: Iterator[tuple[str | None, ...]] = zip(*self._cells, strict=True)
        delivered = list(columns) if count else []
        arrays = [
            pa.array(range(self._next, self._next + count), pa.int64()),
            pa.array([self._number] * count, pa.int16()),
            pa.array(self._lines, pa.int64()),
            *(pa.array(delivered[at] if count else [], pa.string()) for at in self._kept),
            *(pa.array([value] * count, pa.string()) for value in self._constants),
        ]
        self._writer.write_batch(pa.record_batch(arrays, schema=self._schema))
        self._next, self.records = self._next + count, self.records + count
        self._cells, self._lines, self._text = [], [], 0

    def __enter__(self) -> RecordsFile:
        return self

    def __exit__(self, *_: object) -> None:
        self._flush()
        self._writer.close()


class RejectedFile:
    """Collects rejected lines into a Parquet file, a batch at a time."""

    _fields: ClassVar[dict[str, pa.DataType]] = {
        "file": pa.int16(),
        "line": pa.int64(),
        "text": pa.string(),
        "reason": pa.string(),
    }
    _schema = pa.schema(_fields)

    def __init__(self, path: Path) -> None:
        self._writer = pq.ParquetWriter(path, self._schema)
        self._rows: list[tuple[int, int, str, str]] = []
        self._text = 0

    def add(self, file: int, line: int, text: str, reason: str) -> None:
        """One line with its raw text and why it is no record."""
        self._rows.append((file, line, shown(text), reason))
        self._text += len(text)
        if len(self._rows) >= _BATCH or self._text > _BATCH_TEXT:
            self._flush()

    def _flush(self) -> None:
        go_on()
        columns = list(zip(*self._rows, strict=True)) or [()] * 4
        arrays = [pa.array(cells, field.type) for cells, field in zip(columns, self._schema, strict=True)]
        self._writer.write_batch(pa.record_batch(arrays, schema=self._schema))
        self._rows, self._text = [], 0

    def __enter__(self) -> RejectedFile:
        return self

    def __exit__(self, *_: object) -> None:
        self._flush()
        self._writer.close()
