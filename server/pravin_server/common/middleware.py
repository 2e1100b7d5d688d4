"""What the web server is told about a request by what stands before it."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest


def address_of(request: HttpRequest) -> str:
    """The address that a request came from; behind our proxy the one that the proxy saw, which it puts last."""
    forwarded = request.META.get("HTTP_X_FORWARDED_FOR", "") if settings.PROXY else ""
    return forwarded.rpartition(",")[2].strip() or str(request.META.get("REMOTE_ADDR", ""))
