"""A token for a program, from a person's name and password."""

from __future__ import annotations

from typing import Any

from pravin_client.connection import Connection


def make_token(
    connection: Connection, user: str, password: str, name: str, rights: str = "work", days: int = 365
) -> dict[str, Any]:
    """Sign in, make a token, sign out; the token's text is in `text` and shown this once. Raises Refused, Unreachable."""
    connection.ask("GET", "/")  # gives the cookie without which nobody signs in
    connection.ask("POST", "/api/session", body={"username": user, "password": password})
    made: dict[str, Any] = connection.ask("POST", "/api/tokens", body={"name": name, "rights": rights, "days": days})
    connection.ask("DELETE", "/api/session")
    return made
