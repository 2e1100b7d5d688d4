"""Requests that a program may safely send again: with an `Idempotency-Key` they are carried out once.

After the draft of the IETF, The Idempotency-Key HTTP Header Field: what was answered the first time is answered again; the
same key with another request is refused.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from datetime import timedelta

from django.db import transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone

from pravin_server.common.errors import problem
from pravin_server.common.models import GivenAnswer

HEADER = "Idempotency-Key"
KEPT = timedelta(days=3)
LONGEST = 200  # letters of a key
# what is answered here is shown once and kept nowhere: tokens, passwords, one-time addresses
SECRET = ("/api/tokens", "/api/session", "/api/people", "/api/readers", "/api/invitations")


def forget_old() -> None:
    """Forget what was answered long ago: a request with that key is a new one."""
    GivenAnswer.objects.filter(given__lt=timezone.now() - KEPT).delete()


class OncePerKey:
    """Middleware: what a request with a key changes and the answer to it are kept together, in one transaction, so that neither stands
    without the other, wherever the server dies.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        key = request.headers.get(HEADER, "")
        if not key or request.method in ("GET", "HEAD", "OPTIONS") or request.path.startswith(SECRET):
            return self.get_response(request)
        if len(key) > LONGEST:
            return _refused(f"The {HEADER} has {len(key):,} characters; at most {LONGEST} are taken.")
        asker, asked = _digest(_credentials(request), key), _digest(*_parts(request))
        with transaction.atomic():
            # the same request at the same time waits here for the first one's end, and then finds its answer
            given, first = GivenAnswer.objects.get_or_create(asker=asker, defaults={"asked": asked})
            if not first:
                return (
                    given.again() if given.asked == asked else _refused(f"This {HEADER} was used for another request.")
                )
            answer = self.get_response(request)
            if answer.status_code >= 400:
                transaction.set_rollback(True)
            elif answer.streaming:
                given.delete()
            else:
                given.keep(answer)
            return answer


def _credentials(request: HttpRequest) -> str:
    """Who asks, as far as it can be told before anybody looked: the token, or the session."""
    return request.headers.get("Authorization") or (request.session.session_key or "")


def _parts(request: HttpRequest) -> tuple[str, ...]:
    """What tells a request from another. Files are told by their length: they are not read twice."""
    of_files = request.content_type == "multipart/form-data"
    body = request.META.get("CONTENT_LENGTH") or "" if of_files else hashlib.sha256(request.body).hexdigest()
    return request.method or "", request.get_full_path(), body


def _digest(*parts: str) -> str:
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()


def _refused(why: str) -> HttpResponse:
    return JsonResponse(
        problem(422, "The request is not valid", why), status=422, content_type="application/problem+json"
    )
