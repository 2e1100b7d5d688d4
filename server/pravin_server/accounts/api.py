"""Sign-in."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from django.views.decorators.csrf import csrf_protect
from ninja import Field, Router, Schema
from ninja.decorators import decorate_view

from pravin_server.accounts import services
from pravin_server.common.access import reader
from pravin_server.common.schemas import PROBLEMS

router = Router(tags=["session"])


class SignIn(Schema):
    username: str = Field(max_length=150)
    password: str = Field(max_length=1000)


class PersonOut(Schema):
    """Who is signed in."""

    username: str
    name: str
    roles: list[str]


def _person(user: Any) -> dict[str, Any]:
    return {"username": user.username, "name": user.shown, "roles": user.roles}


@router.post("/session", response={200: PersonOut, **PROBLEMS}, auth=None)
@decorate_view(csrf_protect)
def sign_in(request: HttpRequest, body: SignIn) -> Any:
    """Start a session."""
    return _person(services.sign_in(request, body.username, body.password))


@router.get("/session", response={200: PersonOut, **PROBLEMS}, auth=reader)
def session(request: HttpRequest) -> Any:
    """Who is signed in."""
    return _person(request.user)


@router.delete("/session", response={204: None, **PROBLEMS}, auth=reader)
def sign_out(request: HttpRequest) -> Any:
    """End the session."""
    services.sign_out(request)
    return 204, None
