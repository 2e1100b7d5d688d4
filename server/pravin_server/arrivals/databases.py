"""Read a table or query of a PostgreSQL database, which is only read whatever the query says."""

from __future__ import annotations

import re
from typing import IO, Any

import psycopg
from django.conf import settings
from psycopg import pq, sql

from pravin_server.arrivals.outside import PATIENCE, CannotFetch, Deadline, database_at, resolved
from pravin_server.common.errors import Invalid

_NAME = re.compile(r"[^\s.\"]+(\.[^\s.\"]+)?")
_BEGINS = re.compile(r"(select|with|table|values)\b", re.IGNORECASE)


def checked_query(text: str) -> str:
    """A query or the name of a table, as it is kept. Raises Invalid."""
    own_text = text.strip().rstrip(";").strip()
    if not own_text:
        raise Invalid("Say which table, or write a query that begins with SELECT or WITH.", field="query")
    if not _NAME.fullmatch(own_text) and not _BEGINS.match(own_text):
        raise Invalid("A query begins with SELECT or WITH.", field="query")
    return own_text


def fetch_query(address: str, password: str, query: str, out: IO[bytes]) -> str:
    """Write the result of a query or a whole table to `out` as CSV with every text quoted, so that a missing value
    (nothing) and an empty text (quotes) stay apart in the bytes that are kept; returns the name of the file.

    The text goes to the server by the extended protocol only, which takes one statement: first by itself, so that it is
    known to be a whole query, then within COPY, in a transaction that cannot write. Raises CannotFetch or Invalid.
    """
    place, text, deadline = database_at(address), checked_query(query), Deadline()
    whole_table = bool(_NAME.fullmatch(text))
    try:
        with psycopg.connect(
            host=place.host, hostaddr=resolved(place.host, place.port), port=place.port, user=place.user or None,
            dbname=place.dbname or None, sslmode=place.sslmode, password=password or None, connect_timeout=PATIENCE,
            options=f"-c default_transaction_read_only=on -c statement_timeout={settings.FETCH_SECONDS}s -c lock_timeout={PATIENCE}s",
        ) as con:  # fmt: skip
            con.read_only = True
            con.execute("SELECT 1")  # the transaction has begun, and can only read from now on
            what = sql.SQL("TABLE {}").format(sql.Identifier(*text.split("."))).as_string(con) if whole_table else text
            _one_statement(con, what)
            statement = f"COPY (\n{what}\n) TO STDOUT WITH (FORMAT csv, HEADER true, FORCE_QUOTE *)"
            _copy(con, statement, out, deadline)
            con.rollback()
    except psycopg.Error as error:
        raise CannotFetch(f"The database does not answer the query: {_why(error)}") from error
    return f"{text if whole_table else 'query'}.csv"


def _why(error: psycopg.Error) -> str:
    """What the database says, its first line: it is about the query that a person wrote."""
    text = (
        error.diag.message_primary or str(error).strip().splitlines()[0] if str(error).strip() else "it does not answer"
    )
    return text.rstrip(".") + "."


def _one_statement(con: psycopg.Connection[Any], query: str) -> None:
    """Raises psycopg.Error when the text is not one whole statement."""
    _succeeded(con.pgconn.prepare(b"asked", query.encode()))


def _succeeded(result: pq.abc.PGresult) -> None:
    if result.status in (pq.ExecStatus.FATAL_ERROR, pq.ExecStatus.BAD_RESPONSE):
        raise psycopg.errors.lookup(_state(result))(result.error_message.decode(errors="replace"))


def _state(result: pq.abc.PGresult) -> str:
    text = (result.error_field(pq.DiagnosticField.SQLSTATE) or b"XX000").decode()
    try:
        psycopg.errors.lookup(text)
    except KeyError:
        return "XX000"
    return text


def _copy(con: psycopg.Connection[Any], statement: str, out: IO[bytes], deadline: Deadline) -> None:
    """Run a COPY by the extended protocol and write what it gives."""
    began = con.pgconn.exec_params(statement.encode(), None)
    _succeeded(began)
    while True:
        size, piece = con.pgconn.get_copy_data(0)
        if size > 0:
            deadline.look(out.tell() + size)
            out.write(bytes(piece))
            continue
        if size == -1:
            while result := con.pgconn.get_result():
                _succeeded(result)
            return
        raise psycopg.OperationalError(con.pgconn.error_message.decode(errors="replace"))
