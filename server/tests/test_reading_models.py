"""The board and the head of a delivery: a fixed number of queries, and the same counts as the pages they lead to."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from conftest import Browser, do_work, records_for
from pravin_server.deliveries.models import DeliveryProfile
from pravin_server.quarantine.models import ReasonCount

MOST = 8
Make = Callable[[str | None], Browser]
LINES = b"id|site|ph\n1|A|7\n2||99\n3|C|-4\n4||6\n"
CHECKS: list[dict[str, Any]] = [
    {"kind": "to-number", "id": "n", "columns": ["ph"]},
    {"kind": "required", "id": "s", "columns": ["site"]},
    {"kind": "in-range", "id": "r", "columns": ["ph"], "low": "0", "high": "14"},
]


@contextmanager
def at_most(queries: int) -> Iterator[None]:
    """Fails when more queries are made inside."""
    with CaptureQueriesContext(connection) as capture_queries_context:
        yield
    assert len(capture_queries_context) <= queries, "\n".join(item["sql"][:200] for item in capture_queries_context)


DIRTY = LINES + b"".join(
    b"%d|%s|%s\n" % (n, b"n/a" if n % 9 == 0 else b" D", b"7" if n % 5 else b"7,5") for n in range(5, 90)
)


def months(person: Browser, feed: str, count: int, runs: bool = True, lines: bytes = LINES) -> list[int]:
    """Deliveries of a new feed, each run; gives their ids."""
    person("POST", "/feeds", {"name": feed}, expect=201)
    person("PUT", f"/feeds/{feed}/rulebook", {"based_on": 0, "change": "first", "rules": CHECKS}, expect=200)
    results = []
    for month in range(count):
        results.append(person.upload(feed, month=lines + b"%d|D|7\n" % (100 + month))["id"])
        do_work()
        if runs:
            person("POST", f"/deliveries/{results[-1]}/runs", expect=201)
            do_work()
    return results


def test_the_board_takes_a_fixed_number_of_queries(browser: Make, db: None) -> None:
    approver = browser("app")
    months(approver, "first", 3)
    with at_most(MOST):
        assert len(approver("GET", "/feeds", expect=200)) == 1
    for feed in ("second", "third", "fourth"):
        months(approver, feed, 2, runs=feed != "fourth")
    with at_most(MOST):
        board = approver("GET", "/feeds", expect=200)
    assert {line["slug"]: len(line["deliveries"]) for line in board} == {
        "first": 3,
        "second": 2,
        "third": 2,
        "fourth": 2,
    }
    assert {line["slug"]: line["waiting"] for line in board} == {
        "first": "3 quarantined in delivery 3", "second": "3 quarantined in delivery 2",
        "third": "3 quarantined in delivery 2", "fourth": "delivery 2 is new",
    }  # fmt: skip


def test_the_board_shows_the_last_dozen_in_time_order(browser: Make, db: None) -> None:
    approver = browser("app")
    months(approver, "long", 14, runs=False)
    line = approver("GET", "/feeds/long", expect=200)
    assert [delivery["number"] for delivery in line["deliveries"]] == list(range(3, 15))


def test_all_deliveries_of_a_feed_are_listed_a_page_at_a_time_as_the_board_tells_them(browser: Make, db: None) -> None:
    approver = browser("app")
    ids = months(approver, "monthly", 5, runs=False)
    [elsewhere] = months(approver, "other", 1, runs=False)
    newest = approver("GET", "/deliveries?feed=monthly&limit=3", expect=200)
    assert [each["id"] for each in newest] == ids[:1:-1]
    assert newest[::-1] == approver("GET", "/feeds/monthly", expect=200)["deliveries"][2:]
    older = approver("GET", f"/deliveries?feed=monthly&before={newest[-1]['id']}", expect=200)
    assert [each["id"] for each in older] == ids[1::-1]
    assert approver("GET", f"/deliveries?feed=monthly&before={ids[0]}", expect=200) == []
    with at_most(MOST):
        assert [each["id"] for each in approver("GET", "/deliveries", expect=200)] == [elsewhere, *ids[::-1]]
    for wrong in ("before=0", "limit=0", "limit=1001", "before=x"):
        approver("GET", f"/deliveries?{wrong}", expect=422)
    approver("GET", "/deliveries?feed=nowhere", expect=404)


def test_the_head_takes_a_fixed_number_of_queries(browser: Make, db: None) -> None:
    approver = browser("app")
    *_, last = months(approver, "first", 3)
    approver("POST", f"/deliveries/{last}/trials", expect=201)
    do_work()
    approver(
        "POST",
        f"/deliveries/{last}/decisions",
        {"records": [2], "kind": "discard", "justification": "twice"},
        expect=201,
    )
    do_work()
    with at_most(MOST + 1):  # one is for the contract, whose gate is among those counted
        head = approver("GET", f"/deliveries/{last}", expect=200)
    assert (head["quarantined"], head["decided"], head["gates_open"]) == (2, 1, 0)
    assert head["run"]["purpose"] == "run"
    assert head["trial"]["purpose"] == "trial"
    assert head["job"] is None
    assert head["last_job"]["kind"] == "run"


def test_the_head_counts_what_its_pages_list(browser: Make, db: None) -> None:
    approver = browser("app")
    (only,) = months(approver, "first", 1, lines=DIRTY)
    head = approver("GET", f"/deliveries/{only}", expect=200)
    quarantine = approver("GET", f"/deliveries/{only}/quarantine", expect=200)
    gates = approver("GET", f"/deliveries/{only}/release", expect=200)["gates"]
    findings = approver("GET", f"/deliveries/{only}/findings", expect=200)
    grave = [finding for finding in findings if finding["finding"]["severity"] != "low" and finding["state"] == "open"]
    assert (head["quarantined"], head["gates_open"], head["findings"]) == (
        quarantine["total"], sum(not gate["met"] for gate in gates), len(grave),
    )  # fmt: skip
    assert grave
    approver(
        "POST",
        f"/deliveries/{only}/findings/dismiss",
        {"ids": [grave[0]["finding"]["id"]], "reason": "known"},
        expect=204,
    )
    assert approver("GET", f"/deliveries/{only}", expect=200)["findings"] == len(grave) - 1


def test_the_head_speaks_of_the_newer_trial_and_before_any_run_of_the_delivery(browser: Make, db: None) -> None:
    approver = browser("app")
    (only,) = months(approver, "first", 1, runs=False)
    head = approver("GET", f"/deliveries/{only}", expect=200)
    assert (head["balance_of"], head["balance"]["delivered"], head["balance"]["ready"]) == ("delivery", 5, 5)
    assert (head["run"], head["gates_open"], head["speaking"]) == (None, None, None)
    approver("POST", f"/deliveries/{only}/runs", expect=201)
    do_work()
    approver("PUT", "/feeds/first/rulebook", {"based_on": 1, "change": "fewer", "rules": CHECKS[:1]}, expect=200)
    approver("POST", f"/deliveries/{only}/trials", expect=201)
    do_work()
    head = approver("GET", f"/deliveries/{only}", expect=200)
    assert (head["balance_of"], head["speaking"]) == ("trial", head["trial"]["id"])
    assert head["balance"]["quarantined"] == 0
    assert head["quarantined"] == 3


def test_the_head_of_a_delivery_that_is_not_there(browser: Make, db: None) -> None:
    assert browser("vic")("GET", "/deliveries/77", expect=404)["detail"] == "There is no delivery 77."


def test_a_profile_without_findings_has_none_open(browser: Make, db: None) -> None:
    approver = browser("app")
    (only,) = months(approver, "first", 1, runs=False)
    for content in ({"columns": []}, {"columns": [], "findings": []}):
        DeliveryProfile.objects.update(content=content)
        assert approver("GET", f"/deliveries/{only}", expect=200)["findings"] == 0
    DeliveryProfile.objects.all().delete()
    assert approver("GET", f"/deliveries/{only}", expect=200)["findings"] == 0


def test_reasons_are_counted_once_and_as_the_records_say(browser: Make, db: None) -> None:
    approver = browser("app")
    (only,) = months(approver, "first", 1)
    with CaptureQueriesContext(connection) as capture_queries_context:
        result = approver("GET", f"/deliveries/{only}/quarantine/counts", expect=200)
    assert not any("jsonb_array_elements" in item["sql"] for item in capture_queries_context)
    assert {(reason["rule"], reason["name"]): reason["records"] for reason in result["reasons"]} == {
        (2, "site"): 2,
        (3, "ph"): 2,
    }
    for reason in result["reasons"]:  # each count opens as many records
        listed = approver("GET", f"/deliveries/{only}/quarantine/records?{records_for(reason)}", expect=200)
        assert listed["total"] == len(listed["rows"]) == reason["records"]


def test_reasons_of_an_earlier_run_give_way(browser: Make, db: None) -> None:
    approver = browser("app")
    (only,) = months(approver, "first", 1)
    approver("PUT", "/feeds/first/rulebook", {"based_on": 1, "change": "fewer", "rules": CHECKS[:2]}, expect=200)
    approver("POST", f"/deliveries/{only}/runs", expect=201)
    do_work()
    assert list(ReasonCount.objects.values_list("rule", "name", "records")) == [(2, "site", 2)]


def test_the_quarantine_over_all_feeds(browser: Make, db: None) -> None:
    approver = browser("app")
    older, newer = months(approver, "first", 2)
    months(approver, "second", 1, runs=False)
    approver(
        "POST",
        f"/deliveries/{older}/decisions",
        {"records": [2, 3, 4], "kind": "discard", "justification": "no"},
        expect=201,
    )
    do_work()
    (line,) = approver("GET", "/quarantine", expect=200)
    assert (line["delivery"]["id"], line["records"], len(line["reasons"])) == (newer, 3, 2)
    with at_most(MOST + 2):
        approver("GET", "/quarantine", expect=200)


@pytest.mark.parametrize("rights", [[], ["viewer"]])
def test_what_a_person_may_do_follows_their_roles_at_once(rights: list[str], browser: Make, db: None) -> None:
    person, admin = browser("ana"), browser("adm")
    person("GET", "/feeds", expect=200)
    (known,) = [item for item in admin("GET", "/people", expect=200) if item["username"] == "ana"]
    admin("PATCH", f"/people/{known['id']}", {"roles": rights}, expect=200)
    person("GET", "/feeds", expect=200 if rights else 403)
    person("POST", "/feeds", {"name": "New"}, expect=403)


def test_the_board_is_of_its_schema_to_the_letter(browser: Make, db: None) -> None:
    """Its answer is written without being looked at once more, so it is looked at here."""
    approver = browser("app")
    months(approver, "first", 2)
    approver("POST", "/feeds", {"name": "empty"}, expect=201)
    board = approver("GET", "/feeds", expect=200)
    assert [each["slug"] for each in board] == ["first", "empty"]
    assert len(board[0]["deliveries"]) == 2
    for line in board:
        assert line == approver("GET", f"/feeds/{line['slug']}", expect=200)
