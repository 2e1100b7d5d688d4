"""Rows on their way from the engine into the database, without a file between, and work beside it."""

from __future__ import annotations

import contextvars
import io
import os
import queue
import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any, Literal, TypeVar

import pyarrow as pa
from pyarrow import csv
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.sql.trees import sql
from pravin_server.releases import binary_rows

_ROWS = 50_000  # that are made together
_AHEAD = 4  # pieces that wait for the database
_PATIENCE = 10  # of 19, as `nice` counts it
Piece = TypeVar("Piece")


@dataclass(frozen=True)
class Rows:
    """Rows as COPY reads them: the form, and the pieces."""

    form: Literal["BINARY", "CSV"]
    pieces: Iterator[bytes | pa.Buffer]


def as_rows(con: Connection, query: exp.Expr, types: Sequence[str]) -> Rows:
    """The rows of a query for columns of these types of the database, made ahead while earlier ones are used: in the binary form, or
    as CSV where a column's values are not of its type and the database is to read them as they are written.
    """
    reader = con.sql(sql(query)).to_arrow_reader(_ROWS)
    encode = binary_rows.encoders(reader.schema, types)
    if encode is None:
        return Rows("CSV", ahead(_csv(reader)))
    return Rows("BINARY", ahead(_binary(reader, encode)))


def _binary(reader: pa.RecordBatchReader, encode: Sequence[binary_rows.Encode]) -> Iterator[bytes | pa.Buffer]:
    yield binary_rows.HEADER
    for batch in reader:
        yield from binary_rows.rows(batch, encode)
    yield binary_rows.TRAILER


def _csv(reader: pa.RecordBatchReader) -> Iterator[bytes]:
    """Without a header: texts in quotes, a missing value empty without them."""
    for batch in reader:
        text = io.BytesIO()
        csv.write_csv(batch, text, csv.WriteOptions(include_header=False))
        yield text.getvalue()


@contextmanager
def meanwhile(work: Callable[[], None]) -> Iterator[Callable[[], None]]:
    """Do work in a thread meanwhile; what is given waits for its end and raises its error. The end waits in any case."""
    with ThreadPoolExecutor(1, initializer=_be_patient) as pool:
        yield pool.submit(contextvars.copy_context().run, work).result


def _be_patient() -> None:
    """Let others go first: Linux gives each thread a priority of its own."""
    os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _PATIENCE)


def ahead(pieces: Iterable[Piece]) -> Iterator[Piece]:
    """The same pieces, made in a thread while earlier ones are used; an error comes where its piece would."""
    made: queue.Queue[Any] = queue.Queue(_AHEAD)
    ended = threading.Event()

    def give(piece: Any) -> None:
        while not ended.is_set():
            try:
                return made.put(piece, timeout=0.2)
            except queue.Full:
                continue

    def make() -> None:
        try:
            for piece in pieces:
                give(piece)
                if ended.is_set():
                    return
            give(None)
        except BaseException as problem:  # it is raised again where the pieces are used
            give(problem)

    thread = threading.Thread(target=make, daemon=True)
    thread.start()
    try:
        while (piece := made.get()) is not None:
            if isinstance(piece, BaseException):
                raise piece
            yield piece
    finally:
        ended.set()
        thread.join()
