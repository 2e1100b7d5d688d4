"""Readers of released tables: each signs in with its own role, and reads the views that it was given and nothing else."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from typing import Any

import psycopg
import pytest
from django.db import connection
from psycopg import errors

from conftest import Browser, do_work
from pravin_server.activity.models import Event

Make = Callable[[str | None], Browser]
pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture(autouse=True)
def _roles_end(transactional_db: None) -> Iterator[None]:
    """Roles are the cluster's: those that a test made end with it."""
    yield
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT rolname FROM pg_roles WHERE rolname LIKE %s", [f"{connection.settings_dict['NAME']}_reader_%"]
        )
        for (role,) in cursor.fetchall():
            name = psycopg.sql.Identifier(role)
            cursor.execute(psycopg.sql.SQL("DROP OWNED BY {}").format(name))
            cursor.execute(psycopg.sql.SQL("DROP ROLE {}").format(name))


@pytest.fixture
def approver(browser: Make) -> Browser:
    """Two released feeds, wells and pumps, in the hands of an approver."""
    person = browser("app")
    for name in ("Wells", "Pumps"):
        person("POST", "/feeds", {"name": name}, expect=201)
        release(person, name.lower(), b"id|depth\n1|7\n2|9\n")
    return person


def release(person: Browser, slug: str, data: bytes) -> int:
    """Take in, run and publish a delivery; the release's id."""
    delivery = person.upload(slug, rows=data)["id"]
    do_work()
    run = person("POST", f"/deliveries/{delivery}/runs", expect=201)["id"]
    do_work()
    published = person("POST", f"/deliveries/{delivery}/release", {"run": run}, expect=201)["id"]
    do_work()
    return int(published)


def signed_in(made: dict[str, Any], program: str = "") -> psycopg.Connection[Any]:
    """A connection as a reader makes it."""
    where = connection.settings_dict
    return psycopg.connect(
        host=where["HOST"], port=where["PORT"], dbname=where["NAME"], user=made["role"], password=made["password"],
        autocommit=True, application_name=program,
    )  # fmt: skip


def may(made: dict[str, Any], query: str) -> bool:
    with signed_in(made) as con:
        try:
            con.execute(query)
        except errors.InsufficientPrivilege:
            return False
        return True


def test_a_reader_reads_its_views_and_nothing_else(approver: Browser) -> None:
    made = approver("POST", "/readers", {"name": "Reports", "feeds": ["wells"]}, expect=201)
    with signed_in(made) as con:
        assert con.execute("SELECT id, depth FROM released.wells ORDER BY id").fetchall() == [("1", "7"), ("2", "9")]
    for query in (
        "SELECT * FROM released.pumps", "SELECT * FROM released._feed_1_release_1", "SELECT * FROM public.accounts_user",
        "DELETE FROM released.wells", "CREATE TABLE released.mine (a int)", "CREATE VIEW released.mine AS SELECT 1",
    ):  # fmt: skip
        try:
            assert not may(made, query), query
        except errors.UndefinedTable:  # tables of releases are numbered on
            assert "_release_" in query
    approver("PUT", f"/readers/{made['id']}", {"feeds": ["pumps"]}, expect=200)
    assert [may(made, f"SELECT * FROM released.{view}") for view in ("wells", "pumps")] == [False, True]
    approver("PUT", f"/readers/{made['id']}", {"feeds": []}, expect=200)
    assert [may(made, f"SELECT * FROM released.{view}") for view in ("wells", "pumps")] == [False, False]


