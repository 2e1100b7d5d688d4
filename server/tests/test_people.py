"""People: the first administrator, joining, roles, disabling, passwords, tokens; and the check of the record."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from io import StringIO
from typing import Any

import pytest
from django.core.management import CommandError, call_command
from django.db import connection
from django.test import Client
from django.utils import timezone

from conftest import Browser
from pravin_server.accounts.models import ApiToken, Invitation, User
from pravin_server.accounts.services import make_user
from pravin_server.activity.models import Event
from pravin_server.activity.services import note, verify

Make = Callable[[str | None], Browser]
GOOD = {"password": "a long enough secret"}


def command(*arguments: str) -> str:
    out = StringIO()
    call_command("people", *arguments, stdout=out)
    return out.getvalue().strip()


def admin() -> Browser:
    browser = Browser(None)
    browser.client.force_login(make_user("keeper", "secret-pass", "Keeper", ["administrator"]))
    return browser


@pytest.mark.django_db
def test_from_a_one_time_address_to_an_administrator_an_analyst_and_an_approver() -> None:
    assert not User.objects.exists()
    path = command("first", "--address", "http://x").removeprefix("http://x/join")
    nobody = Browser(None)
    assert nobody("GET", f"/invitations{path}", expect=200)["purpose"] == "first"
    nobody("POST", f"/invitations{path}", {"username": "k", **GOOD}, expect=422)
    nobody("POST", f"/invitations{path}", {"username": "keeper", "password": "short"}, expect=422)
    nobody("POST", f"/invitations{path}", {"username": "keeper", "name": "K", **GOOD}, expect=200)
    nobody("POST", f"/invitations{path}", {"username": "second", **GOOD}, expect=404)  # once
    assert command("first") == ""
    signed = Browser(None)
    assert signed("POST", "/session", {"username": "keeper", **GOOD}, expect=200)["roles"] == ["administrator"]
    signed("POST", "/feeds", {"name": "X"}, expect=403)  # looks after people, not data
    for name, roles in (("ana", ["analyst"]), ("app", ["analyst", "approver"])):
        joined = signed("POST", "/people", {"username": name, "roles": roles}, expect=201)["path"].removeprefix("/join")
        Browser(None)("POST", f"/invitations{joined}", GOOD, expect=200)
        person = Browser(None)
        assert person("POST", "/session", {"username": name, **GOOD}, expect=200)["roles"] == roles
        person("POST", "/feeds", {"name": f"Feed of {name}"}, expect=201)
        person("GET", "/people", expect=403)
    signed("POST", "/people", {"username": "ANA", "roles": []}, expect=409)
    assert [item["username"] for item in signed("GET", "/people", expect=200)] == ["ana", "app", "keeper"]
    assert len(signed("GET", f"/people/{User.objects.get(username='ana').pk}/sign-ins", expect=200)) == 1


def test_what_somebody_holds_ends_at_once_when_they_are_disabled_or_lose_a_role(browser: Make, db: None) -> None:
    keeper, analyst = admin(), browser("ana")
    person = User.objects.get(username="ana")
    token = analyst("POST", "/tokens", {"name": "nightly"}, expect=201)["text"]
    program = Client(headers={"Authorization": f"Bearer {token}"})
    assert program.get("/api/feeds").status_code == 200
    keeper("PATCH", f"/people/{person.pk}", {"roles": ["viewer"]}, expect=200)
    analyst("POST", "/feeds", {"name": "X"}, expect=403)
    assert program.post("/api/feeds", {"name": "X"}, content_type="application/json").status_code == 403
    keeper("PATCH", f"/people/{person.pk}", {"active": False}, expect=200)
    for method, path in (("GET", "/feeds"), ("GET", "/activity"), ("POST", "/feeds")):
        analyst(method, path, {"name": "X"} if method == "POST" else None, expect=401)
    assert program.get("/api/feeds").status_code == 401
    analyst("POST", "/session", {"username": "ana", "password": "secret-pass"}, expect=401)
    keeper("PATCH", f"/people/{person.pk}", {"active": True, "roles": ["analyst"]}, expect=200)
    assert not ApiToken.objects.filter(user=person).exists()
    analyst("GET", "/feeds", expect=401)  # the former session stays ended


def test_one_administrator_remains(db: None) -> None:
    keeper = admin()
    own = User.objects.get(username="keeper").pk
    for change in ({"roles": ["viewer"]}, {"active": False}):
        assert "must remain" in keeper("PATCH", f"/people/{own}", change, expect=422)["detail"]
    assert User.objects.get(pk=own).roles == ["administrator"]


def test_a_reset_takes_the_old_password_and_gives_a_new_one_once(browser: Make, db: None) -> None:
    keeper, analyst = admin(), browser("ana")
    person = User.objects.get(username="ana")
    first = keeper("POST", f"/people/{person.pk}/reset", expect=201)["path"].removeprefix("/join")
    second = keeper("POST", f"/people/{person.pk}/reset", expect=201)["path"].removeprefix("/join")
    analyst("GET", "/feeds", expect=401)
    nobody = Browser(None)
    nobody("POST", "/session", {"username": "ana", "password": "secret-pass"}, expect=401)
    nobody("POST", f"/invitations{first}", GOOD, expect=404)
    Invitation.objects.update(ends=timezone.now() - timedelta(minutes=1))
    nobody("POST", f"/invitations{second}", GOOD, expect=404)
    third = keeper("POST", f"/people/{person.pk}/reset", expect=201)["path"].removeprefix("/join")
    nobody("POST", f"/invitations{third}", GOOD, expect=200)
    nobody("POST", "/session", {"username": "ana", **GOOD}, expect=200)


def test_the_own_password_is_changed_with_the_old_one(browser: Make, db: None) -> None:
    analyst = browser("ana")
    elsewhere = Browser(None)
    elsewhere("POST", "/session", {"username": "ana", "password": "secret-pass"}, expect=200)
    analyst("PUT", "/session/password", {"old": "wrong", "new": GOOD["password"]}, expect=422)
    analyst("PUT", "/session/password", {"old": "secret-pass", "new": "short"}, expect=422)
    analyst("PUT", "/session/password", {"old": "secret-pass", "new": GOOD["password"]}, expect=204)
    analyst("GET", "/feeds", expect=200)
    elsewhere("GET", "/feeds", expect=401)


def test_tokens_have_rights_and_an_end(browser: Make, db: None) -> None:
    analyst = browser("ana")
    result = analyst("POST", "/tokens", {"name": "report", "rights": "read", "days": 7}, expect=201)
    assert (result["rights"], result["ends"][:10]) == ("read", f"{timezone.now() + timedelta(days=7):%Y-%m-%d}")
    program = Client(headers={"Authorization": f"Bearer {result['text']}"})
    assert program.get("/api/feeds").status_code == 200
    assert program.post("/api/feeds", {"name": "X"}, content_type="application/json").status_code == 403
    ApiToken.objects.update(ends=timezone.now() - timedelta(seconds=1))
    assert "ended" in program.get("/api/feeds").json()["detail"]
    analyst("POST", "/tokens", {"name": "for ever", "days": 5000}, expect=422)


@pytest.mark.django_db
def test_people_are_looked_after_from_the_command_line() -> None:
    assert command("add", "ana", "--roles", "analyst", "--address", "http://x").startswith("http://x/join/")
    with pytest.raises(CommandError, match="no role"):
        command("add", "eve", "--roles", "boss")
    with pytest.raises(CommandError, match="Nobody signs in"):
        command("reset", "nobody")
    make_user("keeper", "x", "K", ["administrator"])
    command("disable", "ana")
    assert "disabled" in command("list")
    command("enable", "ana")
    command("roles", "ana", "--roles", "viewer")
    assert User.objects.get(username="ana").roles == ["viewer"]
    assert [event.user for event in Event.objects.filter(what__startswith="disabled")] == [None]


def tamper(statement: str, values: list[Any]) -> None:
    with connection.cursor() as cursor:
        cursor.execute("SET LOCAL session_replication_role = replica")  # as whoever owns the database could
        cursor.execute(statement, values)
        cursor.execute("SET LOCAL session_replication_role = origin")


@pytest.mark.parametrize(("statement", "why"), [
    ("UPDATE activity_event SET what = 'did nothing' WHERE id = %s", "changed after"),
    ("UPDATE activity_event SET details = '{\"a\": 2}' WHERE id = %s", "changed after"),
    ("UPDATE activity_event SET user_id = NULL WHERE id = %s", "changed after"),
    ("DELETE FROM activity_event WHERE id = %s", "taken away"),
])  # fmt: skip
def test_the_check_of_the_record_says_where_it_is_broken(browser: Make, db: None, statement: str, why: str) -> None:
    viewer = browser("vic")
    person = User.objects.get(username="vic")
    events = [note(person, f"did {number}", details={"a": 1}) for number in range(5)]
    whole = viewer("GET", "/activity/check", expect=200)
    assert (whole["entries"], whole["broken"], whole["newest"]) == (5, None, events[-1].hash)
    out = StringIO()
    call_command("verify", stdout=out)
    assert "5 entries" in out.getvalue()
    tamper(statement, [events[2].pk])
    result = viewer("GET", "/activity/check", expect=200)
    assert result["broken"] == events[3 if "DELETE" in statement else 2].pk
    assert why in result["why"]
    with pytest.raises(CommandError, match="broken at entry"):
        call_command("verify")


def test_a_long_entry_is_kept_whole(db: None) -> None:
    event = note(None, "x" * 5000)
    assert (len(event.what), event.details["whole"]) == (400, "x" * 5000)
    assert verify().broken is None
