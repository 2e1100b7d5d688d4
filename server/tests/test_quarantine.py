"""Cases over their whole life: set apart, met again by their key, decided one by one and in bulk, undone, released later."""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from datetime import timedelta
from typing import Any
from urllib.parse import urlencode

import pytest
from django.db import connection
from django.utils import timezone

from conftest import Browser, do_work
from pravin_server.activity.services import first_broken
from pravin_server.quarantine.models import CaseStep, Decision, Match
from pravin_server.runs.models import Run

Make = Callable[[str | None], Browser]
RULES: list[dict[str, Any]] = [
    {"kind": "trim-spaces", "id": "trim", "columns": []},
    {"kind": "to-number", "id": "number", "columns": ["amount"]},
    {"kind": "required", "id": "site", "columns": ["site"]},
    {"kind": "in-range", "id": "range", "columns": ["amount"], "low": "0", "high": "100"},
]
Row = tuple[str, str, str]


def lines(rows: list[Row]) -> bytes:
    return "\n".join(["id|site|amount", *("|".join(row) for row in rows)]).encode() + b"\n"


def is_wrong(row: Row) -> bool:
    """Whether a record breaks a check, told from the file alone."""
    try:
        amount = float(row[2])
    except ValueError:
        return True
    return not row[1].strip() or not 0 <= amount <= 100


@pytest.fixture
def feed(browser: Make) -> Browser:
    """The feed `stock` with its rules and the key `id`, and an approver who works on it."""
    approver = browser("app")
    approver("POST", "/feeds", {"name": "Stock"}, expect=201)
    approver("PUT", "/feeds/stock/rulebook", {"based_on": 0, "change": "first", "rules": RULES}, expect=200)
    return approver


def deliver(approver: Browser, rows: list[Row], run: bool = True) -> int:
    delivery: int = approver.upload("stock", stock=lines(rows))["id"]
    do_work()
    if run:
        approver("POST", f"/deliveries/{delivery}/runs", expect=201)
        do_work()
    return delivery


def agree_key(approver: Browser, *columns: str) -> None:
    approver("PUT", "/feeds/stock/key", {"columns": columns}, expect=200)


def decide(approver: Browser, delivery: int, kind: str, expect: int = 201, **more: Any) -> Any:
    answer = approver("POST", f"/deliveries/{delivery}/decisions", {"kind": kind, **more}, expect=expect)
    do_work()
    return answer


def standing(approver: Browser, delivery: int) -> tuple[int, int, int]:
    """How many of a delivery's cases wait, are settled by a later delivery, and wait in a later one; told alike everywhere."""
    told = approver("GET", f"/deliveries/{delivery}/quarantine", expect=200)
    for name in ("waiting", "settled", "again"):
        page = approver("GET", f"/deliveries/{delivery}/quarantine/records?standing={name}&limit=500", expect=200)
        counted = approver("GET", f"/deliveries/{delivery}/quarantine/counts?standing={name}", expect=200)
        assert page["total"] == counted["total"] == told[name]
        assert len(page["rows"]) == min(500, told[name])
    assert told["waiting"] + told["settled"] + told["again"] == told["total"]
    head = approver("GET", f"/deliveries/{delivery}", expect=200)
    assert head["quarantined"] == told["waiting"]
    assert head["run"]["outcome"]["reconciliation"]["quarantined"] == told["total"]
    return told["waiting"], told["settled"], told["again"]


def numbers(approver: Browser, delivery: int, **query: Any) -> list[int]:
    if "where" in query:
        query["where"] = json.dumps(query["where"])
    place = f"/deliveries/{delivery}/quarantine/records?{urlencode({'limit': 500, **query})}"
    return [row["record"] for row in approver("GET", place, expect=200)["rows"]]