def test_a_reader_keeps_its_view_when_it_is_made_anew_and_gets_it_when_it_comes(approver: Browser) -> None:
    approver("POST", "/feeds", {"name": "Weirs"}, expect=201)
    made = approver("POST", "/readers", {"name": "Reports", "feeds": ["wells", "weirs"]}, expect=201)
    release(approver, "weirs", b"id|gate\n1|open\n")
    assert may(made, "SELECT gate FROM released.weirs")
    # other columns: the view is dropped and made again
    other = approver.upload("wells", rows=b"id|metres\n1|8\n")["id"]
    do_work()
    changes = approver("GET", f"/deliveries/{other}/design")["changes"]
    choices = [{"change": each["id"], "choice": each["choices"][0]} for each in changes]
    approver("POST", f"/deliveries/{other}/design", {"choices": choices}, expect=200)
    do_work()
    run = approver("POST", f"/deliveries/{other}/runs", expect=201)["id"]
    do_work()
    approver("POST", f"/deliveries/{other}/release", {"run": run}, expect=201)
    do_work()
    with signed_in(made) as con:
        assert con.execute("SELECT count(*) FROM released.wells").fetchone() == (1,)
    # withdrawn until nothing is left, and released again
    for line in approver("GET", "/releases"):
        if line["feed"]["slug"] == "wells" and line["state"] == "published":
            approver("POST", f"/releases/{line['id']}/withdraw", {"justification": "x", "ends_view": True}, expect=200)
    with pytest.raises(errors.UndefinedTable), signed_in(made) as con:
        con.execute("SELECT * FROM released.wells")
    release(approver, "wells", b"id|depth\n1|7\n")
    assert may(made, "SELECT * FROM released.wells")


def test_a_password_is_shown_once_and_another_takes_its_place(approver: Browser) -> None:
    first = approver("POST", "/readers", {"name": "Reports", "feeds": ["wells"]}, expect=201)
    second = approver("POST", f"/readers/{first['id']}/password", expect=200)
    assert second["role"] == first["role"]
    assert may(second, "SELECT * FROM released.wells")
    with pytest.raises(psycopg.OperationalError):
        signed_in(first)
    told = json.dumps(approver("GET", "/readers")) + json.dumps([[e.what, e.details] for e in Event.objects.all()])
    for made in (first, second):
        assert made["role"] in told
        assert made["password"] not in told


def test_who_is_connected_is_told_and_ended_with_the_reader(approver: Browser, browser: Make) -> None:
    made = approver("POST", "/readers", {"name": "Reports", "feeds": ["wells"]}, expect=201)
    con = signed_in(made, "nightly figures")
    con.execute("SELECT * FROM released.wells")
    told = browser("vic")("GET", "/readers", expect=200)
    (reader,) = told["readers"]
    assert [(each["program"], bool(each["asked"])) for each in reader["connections"]] == [("nightly figures", True)]
    assert (reader["name"], reader["feeds"], told["database"]) == (
        "Reports",
        ["wells"],
        connection.settings_dict["NAME"],
    )
    assert [(feed["view"], feed["is_released"]) for feed in told["feeds"]] == [
        ("released.pumps", True),
        ("released.wells", True),
    ]
    approver("DELETE", f"/readers/{made['id']}", expect=204)
    with pytest.raises(psycopg.OperationalError):
        con.execute("SELECT 1")
    with pytest.raises(psycopg.OperationalError):
        signed_in(made)
    assert browser("vic")("GET", "/readers")["readers"] == []


def test_what_cannot_be_is_refused_and_leaves_no_role(approver: Browser) -> None:
    made = approver("POST", "/readers", {"name": "Reports", "feeds": []}, expect=201)
    approver("POST", "/readers", {"name": " reports ", "feeds": []}, expect=409)
    approver("POST", "/readers", {"name": "More", "feeds": ["wells", "no-such"]}, expect=422)
    approver("PUT", f"/readers/{made['id']}", {"feeds": ["no-such"]}, expect=422)
    approver("PUT", "/readers/999999", {"feeds": []}, expect=404)
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT rolname FROM pg_roles WHERE rolname LIKE %s", [f"{connection.settings_dict['NAME']}_reader_%"]
        )
        assert cursor.fetchall() == [(made["role"],)]
