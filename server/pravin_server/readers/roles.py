"""Roles of the database that may read views of the schema `released` and nothing else. Names are composed by the driver."""

from __future__ import annotations

import secrets
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import ProgrammingError, connection
from psycopg import errors, sql

from pravin_server.common.errors import Invalid
from pravin_server.releases.tables import SCHEMA

_HASHED = b"scram-sha-256"  # what the database keeps; the password itself is never sent to it


@dataclass(frozen=True)
class Session:
    """A connection that a role has now: since when, from where, by which program, and when it asked for something last."""

    role: str
    since: datetime
    address: str
    program: str
    asked: datetime | None


def role_of(number: int) -> str:
    """The name of a reader's role: roles are those of all databases of a cluster, so it begins with the database's name."""
    database = str(connection.settings_dict["NAME"])
    return f"{database[:40]}_reader_{number}"


def make_role(role: str) -> str:
    """Make a role that may sign in and sees the schema; returns its password. Raises Invalid when the application may make none."""
    with connection.cursor() as cursor:
        try:
            cursor.execute(sql.SQL("CREATE ROLE {} LOGIN").format(sql.Identifier(role)))
        except ProgrammingError as problem:
            if not isinstance(problem.__cause__, errors.InsufficientPrivilege):
                raise
            raise Invalid(
                "The database does not let Pravin make roles. Its administrator can grant CREATEROLE to Pravin's own role."
            ) from None
        cursor.execute(sql.SQL("GRANT USAGE ON SCHEMA {} TO {}").format(sql.Identifier(SCHEMA), sql.Identifier(role)))
    return new_password(role)


def new_password(role: str) -> str:
    """Give a role another password; returns it. Connections that stand are not ended."""
    password = secrets.token_urlsafe(18)
    connection.ensure_connection()
    hashed = connection.connection.pgconn.encrypt_password(password.encode(), role.encode(), _HASHED).decode()
    with connection.cursor() as cursor:
        cursor.execute(sql.SQL("ALTER ROLE {} PASSWORD {}").format(sql.Identifier(role), sql.Literal(hashed)))
    return password


def let_read(role: str, views: Collection[str]) -> None:
    """Let a role read these views, and no others; views that there are not (yet) are left out."""
    with connection.cursor() as cursor:
        known = _views(cursor)
        whose = sql.Identifier(role)
        cursor.execute(sql.SQL("REVOKE ALL ON ALL TABLES IN SCHEMA {} FROM {}").format(sql.Identifier(SCHEMA), whose))
        for view in sorted(known & set(views)):
            cursor.execute(sql.SQL("GRANT SELECT ON {} TO {}").format(sql.Identifier(SCHEMA, view), whose))


def end_role(role: str) -> None:
    """End a role and its connections."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE usename = %s", [role])
        cursor.execute(sql.SQL("DROP OWNED BY {}").format(sql.Identifier(role)))
        cursor.execute(sql.SQL("DROP ROLE {}").format(sql.Identifier(role)))


def sessions(roles: Sequence[str]) -> list[Session]:
    """The connections that roles have now, the newest first."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT usename, backend_start, coalesce(host(client_addr), ''), application_name, query_start FROM pg_stat_activity"
            " WHERE usename = ANY(%s) AND datname = current_database() ORDER BY backend_start DESC",
            [list(roles)],
        )
        return [Session(*row) for row in cursor.fetchall()]


def _views(cursor: Any) -> set[str]:
    cursor.execute("SELECT viewname FROM pg_views WHERE schemaname = %s", [SCHEMA])
    return {str(name) for (name,) in cursor.fetchall()}
