"""Who asks: the session's person, for handlers."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja.security import SessionAuth

from pravin_server.accounts.services import may_read


class Reader(SessionAuth):
    """Lets people with any role in; services decide about writing. Checks the CSRF token of unsafe methods."""

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:
        return may_read(request.user)


reader = Reader(csrf=True)
