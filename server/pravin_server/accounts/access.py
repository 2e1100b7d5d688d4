"""Who asks: the session's person or a token's owner, for handlers."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja.security import HttpBearer, SessionAuth

from pravin_server.accounts.models import User
from pravin_server.accounts.ports import may_see
from pravin_server.accounts.services import may_read, owner_of_token


class TokenReader(HttpBearer):
    """A program with a token (`Authorization: Bearer`) acts for the token's owner."""

    def authenticate(self, request: HttpRequest, token: str) -> Any:
        request.user = owner_of_token(token, request.method or "")
        return _admitted(request)


class Reader(SessionAuth):
    """Lets people with any role in; services decide about writing. Checks the CSRF token of unsafe methods."""

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:
        return _admitted(request)


def _admitted(request: HttpRequest) -> User:
    """The person who asks, if they may see what is asked for."""
    person = may_read(request.user)
    may_see(request)
    return person


def only_admitted(request: HttpRequest) -> User:
    """The person who asks, by token or session, where no operation of the API asks. Raises NotSignedIn, NotAllowed."""
    person: User = TokenReader()(request) or _admitted(request)
    return person


# the token first: without one it passes the question on, while the session's check refuses what has no CSRF token
reader = [TokenReader(), Reader(csrf=True)]
