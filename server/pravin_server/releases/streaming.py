"""Rows on their way from the engine into the database, without a file between."""

from __future__ import annotations

import io
import queue
import threading
from collections.abc import Iterable, Iterator

from pyarrow import csv
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.sql.trees import sql

_ROWS = 50_000  # that are made to text together
_AHEAD = 4  # pieces that wait for the database


def as_csv(con: Connection, query: exp.Expr) -> Iterator[bytes]:
    """The rows of a query as pieces of CSV without a header: texts in quotes, a missing value empty without them."""
    for batch in con.sql(sql(query)).to_arrow_reader(_ROWS):
        text = io.BytesIO()
        csv.write_csv(batch, text, csv.WriteOptions(include_header=False))
        yield text.getvalue()


def ahead(pieces: Iterable[bytes]) -> Iterator[bytes]:
    """The same pieces, made in a thread while earlier ones are used; an error comes where its piece would."""
    made: queue.Queue[bytes | BaseException | None] = queue.Queue(_AHEAD)
    ended = threading.Event()

    def give(piece: bytes | BaseException | None) -> None:
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