def test_a_case_from_month_to_month(feed: Browser) -> None:
    """4,000 records, 211 set apart for two reasons; the next delivery brings 105 of them, 100 filled; the rest is decided."""
    drawn = random.Random(17)
    first: list[Row] = [(str(n), "AB"[n % 2], str(drawn.randint(0, 100))) for n in range(1, 4001)]
    bad = drawn.sample(range(4000), 211)
    for at in bad[:120]:
        first[at] = (first[at][0], "", first[at][2])
    for at in bad[120:]:
        first[at] = (first[at][0], first[at][1], "1,5")
    assert sum(map(is_wrong, first)) == 211
    one = deliver(feed, first)
    agree_key(feed, "id")
    assert standing(feed, one) == (211, 0, 0)
    publish(feed, one)
    assert released() == {row[0] for row in first if not is_wrong(row)}

    second: list[Row] = [(first[at][0], "C", "7") for at in bad[:100]]
    second += [(first[at][0], "", "7") for at in bad[100:105]]
    second += [(str(n), "D", "8") for n in range(5000, 5300)]
    two = deliver(feed, second)
    assert standing(feed, one) == (106, 100, 5)
    assert standing(feed, two) == (5, 0, 0)
    (line_one, line_two) = feed("GET", "/quarantine", expect=200)  # what waits the longest is first
    assert (line_one["records"], line_two["records"]) == (106, 5)
    # both sides of a match are told, and lead to each other
    met = feed("GET", f"/deliveries/{one}/quarantine/records?standing=settled&limit=500", expect=200)["rows"]
    assert {(first[row["record"] - 1][0], row["settled_by"]) for row in met} == {(first[at][0], 2) for at in bad[:100]}
    assert all(second[row["there"] - 1][0] == first[row["record"] - 1][0] for row in met)
    life = feed("GET", f"/deliveries/{one}/records/{met[0]['record']}/life", expect=200)
    assert [(o["number"], o["record"]) for o in life["others"]] == [(2, met[0]["there"])]
    publish(feed, two)
    assert released() == {row[0] for row in second if not is_wrong(row)}

    # 20 amended by one formula, 10 accepted until a day, 3 discarded
    unread = numbers(feed, one, where=[{"on": "reason", "value": "2", "name": "amount"}])
    assert [first[n - 1][2] for n in unread] == ["1,5"] * 91
    formula = {"column": "amount", "formula": "replace(amount, ',', '.')"}
    body = {"kind": "amend", "records": unread[:20], **formula}
    tried = feed("POST", f"/deliveries/{one}/decisions/preview", body, expect=200)
    assert (tried["records"], tried["states"]) == (20, {"corrected": 20})
    assert tried["examples"][0]["changes"] == [{"name": "amount", "before": "1,5", "after": "1.5"}]
    decide(feed, one, "amend", records=unread[:20], **formula)
    assert standing(feed, one) == (86, 100, 5)
    tomorrow = (timezone.localdate() + timedelta(days=1)).isoformat()
    decide(feed, one, "accept", records=unread[20:30], justification="known", until=tomorrow)
    decide(feed, one, "discard", records=unread[30:33], justification="test records")
    assert standing(feed, one) == (73, 100, 5)
    balance = feed("GET", f"/deliveries/{one}", expect=200)["balance"]
    # the ten that were accepted lose what could not be read: corrected, not as delivered
    parts = {"ready": 3789, "corrected": 30, "quarantined": 178, "removed": 3, "rejected": 0}
    assert balance == {"delivered": 4000, "added": 0, **parts}

    # the follow-up release takes the place of the first for this delivery; the table of the newest delivery stays shown
    offered = feed("GET", f"/deliveries/{one}/release", expect=200)
    assert (offered["follow_up"], offered["against"]) == (True, 1)
    publish(feed, one)
    assert released() == {row[0] for row in second if not is_wrong(row)}
    third, second_release, first_release = feed("GET", "/releases", expect=200)
    assert [(r["number"], r["state"], r["replaced_by"]) for r in (first_release, second_release, third)] == [
        (1, "published", 3), (2, "published", None), (3, "published", None),
    ]  # fmt: skip
    assert (first_release["records"], third["records"]) == (3789, 3819)
    life = feed("GET", f"/deliveries/{one}/records/{unread[0]}/life", expect=200)
    assert [release["number"] for release in life["releases"]] == [3]
    feed("POST", f"/deliveries/{one}/release", {"run": offered["run"]}, expect=409)
    assert first_broken() is None


