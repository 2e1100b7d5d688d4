"""What earlier versions stored opens and works with the code of today: databases of theirs are brought up to date."""

from __future__ import annotations

import gzip
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psycopg
import pytest
from django.core.management import call_command
from django.db import connection
from django.test import Client
from psycopg import sql

from conftest import Browser, do_work, records_for
from pravin_server.accounts.models import User
from pravin_server.activity.services import verify
from pravin_server.quarantine.models import ReasonCount

STORED = sorted((Path(__file__).parent / "stored").glob("*.sql.gz"))
DATABASE = "pravin_stored"


def admin() -> psycopg.Connection[Any]:
    where = connection.settings_dict
    return psycopg.connect(
        dbname="postgres", host=where["HOST"], port=where["PORT"], user=where["USER"], password=where["PASSWORD"], autocommit=True
    )  # fmt: skip


@pytest.fixture(scope="module", params=STORED, ids=lambda path: path.name)
def upgraded(request: pytest.FixtureRequest, django_db_setup: None, django_db_blocker: Any) -> Iterator[None]:
    """The default connection leads to a stored database, migrated; afterwards to the one of the other tests again."""
    with django_db_blocker.unblock():
        connection.close()
        name = sql.Identifier(DATABASE)
        with admin() as con:
            con.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(name))
            con.execute(sql.SQL("CREATE DATABASE {}").format(name))
        before, connection.settings_dict["NAME"] = connection.settings_dict["NAME"], DATABASE
        try:
            with connection.cursor() as cursor:
                cursor.execute(gzip.decompress(request.param.read_bytes()).decode())
            connection.close()  # the dump changes settings of its session
            call_command("migrate", verbosity=0, interactive=False)
            yield
        finally:
            connection.close()
            connection.settings_dict["NAME"] = before
            with admin() as con:
                con.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(name))


@pytest.fixture
def approver(upgraded: None, django_db_blocker: Any) -> Iterator[Browser]:
    """The person who was there already."""
    with django_db_blocker.unblock():
        person = Browser(None)
        person.client = Client()
        person.client.force_login(User.objects.get(username="app"))
        yield person


def newest(person: Browser) -> tuple[int, int]:
    """The two deliveries: the released one and the other."""
    released, other = person("GET", "/feeds/samples", expect=200)["deliveries"]
    return released["id"], other["id"]


def test_there_are_stored_databases(db: None) -> None:
    assert STORED  # with `db`: the tests' own database is made, which the connection returns to


def test_every_page_of_it_opens(approver: Browser) -> None:
    for delivery in newest(approver):
        for path in (
            "", "/files", "/sources", "/design", "/totals", "/profile", "/findings", "/records", "/rejected", "/quarantine",
            "/quarantine/records", "/release", "/sql", "/variants?column=site", "/values?name=site",
        ):  # fmt: skip
            approver("GET", f"/deliveries/{delivery}{path}", expect=200)
    for path in (
        "/feeds", "/quarantine", "/releases", "/library", "/activity", "/people", "/rule-kinds", "/feeds/samples/rulebook",
        "/feeds/samples/revisions", "/feeds/samples/columns", "/feeds/samples/schema", "/feeds/samples/filters",
        "/feeds/samples/ways-in", "/feeds/samples/rulebook.html", "/feeds/samples/rulebook.json",
    ):  # fmt: skip
        expected = 403 if path == "/people" else 200
        approver("GET", path, expect=expected)


def test_counts_say_what_they_said(approver: Browser) -> None:
    released, other = newest(approver)
    for delivery in (released, other):
        head = approver("GET", f"/deliveries/{delivery}", expect=200)
        quarantine = approver("GET", f"/deliveries/{delivery}/quarantine", expect=200)
        assert head["quarantined"] == quarantine["total"] == head["balance"]["quarantined"] > 0
        assert head["decided"] == 2
        reasons = approver("GET", f"/deliveries/{delivery}/quarantine/counts", expect=200)["reasons"]
        for reason in reasons:
            place = f"/deliveries/{delivery}/quarantine/records?{records_for(reason)}"
            listed = approver("GET", place, expect=200)
            assert listed["total"] == reason["records"]
        assert sum(reason["records"] for reason in reasons) >= quarantine["total"]
    assert ReasonCount.objects.exists()
    state = {
        item["finding"]["id"]: item["state"] for item in approver("GET", f"/deliveries/{other}/findings", expect=200)
    }
    assert list(state.values()).count("dismissed") == 1


def test_rules_are_what_they_were_and_can_be_changed(approver: Browser) -> None:
    book = approver("GET", "/feeds/samples/rulebook", expect=200)
    rules = [rule["rule"] for rule in book["rules"]]
    assert len(rules) == 11
    assert not [rule for rule in rules if rule["kind"] == "unusable"]
    exported = approver("GET", "/feeds/samples/rulebook.json", expect=200)
    assert exported["rules"] == rules
    number = book["revision"]["number"]
    kept = approver(
        "PUT", "/feeds/samples/rulebook", {"based_on": number, "change": "one less", "rules": rules[1:]}, expect=200
    )
    assert len(kept["rules"]) == 10
    approver("POST", "/feeds/samples/rulebook/undo", {"based_on": kept["revision"]["number"]}, expect=200)
    again = approver("GET", "/feeds/samples/rulebook", expect=200)
    assert [rule["rule"] for rule in again["rules"]] == rules


def test_the_release_is_handed_out_and_the_next_one_published(approver: Browser) -> None:
    _, other = newest(approver)
    (first,) = approver("GET", "/releases", expect=200)
    data = b"".join(approver.client.get(f"/api/releases/{first['id']}/data?form=csv"))
    assert len(data.splitlines()) == first["records"] + 1
    before = approver("GET", f"/deliveries/{other}", expect=200)["balance"]
    approver("POST", f"/deliveries/{other}/runs", expect=201)
    do_work()
    head = approver("GET", f"/deliveries/{other}", expect=200)
    assert head["balance"] == before  # the same rules, decisions and bytes give the same result
    approver("POST", f"/deliveries/{other}/release", {"run": head["run"]["id"]}, expect=201)
    do_work()
    result = approver("GET", "/releases", expect=200)[0]
    assert (result["state"], result["number"]) == ("published", first["number"] + 1)
    assert result["records"] == before["ready"] + before["corrected"]
    approver("POST", f"/releases/{result['id']}/withdraw", {"justification": "again"}, expect=200)
    with connection.cursor() as cursor:  # the view shows the earlier version's table again
        cursor.execute("SELECT count(*) FROM released.samples")
        assert cursor.fetchone() == (first["records"],)


def test_the_record_of_activity_still_holds_together(approver: Browser) -> None:
    assert verify().broken is None


def test_next_month_arrives_as_before(approver: Browser) -> None:
    month = approver.upload(
        "samples", april=b"id|site|ph|sampled|amount|note\n900|A|7.1|01.04.2024|3.5|x\n901|B|99|02.04.2024|4|y\n"
    )
    do_work()
    approver("POST", f"/deliveries/{month['id']}/runs", expect=201)
    do_work()
    head = approver("GET", f"/deliveries/{month['id']}", expect=200)
    assert (head["state"], head["balance"]["delivered"], head["quarantined"]) == ("read", 2, 1)
