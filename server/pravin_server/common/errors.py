"""The errors of the server, and how every error becomes problem details (RFC 9457)."""

from __future__ import annotations

from typing import Any

from pravin_core.errors import PravinError


class ServerError(Exception):
    """Root of the server's own errors. `status` is the HTTP status it becomes."""

    status = 400
    title = "The request cannot be carried out"

    def __init__(self, message: str, **where: Any) -> None:
        super().__init__(message)
        self.message = message
        self.where = where


class NotSignedIn(ServerError):
    status, title = 401, "Sign in first"


class NotAllowed(ServerError):
    status, title = 403, "Not allowed"


class NotFound(ServerError):
    status, title = 404, "Not found"


class Conflict(ServerError):
    status, title = 409, "Somebody was faster"


class NotYet(ServerError):
    status, title = 409, "Something comes first"


class DeliveredBefore(Conflict):
    title = "Delivered before"


class Invalid(ServerError):
    status, title = 422, "The request is not valid"


class Unsatisfiable(ServerError):
    status, title = 416, "The file has no such part"


def problem(status: int, title: str, detail: str, **more: Any) -> dict[str, Any]:
    """The body of a problem details answer."""
    return {"type": "about:blank", "status": status, "title": title, "detail": detail, **more}


def of_core(error: PravinError) -> dict[str, Any]:
    """An error of the core as problem details: what, where, and what to do."""
    return problem(422, "The data or the rules do not fit", error.message, advice=error.advice, where=error.where)
