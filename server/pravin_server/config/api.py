"""The API: one router an app, errors as problem details (RFC 9457), sign-in by session with CSRF."""

from __future__ import annotations

from typing import Any

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from ninja.errors import HttpError, ValidationError
from pydantic import ValidationError as NotModelled

from pravin_core.errors import PravinError
from pravin_core.refusals import OWN, in_words
from pravin_core.rules.refused import refused
from pravin_server.accounts.api import router as session
from pravin_server.accounts.people_api import router as people
from pravin_server.analyses.api import router as analyses
from pravin_server.arrivals.api import router as arrivals
from pravin_server.common.errors import ServerError, of_core, problem
from pravin_server.common.texts import BodyParser
from pravin_server.config.description import DescribedApi, DescriptionPage, for_the_admitted
from pravin_server.config.faults import database_gone, unforeseen
from pravin_server.deliveries.api import router as deliveries
from pravin_server.deliveries.filters_api import router as filters
from pravin_server.derived.api import router as derived
from pravin_server.feeds.api import router as feeds
from pravin_server.findings.api import router as findings
from pravin_server.library.api import router as library
from pravin_server.monitoring.api import router as monitoring
from pravin_server.notices.api import router as notices
from pravin_server.quarantine.api import router as quarantine
from pravin_server.readers.api import router as readers
from pravin_server.releases.api import router as releases
from pravin_server.releases.changes_api import router as changes_of_releases
from pravin_server.releases.contract_api import router as contracts
from pravin_server.releases.modelling_api import router as parts_for_modelling
from pravin_server.releases.proposals_api import router as proposals_of_releases
from pravin_server.rulebooks.api import router as rulebooks
from pravin_server.rulebooks.drafting_api import router as drafting
from pravin_server.rulebooks.texts_api import router as texts
from pravin_server.runs.after_api import router as tables_after
from pravin_server.runs.api import router as runs
from pravin_server.runs.records_api import router as records
from pravin_server.workspace.activity_api import router as activity
from pravin_server.workspace.api import router as workspace
from pravin_server.workspace.jobs_api import router as jobs


def _refuse(request: HttpRequest, error: ServerError) -> HttpResponse:
    answer: HttpResponse = _server_error(request, error)
    return answer


api = DescribedApi(
    title="Pravin", version="1", parser=BodyParser(), docs=DescriptionPage(), docs_url="/description", openapi_url="/openapi.json",
    docs_decorator=for_the_admitted(_refuse), urls_namespace="api",
)  # fmt: skip
for router in (
    session,
    people,
    workspace,
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
    records,
    tables_after,
    quarantine,
    releases,
    changes_of_releases,
    contracts,
    proposals_of_releases,
    parts_for_modelling,
    derived,
    readers,
    monitoring,
    notices,
    activity,
    jobs,
):
    api.add_router("", router)


def _answer(request: HttpRequest, body: dict[str, Any]) -> HttpResponse:
    response = api.create_response(request, body, status=body["status"])
    response["Content-Type"] = "application/problem+json"
    return response


@api.exception_handler(ServerError)
def _server_error(request: HttpRequest, error: ServerError) -> HttpResponse:
    return _answer(request, problem(error.status, error.title, error.message, where=error.where))


@api.exception_handler(PravinError)
def _core_error(request: HttpRequest, error: PravinError) -> HttpResponse:
    return _answer(request, of_core(error))


@api.exception_handler(HttpError)
def _unreadable(request: HttpRequest, error: HttpError) -> HttpResponse:
    """What the framework refuses by itself; a body that our parser refuses comes as its cause."""
    if isinstance(cause := error.__cause__, ServerError):
        return _server_error(request, cause)
    return _answer(request, problem(error.status_code, "The request cannot be read", str(error)))


@api.exception_handler(NotModelled)
def _not_modelled(request: HttpRequest, error: NotModelled) -> HttpResponse:
    """Values that a model of the core refuses; its own words only, with the field."""
    return _answer(request, problem(422, "The request is not valid", _sentence(dict(error.errors()[0]))))


def _sentence(error: dict[str, Any]) -> str:
    """One refusal as a sentence: the field as it is called, and what is wrong with it."""
    place = [str(part) for part in error["loc"] if part not in ("body", "data", "query", "path")]
    if place[:1] in (["rules"], ["rule"]):
        return refused(error)
    words = in_words(error)
    if str(error["msg"]).startswith(OWN):
        return f"{words[:1].upper()}{words[1:]}."
    return f"“{place[-1].replace('_', ' ').capitalize()}” {words}." if place else f"The request {words}."


@api.exception_handler(OperationalError)
@api.exception_handler(InterfaceError)
def _no_database(request: HttpRequest, error: OperationalError | InterfaceError) -> HttpResponse:
    return _answer(request, database_gone(error))


@api.exception_handler(Exception)
def _unforeseen(request: HttpRequest, error: Exception) -> HttpResponse:
    return _answer(request, unforeseen(request, error))


@api.exception_handler(ValidationError)
def _not_valid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    errors = [
        {
            "where": [str(part) for part in each_error["loc"] if part not in ("body", "data")],
            "message": in_words(each_error),
        }
        for each_error in error.errors
    ]
    sentence = _sentence(error.errors[0]) if error.errors else "The request is not valid."
    return _answer(request, problem(422, "The request is not valid", sentence, errors=errors))
