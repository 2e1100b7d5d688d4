"""The API as it describes itself: for programs, and as a page for the people who write them."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from ninja import NinjaAPI
from ninja.openapi.docs import DocsBase
from ninja.openapi.schema import OpenAPISchema
from ninja.operation import Operation

from pravin_server.accounts.access import only_admitted
from pravin_server.common.errors import ServerError


class DescriptionPage(DocsBase):
    """The page, drawn by a standard viewer of OpenAPI that ships with the framework."""

    def render_page(self, request: HttpRequest, api: NinjaAPI, **kwargs: Any) -> HttpResponse:
        address = self.get_openapi_url(api, kwargs)
        settings = {"url": address, "layout": "BaseLayout", "deepLinking": True, "docExpansion": "none"}
        given = {"address": address, "settings": json.dumps(settings)}
        return render(request, "config/description.html", given)


class DescribedApi(NinjaAPI):
    """Operations are named by their app and what they do (`quarantine.decide`): programs call them by these names. They are summed up
    by the first line of what their functions say of themselves.
    """

    def get_openapi_operation_id(self, operation: Operation) -> str:
        _, app, *_ = operation.view_func.__module__.split(".")
        return f"{app}.{operation.view_func.__name__}"

    def get_openapi_schema(self, **kwargs: Any) -> OpenAPISchema:
        described = super().get_openapi_schema(**kwargs)
        for methods in described["paths"].values():
            for operation in methods.values():
                operation["summary"] = operation.get("description", operation["summary"]).split("\n")[0]
        return described


def for_the_admitted(
    refuse: Callable[[HttpRequest, ServerError], HttpResponse],
) -> Callable[[Callable[..., HttpResponse]], Callable[..., HttpResponse]]:
    """Lets only people and programs with a role see the description, as all else; `refuse` answers the others."""

    def _guarded(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
        def _answered(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
            try:
                only_admitted(request)
            except ServerError as error:
                return refuse(request, error)
            return view(request, *args, **kwargs)

        return _answered

    return _guarded
