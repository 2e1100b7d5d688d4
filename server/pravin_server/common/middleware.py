"""A strict content security policy: nothing but our own files, no inline script."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

# Ant Design Vue sets styles at run time, so inline style is allowed; script is not.
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
    "font-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
)


class ContentSecurityPolicy:
    """Adds the policy to every answer."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response["Content-Security-Policy"] = POLICY
        return response
