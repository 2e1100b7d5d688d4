"""People, and the one-time addresses by which they come in."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from django.http import HttpRequest
from django.views.decorators.csrf import csrf_protect
from ninja import Field, Path, Router, Schema
from ninja.decorators import decorate_view

from pravin_server.accounts import people, services
from pravin_server.accounts.access import reader
from pravin_server.accounts.models import User
from pravin_server.activity.models import Event
from pravin_server.common.schemas import PROBLEMS

router = Router(tags=["people"])
RoleName = Literal["analyst", "approver", "viewer", "administrator"]
Text = Path(..., min_length=10, max_length=100)
PersonId = Path(..., ge=1, le=2**62)


class PersonLine(Schema):
    """A person as administrators see them."""

    id: int
    username: str
    name: str
    roles: list[str]
    active: bool
    has_password: bool
    last_signed_in: datetime | None
    tokens: int


class PersonIn(Schema):
    username: str = Field(min_length=1, max_length=80)
    name: str = Field("", max_length=120)
    roles: list[RoleName] = Field(max_length=4)


class PersonChange(Schema):
    name: str | None = Field(None, max_length=120)
    roles: list[RoleName] | None = Field(None, max_length=4)
    active: bool | None = None


class Invited(Schema):
    """A one-time address, shown this once."""

    id: int
    username: str
    path: str


class SignedIn(Schema):
    at: datetime
    who: str


class InvitationOut(Schema):
    """What an invitation is for; without a name whoever uses it becomes the first administrator."""

    purpose: str
    username: str
    name: str


class AcceptIn(Schema):
    username: str = Field("", max_length=80)
    name: str = Field("", max_length=120)
    password: str = Field(min_length=1, max_length=1000)


class OwnPassword(Schema):
    old: str = Field(max_length=1000)
    new: str = Field(min_length=1, max_length=1000)


def _line(person: User) -> dict[str, Any]:
    return {
        "id": person.pk, "username": person.username, "name": person.shown, "roles": person.roles, "active": person.is_active,
        "has_password": person.has_usable_password(), "last_signed_in": person.last_login, "tokens": person.tokens.count(),
    }  # fmt: skip


@router.get("/people", response={200: list[PersonLine], **PROBLEMS}, auth=reader)
def everybody(request: HttpRequest) -> Any:
    """Everybody who was ever let in."""
    services.may_administer(request.user, "see people")
    return [_line(person) for person in User.objects.prefetch_related("groups", "tokens").order_by("username")]


@router.post("/people", response={201: Invited, **PROBLEMS}, auth=reader)
def add(request: HttpRequest, body: PersonIn) -> Any:
    """Add a person."""
    person, text = people.add_person(request.user, body.username, body.name, body.roles)
    return 201, {"id": person.pk, "username": person.username, "path": f"/join/{text}"}


@router.patch("/people/{person_id}", response={200: PersonLine, **PROBLEMS}, auth=reader)
def change(request: HttpRequest, body: PersonChange, person_id: int = PersonId) -> Any:
    """Change name, roles, or whether somebody may come in."""
    return _line(people.change_person(request.user, person_id, body.name, body.roles, body.active))


@router.post("/people/{person_id}/reset", response={201: Invited, **PROBLEMS}, auth=reader)
def reset(request: HttpRequest, person_id: int = PersonId) -> Any:
    """Let a person choose a new password."""
    text = people.reset_password(request.user, person_id)
    return 201, {"id": person_id, "username": User.objects.get(pk=person_id).username, "path": f"/join/{text}"}


@router.get("/people/{person_id}/sign-ins", response={200: list[SignedIn], **PROBLEMS}, auth=reader)
def sign_ins(request: HttpRequest, person_id: int = PersonId) -> Any:
    """The newest sign-ins of a person (at most 50)."""
    services.may_administer(request.user, "see sign-ins")
    events = Event.objects.select_related("user").filter(user_id=person_id, what="signed in")[:50]
    return [{"at": event.at, "who": event.user.shown if event.user else ""} for event in events]


@router.get("/invitations/{text}", response={200: InvitationOut, **PROBLEMS}, auth=None)
def invitation(request: HttpRequest, text: str = Text) -> Any:
    """What a one-time address is for."""
    invitation_ = people.invitation_of(text)
    person = invitation_.user
    return {
        "purpose": invitation_.purpose,
        "username": person.username if person else "",
        "name": person.shown if person else "",
    }


@router.post("/invitations/{text}", response={200: InvitationOut, **PROBLEMS}, auth=None)
@decorate_view(csrf_protect)
def accept(request: HttpRequest, body: AcceptIn, text: str = Text) -> Any:
    """Choose a password by a one-time address."""
    person = people.accept(text, body.username, body.name, body.password)
    return {"purpose": "used", "username": person.username, "name": person.shown}


@router.put("/session/password", response={204: None, **PROBLEMS}, auth=reader)
def own_password(request: HttpRequest, body: OwnPassword) -> Any:
    """Change one's own password; the session goes on."""
    services.change_password(request, body.old, body.new)
    return 204, None