def publish(approver: Browser, delivery: int) -> None:
    proposal = approver("GET", f"/deliveries/{delivery}/release", expect=200)
    assert [gate["evidence"] for gate in proposal["gates"] if not gate["met"]] == []
    approver("POST", f"/deliveries/{delivery}/release", {"run": proposal["run"]}, expect=201)
    do_work()


def released() -> set[str]:
    with connection.cursor() as cursor:
        cursor.execute("SELECT id FROM released.stock")
        return {row[0] for row in cursor.fetchall()}


def test_withdrawing_a_follow_up_release_shows_the_former_again(feed: Browser) -> None:
    one = deliver(feed, [("1", "A", "5"), ("2", "", "5")])
    publish(feed, one)
    decide(feed, one, "accept", records=[2], justification="known")
    publish(feed, one)
    assert released() == {"1", "2"}
    newest = feed("GET", "/releases", expect=200)[0]
    feed("POST", f"/releases/{newest['id']}/withdraw", {"justification": "too early"}, expect=200)
    assert released() == {"1"}
    assert [r["replaced_by"] for r in feed("GET", "/releases", expect=200)] == [None, None]


def test_a_rerun_or_another_reading_undoes_what_a_later_delivery_settled(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "5"), ("3", "A", "5")])
    agree_key(feed, "id")
    two = deliver(feed, [("1", "B", "5"), ("2", "B", "500")])
    assert standing(feed, one) == (0, 1, 1)
    stricter = [*RULES, {"kind": "allowed-values", "id": "sites", "columns": ["site"], "values": ["A"]}]
    feed("PUT", "/feeds/stock/rulebook", {"based_on": 1, "change": "stricter", "rules": stricter}, expect=200)
    feed("POST", f"/deliveries/{two}/runs", expect=201)
    do_work()
    assert standing(feed, one) == (0, 0, 2)
    assert standing(feed, two) == (2, 0, 0)
    (source,) = feed("GET", f"/deliveries/{two}/sources", expect=200)
    feed("PUT", f"/deliveries/{two}/sources/{source['id']}/settings", {"request": {"skip_lines": 1, "header_rows": 0, "names": ["id", "site", "amount"]}}, expect=200)  # fmt: skip
    do_work()
    assert feed("GET", f"/deliveries/{two}", expect=200)["run"] is None
    assert standing(feed, one) == (2, 0, 0)
    agree_key(feed)
    assert not Match.objects.exists()


