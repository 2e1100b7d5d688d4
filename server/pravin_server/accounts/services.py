"""Sign-in, and who may do what. Every write in the server begins with one of `may_*`."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta
from typing import Any

from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.models import Group
from django.http import HttpRequest
from django.utils import timezone

from pravin_server.accounts.models import ROLES, ApiToken, User
from pravin_server.activity.services import note
from pravin_server.common.errors import NotAllowed, NotFound, NotSignedIn


def _need(user: Any, roles: tuple[str, ...], what: str) -> User:
    if not isinstance(user, User) or not user.is_active:
        raise NotSignedIn("You are not signed in. Sign in and try again.")
    if not set(user.roles) & set(roles):
        needed = " or ".join(roles)
        raise NotAllowed(
            f"To {what} takes the role {needed}; {user.shown} is {', '.join(user.roles) or 'without role'}."
        )
    return user


def may_read(user: Any) -> User:
    """Anyone with a role may look."""
    return _need(user, ROLES, "see this")


def may_work(user: Any, what: str) -> User:
    """Analysts and approvers take in, correct and decide."""
    return _need(user, ("analyst", "approver"), what)


THIS_MACHINE = "this machine"  # whoever may run commands on it may look after people; the record says "Pravin"


def may_administer(user: Any, what: str) -> User | None:
    """Administrators look after people, and whoever may run commands on this machine (then nobody is returned)."""
    if user is THIS_MACHINE:
        return None
    return _need(user, ("administrator",), what)


def may_release(user: Any, what: str = "publish a release") -> User:
    """Only approvers release."""
    return _need(user, ("approver",), what)


def sign_in(request: HttpRequest, username: str, password: str) -> User:
    """Start a session. Raises NotSignedIn when name or password is wrong (or after too many tries)."""
    user = authenticate(request, username=username, password=password)
    if not isinstance(user, User):
        raise NotSignedIn("Name or password is wrong. After eight failed tries, wait a quarter of an hour.")
    login(request, user, backend="pravin_server.accounts.backends.WithRoles")
    note(user, "signed in")
    return user


def sign_out(request: HttpRequest) -> None:
    """End the session."""
    logout(request)


def make_user(username: str, password: str, display_name: str, roles: list[str]) -> User:
    """Create a person with roles, or bring an existing one up to date."""
    user, _ = User.objects.get_or_create(username=username)
    user.display_name = display_name
    user.set_password(password)
    user.save()
    user.groups.set([Group.objects.get_or_create(name=role)[0] for role in roles])
    return user


def change_password(request: HttpRequest, old: str, new: str) -> None:
    """Change one's own password; this session goes on, all others end."""
    from pravin_server.accounts.people import change_own_password

    person = may_read(request.user)
    change_own_password(person, old, new)
    update_session_auth_hash(request, person)


def make_token(user: Any, name: str, rights: str = ApiToken.Rights.WORK, days: int = 365) -> tuple[ApiToken, str]:
    """A token with which a program may act for the person for some days, and its text, which is shown this once."""
    person = may_work(user, "make a token")
    text = f"pravin-{secrets.token_urlsafe(32)}"
    token = ApiToken.objects.create(user=person, name=name, begins=text[:12], digest=_digest(text), rights=rights,
                                    ends=timezone.now() + timedelta(days=days))  # fmt: skip
    note(person, f"made the token {name!r} ({token.begins}…, {rights}, {days} days)")
    return token, text


def drop_token(user: Any, token_id: int) -> None:
    """A token is not taken any more."""
    person = may_work(user, "withdraw a token")
    token = ApiToken.objects.filter(pk=token_id, user=person).first()
    if token is None:
        raise NotFound("You have no such token.")
    note(person, f"withdrew the token {token.name!r} ({token.begins}…)")
    token.delete()


def owner_of_token(text: str, method: str) -> User:
    """The person for whom a token acts. Raises NotSignedIn when there is none, NotAllowed when it may only read."""
    token = ApiToken.objects.select_related("user").filter(digest=_digest(text)).first()
    if token is None:
        raise NotSignedIn("The token is not known. It may have been withdrawn.")
    now = timezone.now()
    if token.ends is not None and token.ends < now:
        raise NotSignedIn(f"The token ended on {token.ends:%Y-%m-%d}. Make a new one.")
    if token.rights == ApiToken.Rights.READ and method not in ("GET", "HEAD", "OPTIONS"):
        raise NotAllowed("This token may only read.")
    if token.last_used is None or now - token.last_used > timedelta(minutes=1):
        ApiToken.objects.filter(pk=token.pk).update(last_used=now)
    return token.user


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()
