"""People: made, given roles, disabled and let in again, by administrators; passwords only ever by the person."""

from __future__ import annotations

import hashlib
import re
import secrets
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import Group
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone

from pravin_server.accounts.models import ROLES, Invitation, User
from pravin_server.accounts.services import may_administer
from pravin_server.activity.services import note
from pravin_server.common.errors import Conflict, Invalid, NotFound
from pravin_server.common.locks import lock_rows

INVITED = timedelta(days=1)
_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._@-]{1,79}")


def _checked_name(username: str) -> str:
    if not _NAME.fullmatch(username):
        raise Invalid(
            "A name to sign in with has 2 to 80 letters, digits or the characters “. _ @ -”, and begins with a letter or digit.",
            field="username",
        )
    return username


def _checked_roles(roles: Sequence[str]) -> list[str]:
    if unknown := [role for role in roles if role not in ROLES]:
        raise Invalid(f"There is no role “{unknown[0][:40]}”; there are {', '.join(ROLES)}.", field="roles")
    return [role for role in ROLES if role in roles]


def _has_administrator() -> bool:
    return User.objects.filter(is_active=True, groups__name="administrator").exists()


def _set_roles(person: User, roles: Sequence[str]) -> None:
    person.groups.set([Group.objects.get_or_create(name=role)[0] for role in roles])


def _invite(person: User | None, purpose: str) -> str:
    """A text that lets whoever holds it do one thing once, within a day; former ones for the same end."""
    Invitation.objects.filter(user=person, used=None).delete()
    text = secrets.token_urlsafe(32)
    Invitation.objects.create(user=person, purpose=purpose, digest=_digest(text), ends=timezone.now() + INVITED)
    return text


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()


@transaction.atomic
def add_person(user: Any, username: str, name: str, roles: Sequence[str]) -> tuple[User, str]:
    """Make a person; returns them and the text of a one-time address at which they choose a password."""
    admin = may_administer(user, "add a person")
    checked_roles = _checked_roles(roles)
    if User.objects.filter(username__iexact=_checked_name(username)).exists():
        raise Conflict(f"There is already somebody who signs in as {username}.", field="username")
    person = User.objects.create(username=username, display_name=name.strip())
    person.set_unusable_password()
    person.save()
    _set_roles(person, checked_roles)
    note(admin, f"added {person.shown} ({', '.join(checked_roles) or 'no role'})")
    return person, _invite(person, Invitation.Purpose.JOIN)


@transaction.atomic
def change_person(
    user: Any, person_id: int, name: str | None, roles: Sequence[str] | None, active: bool | None
) -> User:
    """Change name or roles, disable somebody or let them in again. What they hold open ends at once."""
    admin = may_administer(user, "change a person")
    person = _locked(person_id)
    if name is not None:
        person.display_name = name.strip()
    if roles is not None:
        checked_roles = _checked_roles(roles)
        if checked_roles != person.roles:
            _set_roles(person, checked_roles)
            note(admin, f"gave {person.shown} the roles {', '.join(checked_roles) or 'none'}")
    if active is not None and active != person.is_active:
        person.is_active = active
        note(admin, f"{'let in' if active else 'disabled'} {person.shown}")
    person.save()
    if not _has_administrator():
        raise Invalid("One administrator must remain; make somebody else one first.")
    if not person.is_active:
        end_sessions(person)
    return person


@transaction.atomic
def reset_password(user: Any, person_id: int) -> str:
    """The text of a one-time address at which a person chooses a new password; the old one holds no more."""
    admin = may_administer(user, "reset a password")
    person = _locked(person_id)
    person.set_unusable_password()
    person.save()
    end_sessions(person)
    note(admin, f"reset the password of {person.shown}")
    return _invite(person, Invitation.Purpose.RESET)


def _locked(person_id: int) -> User:
    person = lock_rows(User).filter(pk=person_id).first()
    if person is None:
        raise NotFound(f"There is nobody with the number {person_id}.")
    return person


def end_sessions(person: User) -> None:
    """End every session of a person and take their tokens away."""
    for session in Session.objects.filter(expire_date__gte=timezone.now()):
        if session.get_decoded().get("_auth_user_id") == str(person.pk):
            session.delete()
    if not person.is_active:
        person.tokens.all().delete()


@transaction.atomic
def change_own_password(user: User, old: str, new: str) -> None:
    """A new password of one's own. Raises Invalid when the old one is wrong or the new one too weak."""
    if not user.check_password(old):
        raise Invalid("The present password is not right.", field="old")
    _set_password(user, new)
    note(user, "changed the own password")


def _set_password(person: User, password: str) -> None:
    try:
        validate_password(password, person)
    except ValidationError as error:
        raise Invalid(" ".join(error.messages), field="password") from error
    person.set_password(password)
    person.save()


def first_invitation() -> str | None:
    """The text of the address that makes the first administrator; None when there is one."""
    if _has_administrator():
        return None
    return _invite(None, Invitation.Purpose.FIRST)


def invitation_of(text: str) -> Invitation:
    """An invitation that still holds. Raises NotFound."""
    invitation = (
        Invitation.objects.select_related("user")
        .filter(digest=_digest(text), used=None, ends__gt=timezone.now())
        .first()
    )
    if invitation is None or (invitation.user is not None and not invitation.user.is_active):
        raise NotFound("This address was used already, or is older than a day. Ask an administrator for a new one.")
    return invitation


@transaction.atomic
def accept(text: str, username: str, name: str, password: str) -> User:
    """Use an invitation: choose a password, as the first administrator a name as well."""
    invitation = lock_rows(Invitation).get(pk=invitation_of(text).pk)
    if invitation.used is not None:
        raise NotFound("This address was used already.")
    person = invitation.user
    if person is None:
        if _has_administrator():
            raise NotFound("There is an administrator already.")
        if User.objects.filter(username__iexact=_checked_name(username)).exists():
            raise Conflict(f"There is already somebody who signs in as {username}.", field="username")
        person = User(username=username, display_name=name.strip())
        _set_password(person, password)
        _set_roles(person, ["administrator"])
        note(person, "became the first administrator")
    else:
        _set_password(person, password)
        note(person, "chose a password")
    invitation.used = timezone.now()
    invitation.save(update_fields=["used"])
    return person
