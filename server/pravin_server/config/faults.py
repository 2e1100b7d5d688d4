"""What is answered when something fails before or behind the API's own handlers."""

from __future__ import annotations

import logging
import secrets
import sys
import time

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse

from pravin_server.common.errors import problem

log = logging.getLogger("pravin")
_QUIET = 10.0  # seconds between two lines about a database that is away
_said = -_QUIET
GONE = "The database does not answer. It is tried again; nothing that was saved is lost."


def database_gone(error: Exception) -> dict[str, object]:
    """The problem of a database that cannot be reached; the log gets one line now and then, not one a request."""
    global _said
    if time.monotonic() - _said > _QUIET:
        _said = time.monotonic()
        log.warning("the database does not answer: %s", (str(error).splitlines() or ["no reason given"])[0])
    return problem(503, "The database is not reachable", GONE)


def unforeseen(request: HttpRequest, error: BaseException | None) -> dict[str, object]:
    """The problem of anything that nobody thought of: a number by which the log is searched, nothing of the inside."""
    number = secrets.token_hex(4)
    log.error("unforeseen error %s: %s %s", number, request.method, request.path, exc_info=error)
    sentence = f"Something unforeseen happened; nothing was changed. Tell whoever runs Pravin the number {number}."
    return problem(500, "An unforeseen error", sentence, where={"number": number})


def answer_forged(request: HttpRequest, reason: str = "") -> HttpResponse:
    """Django's handler of changes that do not come from our own pages."""
    sentence = "The page is older than the session, or the change was not asked for by a page of Pravin."
    body = problem(403, "The change was not made", sentence, advice="Load the page again.")
    return JsonResponse(body, status=403, content_type="application/problem+json")


def answer_500(request: HttpRequest) -> HttpResponse:
    """Django's handler of the last resort."""
    error = sys.exc_info()[1]
    body = database_gone(error) if isinstance(error, OperationalError | InterfaceError) else unforeseen(request, error)
    if request.path.startswith("/api/"):
        return JsonResponse(body, status=int(str(body["status"])), content_type="application/problem+json")
    return HttpResponse(str(body["detail"]), status=int(str(body["status"])), content_type="text/plain; charset=utf-8")
