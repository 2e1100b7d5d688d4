"""Sign-in."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from django.http import HttpRequest
from django.views.decorators.csrf import csrf_protect
from ninja import Field, Path, Router, Schema
from ninja.decorators import decorate_view

from pravin_server.accounts import services
from pravin_server.accounts.access import reader
from pravin_server.accounts.models import ApiToken
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


class TokenIn(Schema):
    name: str = Field(min_length=1, max_length=120, description="what it is for")
    rights: Literal["read", "work"] = Field("work", description="read: nothing can be changed with it")
    days: int = Field(365, ge=1, le=366, description="how long it holds")


class TokenOut(Schema):
    """A token, told by its first letters."""

    id: int
    name: str
    begins: str
    created: datetime
    last_used: datetime | None
    rights: str
    ends: datetime | None


class NewToken(TokenOut):
    """A token just made; `text` is shown this once."""

    text: str


@router.get("/tokens", response={200: list[TokenOut], **PROBLEMS}, auth=reader)
def tokens(request: HttpRequest) -> Any:
    """The tokens with which programs may act for the person who is signed in."""
    return list(ApiToken.objects.filter(user__pk=request.user.pk or 0))


@router.post("/tokens", response={201: NewToken, **PROBLEMS}, auth=reader)
def make_token(request: HttpRequest, body: TokenIn) -> Any:
    """Make a token. Programs send it as `Authorization: Bearer TOKEN`."""
    token, text = services.make_token(request.user, body.name, body.rights, body.days)
    return 201, {**TokenOut.from_orm(token).model_dump(), "text": text}


@router.delete("/tokens/{token_id}", response={204: None, **PROBLEMS}, auth=reader)
def drop_token(request: HttpRequest, token_id: int = Path(..., ge=1, le=2**62)) -> Any:
    """Withdraw a token."""
    services.drop_token(request.user, token_id)
    return 204, None