def read_header_as_record(feed: Browser, delivery: int) -> None:
    """Read a delivery otherwise, with a record more before all others, and run it."""
    (source,) = feed("GET", f"/deliveries/{delivery}/sources", expect=200)
    request = {"header_rows": 0, "names": ["id", "site", "amount"]}
    feed("PUT", f"/deliveries/{delivery}/sources/{source['id']}/settings", {"request": request}, expect=200)
    do_work()
    changes = feed("GET", f"/deliveries/{delivery}/design", expect=200)["changes"]
    choices = [{"change": change["id"], "choice": "accept it"} for change in changes]
    if choices:
        feed("POST", f"/deliveries/{delivery}/design", {"choices": choices}, expect=200)
        do_work()
    feed("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()


def test_decisions_go_with_their_records_when_a_delivery_is_read_otherwise(feed: Browser) -> None:
    """The header is read as a record too: what was decided on record 2 holds for what is record 3 then."""
    one = deliver(feed, [("1", "A", "5"), ("2", "", "5"), ("3", "", "5")])
    act = decide(feed, one, "amend", records=[2], values={"site": "B"})["decision"]
    read_header_as_record(feed, one)
    assert numbers(feed, one) == [1, 4]
    cells = feed("GET", f"/deliveries/{one}/records/3/life", expect=200)["cells"]
    assert {cell["name"]: cell["current"] for cell in cells} == {"id": "2", "site": "B", "amount": "5"}
    told = feed("GET", f"/deliveries/{one}/quarantine", expect=200)["decisions"]
    assert [(d["holds"], d["read_otherwise"], d["who"]) for d in told] == [(True, False, "App"), (False, True, "App")]
    assert told[1]["id"] == act


def test_the_first_ready_arrival_settles_and_nothing_is_counted_twice(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "5"), ("", "", "5")])
    agree_key(feed, "id")
    two = deliver(feed, [("1", "", "6"), ("2", "B", "6"), ("", "B", "6")])
    three = deliver(feed, [("1", "C", "7"), ("2", "", "7"), ("2", "C", "7")])
    # record 1 waited in delivery 2 and came ready with 3; record 2 was settled by 2 at once; without a key nothing is met
    assert standing(feed, one) == (1, 2, 0)
    rows = feed("GET", f"/deliveries/{one}/quarantine/records?standing=settled", expect=200)["rows"]
    assert [(row["record"], row["settled_by"], row["there"]) for row in rows] == [(1, 3, 1), (2, 2, 2)]
    assert standing(feed, two) == (0, 1, 0)
    assert standing(feed, three) == (1, 0, 0)


def test_a_case_keeps_its_age_over_runs_and_ends_once(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "x"), ("3", "A", "5")])
    first = feed("GET", f"/deliveries/{one}/quarantine/records", expect=200)["rows"]
    decide(feed, one, "amend", records=[2], values={"site": "B"})  # still wrong: amount
    again = feed("GET", f"/deliveries/{one}/quarantine/records", expect=200)["rows"]
    assert [row["since"] for row in again] == [row["since"] for row in first]
    (line,) = feed("GET", "/quarantine", expect=200)
    assert line["since"] == first[0]["since"]
    assert [reason["name"] for reason in again[1]["reasons"]] == ["amount"]
    decide(feed, one, "amend", records=[2], values={"amount": "7"})  # the first amendment still holds
    assert numbers(feed, one) == [1]
    runs = feed("GET", f"/deliveries/{one}/records/2/life", expect=200)["runs"]
    assert [run["opened"] for run in runs] == [True, False]
    steps = list(CaseStep.objects.values_list("opened_count", "ended_count", "waiting"))
    assert steps == [(2, 0, 2), (0, 0, 2), (0, 1, 1)]


def test_all_that_fit_are_decided_as_one_act_and_undone_as_one(feed: Browser) -> None:
    rows: list[Row] = [(str(n), "" if n % 2 else "A", "500" if n % 3 == 0 else "5") for n in range(1, 61)]
    one = deliver(feed, rows)
    reason = feed("GET", f"/deliveries/{one}/quarantine/counts", expect=200)["reasons"][0]
    assert (reason["name"], reason["records"]) == ("site", 30)
    where = [{"on": "reason", "value": "3", "name": "site"}, {"on": "formula", "value": "id > '3'"}]
    fit = numbers(feed, one, where=where)
    assert fit == [n for n in range(1, 61) if n % 2 and str(n) > "3"]
    asked = {"where": where, "count": len(fit), "values": {"site": "Z"}}
    decide(feed, one, "amend", expect=409, **{**asked, "count": len(fit) - 1})
    events = feed("GET", "/activity", expect=200)["total"]
    act = decide(feed, one, "amend", **asked)["decision"]
    entries = feed("GET", "/activity", expect=200)
    assert entries["total"] == events + 2  # the decision and its run
    entry = next(event for event in entries["events"] if event["details"].get("decision") == act)
    assert (entry["details"]["records"], len(entry["details"]["filters"])) == (len(fit), 2)
    assert numbers(feed, one) == [n for n in range(1, 61) if n % 3 == 0 or (n % 2 and n not in fit)]
    feed("POST", f"/deliveries/{one}/decisions/{act}/undo", expect=201)
    do_work()
    assert numbers(feed, one) == [n for n in range(1, 61) if n % 3 == 0 or n % 2]
    feed("POST", f"/deliveries/{one}/decisions/{act}/undo", expect=409)
    (told,) = feed("GET", f"/deliveries/{one}/quarantine", expect=200)["decisions"]
    assert (told["holds"], told["undone_by"], told["records"]) == (False, "App", len(fit))
    assert Decision.objects.count() == 1


