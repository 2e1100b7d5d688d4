"""The API: one router an app, errors as problem details (RFC 9457), sign-in by session with CSRF."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import ValidationError
from ninja.openapi.docs import DocsBase

from pravin_core.errors import PravinError
from pravin_server.accounts.api import router as session
from pravin_server.activity.api import router as activity
from pravin_server.analyses.api import router as analyses
from pravin_server.arrivals.api import router as arrivals
from pravin_server.common.api import router as jobs
from pravin_server.common.errors import ServerError, of_core, problem
from pravin_server.deliveries.api import router as deliveries
from pravin_server.deliveries.filters_api import router as filters
from pravin_server.feeds.api import router as feeds
from pravin_server.findings.api import router as findings
from pravin_server.library.api import router as library
from pravin_server.quarantine.api import router as quarantine
from pravin_server.releases.api import router as releases
from pravin_server.rulebooks.api import router as rulebooks
from pravin_server.rulebooks.drafting_api import router as drafting
from pravin_server.rulebooks.texts_api import router as texts
from pravin_server.runs.api import router as runs


class _NoDocs(DocsBase):
    def render_page(self, request: HttpRequest, api: NinjaAPI, **kwargs: Any) -> HttpResponse:
        return HttpResponse(status=404)


api = NinjaAPI(title="Pravin", version="1", docs=_NoDocs(), docs_url=None, openapi_url=None, urls_namespace="api")
for router in (
    session,
    feeds,
    arrivals,
    deliveries,
    filters,
    findings,
    analyses,
    rulebooks,
    drafting,
    texts,
    library,
    runs,
    quarantine,
    releases,
    activity,
    jobs,
):
    api.add_router("", router)


def _answer(request: HttpRequest, body: dict[str, Any]) -> HttpResponse:
    response = api.create_response(request, body, status=body["status"])
    response["Content-Type"] = "application/problem+json"
    return response


OWN = "Value error, "  # how pydantic begins the messages of our own validators


@api.exception_handler(ServerError)
def _server_error(request: HttpRequest, error: ServerError) -> HttpResponse:
    return _answer(request, problem(error.status, error.title, error.message, where=error.where))


@api.exception_handler(PravinError)
def _core_error(request: HttpRequest, error: PravinError) -> HttpResponse:
    return _answer(request, of_core(error))


@api.exception_handler(ValidationError)
def _not_valid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    errors = [
        {"where": [str(part) for part in one["loc"] if part not in ("body", "data")], "message": one["msg"]}
        for one in error.errors
    ]
    first = errors[0] if errors else {"where": [], "message": "not valid"}
    place = ".".join(part for part in first["where"] if part)
    said = str(first["message"])
    if said.startswith(OWN):
        said = said.removeprefix(OWN)  # in words of our own, that need no place
    elif first["where"][:1] == ["rules"]:  # a rule of a rulebook: its field is enough, the form shows which one it is
        said = f"The rule is unfinished: “{str(first['where'][-1]).replace('_', ' ')}”: {said[:1].lower()}{said[1:]}."
    elif place:
        said = f"{place}: {said}"
    return _answer(request, problem(422, "The request is not valid", said, errors=errors))