def test_a_run_that_kept_its_decisions_as_former_versions_did(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "5")])
    run = Run.objects.latest("id")
    run.decisions = [
        {"record": 1, "kind": "amend", "values": {"site": "A"}},
        {"record": 2, "kind": "accept", "values": {}},
    ]
    run.save()
    assert feed("GET", f"/deliveries/{one}/quarantine", expect=200)["not_applied"] == 0
    # its result is made again under them: no record of it stands in quarantine, and none is shown that is not there
    page = feed("GET", f"/deliveries/{one}/quarantine/records", expect=200)
    assert (page["total"], page["rows"]) == (0, [])
    decide(feed, one, "discard", records=[2], justification="twice")
    assert numbers(feed, one) == [1]


def test_two_people_deciding_on_the_same_records(feed: Browser, browser: Make) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "5"), ("3", "", "5")])
    ana = browser("ana")
    seen = feed("GET", f"/deliveries/{one}/quarantine", expect=200)["run"]
    feed("POST", f"/deliveries/{one}/decisions", {"kind": "discard", "records": [1, 2], "justification": "twice", "run": seen}, expect=201)  # fmt: skip
    late = {"kind": "amend", "records": [2, 3], "values": {"site": "X"}, "run": seen}
    refused = ana("POST", f"/deliveries/{one}/decisions", late, expect=409)
    assert refused["detail"].startswith("App discarded 1 record of these since you looked.")
    do_work()
    refused = ana("POST", f"/deliveries/{one}/decisions", late, expect=409)
    ana("POST", f"/deliveries/{one}/decisions", {**late, "records": [3]}, expect=201)
    do_work()
    assert numbers(feed, one) == []
    assert Decision.objects.count() == 2


def test_decisions_wait_for_one_run(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "x"), ("3", "A", "5")])
    for record, values in ((1, {"site": "A"}), (2, {"site": "B"}), (2, {"amount": "6"})):
        decide(feed, one, "amend", records=[record], values=values, apply=False)
    told = feed("GET", f"/deliveries/{one}/quarantine", expect=200)
    assert (told["not_applied"], told["waiting"]) == (3, 2)
    gates = feed("GET", f"/deliveries/{one}/release", expect=200)["gates"]
    assert "decisions were taken since" in " ".join(gate["evidence"] for gate in gates if not gate["met"])
    feed("POST", f"/deliveries/{one}/decisions/apply", expect=201)
    do_work()
    told = feed("GET", f"/deliveries/{one}/quarantine", expect=200)
    assert (told["not_applied"], told["waiting"]) == (0, 0)


def test_exceptions_end_with_their_last_day(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5")])
    act = decide(feed, one, "accept", records=[1], justification="known", until=timezone.localdate().isoformat())
    assert numbers(feed, one) == []
    Decision.objects.filter(pk=act["decision"]).update(until=timezone.localdate() - timedelta(days=1))
    told = feed("GET", f"/deliveries/{one}/quarantine", expect=200)
    assert (told["not_applied"], told["decisions"][0]["holds"]) == (1, False)
    feed("POST", f"/deliveries/{one}/runs", expect=201)
    do_work()
    assert numbers(feed, one) == [1]


def test_owners_days_and_comments_need_no_run(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "5"), ("3", "", "5")])
    people = {
        person["name"]: person["owner"] for person in feed("GET", f"/deliveries/{one}/quarantine", expect=200)["people"]
    }
    runs = CaseStep.objects.count()
    decide(feed, one, "assign", records=[1, 2], owner=people["App"])
    day = (timezone.localdate() + timedelta(days=3)).isoformat()
    wait = decide(feed, one, "wait", records=[2], until=day, justification="asked the supplier")
    decide(feed, one, "comment", records=[2], justification="looks like a broken probe")
    assert (CaseStep.objects.count(), wait["run"]) == (runs, None)
    rows = feed("GET", f"/deliveries/{one}/quarantine/records", expect=200)["rows"]
    assert [(row["owner"], row["due"]) for row in rows] == [("App", None), ("App", day), ("", None)]
    assert numbers(feed, one, owner=people["App"]) == [1, 2]
    assert numbers(feed, one, owner=0) == [3]
    owners = feed("GET", f"/deliveries/{one}/quarantine/counts", expect=200)["owners"]
    assert {one["name"]: one["records"] for one in owners} == {"": 1, "App": 2}
    assert numbers(feed, one, overdue=True) == []
    Decision.objects.filter(pk=wait["decision"]).update(until=timezone.localdate() - timedelta(days=1))
    assert numbers(feed, one, overdue=True) == [2]
    said = [act["justification"] for act in feed("GET", f"/deliveries/{one}/records/2/life", expect=200)["decisions"]]
    assert said == ["", "asked the supplier", "looks like a broken probe"]


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ({"kind": "accept", "records": [1]}, "takes a justification"),
        ({"kind": "comment", "records": [1], "justification": " "}, "needs words"),
        ({"kind": "wait", "records": [1]}, "until which day"),
        ({"kind": "wait", "records": [1], "until": "2020-01-01"}, "is past"),
        ({"kind": "assign", "records": [1], "owner": 10**6}, "an analyst or approver"),
        ({"kind": "amend", "records": [1]}, "at least one value"),
        ({"kind": "amend", "records": [1], "values": {"nothere": "1"}}, "no column 'nothere'"),
        ({"kind": "amend", "records": [1], "column": "amount", "formula": "amount +"}, ""),
        ({"kind": "amend", "records": [3], "values": {"site": "A"}}, "not in quarantine any more"),
        ({"kind": "discard", "where": [{"on": "text", "value": "nowhere"}], "justification": "x"}, "No record fits"),
        ({"kind": "discard", "justification": "x"}, "which records it is about"),
        ({"kind": "discard", "records": [1], "where": [], "justification": "x"}, "which records it is about"),
        ({"kind": "discard", "records": [0], "justification": "x"}, "numbered from 1"),
        ({"kind": "discard", "where": [{"on": "column", "name": "gone", "value": "x"}], "justification": "x"}, "gone"),
    ],
)
def test_what_cannot_be_decided_is_said_and_changes_nothing(feed: Browser, body: dict[str, Any], words: str) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "5"), ("3", "A", "5")])
    refused = feed("POST", f"/deliveries/{one}/decisions", body, expect=422)
    assert words in json.dumps(refused, ensure_ascii=False)
    assert not Decision.objects.exists()


@pytest.mark.parametrize("kind", ["assign", "comment", "wait", "return"])
def test_what_changes_no_record_cannot_be_tried(feed: Browser, kind: str) -> None:
    one = deliver(feed, [("1", "", "5")])
    refused = feed("POST", f"/deliveries/{one}/decisions/preview", {"kind": kind, "records": [1]}, expect=422)
    assert "nothing to try" in refused["detail"]
