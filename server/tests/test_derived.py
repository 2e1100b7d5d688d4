"""Feeds made from the releases of others: delivered anew whenever one changes, against a plain reckoning; and where columns come from."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from typing import Any

import pyarrow.parquet as pq
import pytest
from django.db import connection
from test_adding_up import publish

from conftest import KILLED, Browser, do_work, until_the_database_let_go
from pravin_server.common.jobs import perform
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import snapshot_of
from pravin_server.derived.making import deliver
from pravin_server.derived.models import DerivedDelivery, DerivedPlan
from pravin_server.feeds.models import Feed
from pravin_server.releases.models import Release

Make = Callable[[str | None], Browser]
ROUNDS = int(os.environ.get("PRAVIN_KILL_ROUNDS", "4"))
STEPS: list[dict[str, Any]] = [
    {"kind": "look-up", "id": "s1", "reference": "ponds", "keys": [{"code": "pond", "meaning": "no"}], "take": ["valley"]},
    {"kind": "summarise", "id": "s2", "groups": ["valley"], "measures": [
        {"what": "sum", "column": "fish", "name": "fish in all"}, {"what": "records", "name": "counts"}]},
]  # fmt: skip
PONDS = {"1": "Upper", "2": "Upper", "3": "Lower"}


def feed_of(approver: Browser, name: str, text: str, rules: list[dict[str, Any]] | None = None) -> int:
    slug = name.lower().replace(" ", "-")
    approver("POST", "/feeds", {"name": name}, expect=201)
    if rules:
        approver("PUT", f"/feeds/{slug}/rulebook", {"based_on": 0, "change": "first", "rules": rules}, expect=200)
    return delivered(approver, slug, text)


def delivered(approver: Browser, slug: str, text: str) -> int:
    delivery = int(approver.upload(slug, **{f"{slug}-file": text.encode()})["id"])
    do_work()
    return delivery


def counts_file(rows: list[tuple[str, int]]) -> str:
    return "".join(["pond;fish\n", *(f"{pond};{fish}\n" for pond, fish in rows)])


@pytest.fixture
def ponds(browser: Make) -> Browser:
    """The register of ponds and the first month of counts, both released; a feed made of them that has no plan yet."""
    approver = browser("app")
    register = "no;valley\n" + "".join(f"{no};{valley}\n" for no, valley in PONDS.items())
    publish(approver, feed_of(approver, "Ponds", register))
    rules = [{"kind": "to-number", "id": "n", "columns": ["fish"]}]
    publish(approver, feed_of(approver, "Counts", counts_file([("1", 4), ("3", 10), ("2", 5), ("9", 1)]), rules))
    approver("POST", "/feeds", {"name": "Valleys"}, expect=201)
    return approver


def plan(approver: Browser, expect: int = 200, **more: Any) -> Any:
    body = {"base": "counts", "steps": STEPS, "version": 0, **more}
    answer = approver("PUT", "/feeds/valleys/derived-from", body, expect=expect)
    do_work()
    return answer


def made() -> list[list[tuple[str | None, ...]]]:
    """The records of each delivery of the derived feed, oldest first."""
    tables = []
    for delivery in Delivery.objects.filter(feed__slug="valleys").order_by("number"):
        rows = [row for part in snapshot_of(delivery).parts for row in pq.read_table(part).to_pylist()]
        tables.append([tuple(row[name] for name in delivery.columns) for row in rows])
    return tables


def traced(approver: Browser, column: str) -> dict[tuple[str, str, str], list[tuple[str, str, str]]]:
    lines = approver("GET", f"/feeds/valleys/lineage/column?name={column}", expect=200)
    return {
        (line["at"], line["where"], line["column"]): [(b["at"], b["where"], b["column"]) for b in line["before"]]
        for line in lines
    }


def reckoned(rows: list[tuple[str, int]]) -> list[tuple[str | None, ...]]:
    sums: dict[str | None, list[int]] = {}
    for pond, fish in rows:
        sums.setdefault(PONDS.get(pond), []).append(fish)
    return [(valley, str(sum(some)), str(len(some))) for valley, some in sums.items()]


def test_a_derived_feed_is_delivered_anew_when_a_source_is_released_or_withdrawn(ponds: Browser) -> None:
    first = [("1", 4), ("3", 10), ("2", 5), ("9", 1)]
    told = plan(ponds)
    assert (told["version"], told["sources"]) == (1, ["counts", "ponds"])
    assert made() == [reckoned(first)]
    state = ponds("GET", "/feeds/valleys/derived-from", expect=200)["plan"]
    assert (state["is_current"], state["last_failed"], state["last_said"]) == (
        True,
        False,
        "delivery 1 was made, 3 records",
    )
    second = [("3", 7), ("3", 8), ("2", -1)]
    delivery = delivered(ponds, "counts", counts_file(second))
    release = publish(ponds, delivery)
    do_work()
    assert made() == [reckoned(first), reckoned(second)]
    ponds("POST", f"/releases/{release['id']}/withdraw", {"justification": "counted twice"}, expect=200)
    do_work()
    assert made() == [reckoned(first), reckoned(second), reckoned(first)]  # the state of before, delivered again
    kept = [[each["releases"] for each in one.sources] for one in DerivedDelivery.objects.order_by("delivery__number")]
    assert kept[0] == kept[2] != kept[1]
    assert DerivedDelivery.objects.latest("delivery__number").records == [4, 4, 3]
    ponds("POST", "/feeds/valleys/derived-from/deliver", expect=200)
    do_work()
    assert len(made()) == 3  # nothing changed: nothing is delivered
    assert ponds("GET", "/feeds/valleys/derived-from")["plan"]["last_said"] == "nothing changed since the last delivery"


def test_what_is_made_has_types_goes_through_its_own_rules_and_is_a_source_itself(ponds: Browser) -> None:
    plan(ponds)
    feed = ponds("GET", "/feeds/valleys", expect=200)
    delivery = feed["deliveries"][0]["id"]
    types = {column["name"]: column["type"] for column in Feed.objects.get(slug="valleys").design}
    assert types == {"valley": "text", "fish in all": "decimal", "counts": "whole number"}
    assert not Delivery.objects.get(pk=delivery).changes.exists()
    rules = [{"kind": "required", "id": "v", "columns": ["valley"]}]
    ponds("PUT", "/feeds/valleys/rulebook", {"based_on": 0, "change": "first", "rules": rules}, expect=200)
    assert publish(ponds, delivery)["records"] == 2  # pond 9 is in no valley
    do_work()
    ponds("POST", "/feeds", {"name": "Basin"}, expect=201)
    above = {"base": "valleys", "steps": [], "version": 0}
    ponds("PUT", "/feeds/basin/derived-from", above, expect=200)
    do_work()
    assert ponds("GET", "/feeds/basin/derived-from")["plan"]["last_said"] == "delivery 1 was made, 2 records"
    told = ponds("GET", "/feeds/counts/lineage", expect=200)
    assert [(each["slug"], each["depth"]) for each in told["feeds"]] == [
        ("counts", 0), ("ponds", 0), ("valleys", 1), ("basin", 2),
    ]  # fmt: skip
    assert [(way["source"], way["target"]) for way in told["ways"]] == [
        ("counts", "valleys"), ("ponds", "valleys"), ("valleys", "basin"),
    ]  # fmt: skip
    assert [way["used"] for way in told["ways"]] == [[1], [1], [1]]
    assert [each["is_current"] for each in told["feeds"]] == [True] * 4
    (file,) = told["feeds"][0]["files"]
    assert (file["name"], file["delivery"]) == ("counts-file.txt", 1)


def test_a_column_is_traced_through_rules_feeds_and_deliveries_to_the_heads_of_files(ponds: Browser) -> None:
    plan(ponds)
    delivery = ponds("GET", "/feeds/valleys")["deliveries"][0]["id"]
    rules = [
        {
            "kind": "compute",
            "id": "c",
            "columns": ["fish each"],
            "formula": "\"fish in all\" / counts || ' of ' || valley",
        }
    ]
    ponds("PUT", "/feeds/valleys/rulebook", {"based_on": 0, "change": "first", "rules": rules}, expect=200)
    rules = [
        {
            "kind": "compute",
            "id": "c",
            "columns": ["fish each"],
            "formula": 'to_text(to_number("fish in all")) || valley',
        }
    ]
    ponds("PUT", "/feeds/valleys/rulebook", {"based_on": 1, "change": "shorter", "rules": rules}, expect=200)
    publish(ponds, delivery)
    assert traced(ponds, "fish%20each") == {
        ("released", "valleys", "fish each"): [
            ("delivered", "valleys", "fish in all"),
            ("delivered", "valleys", "valley"),
        ],
        ("delivered", "valleys", "fish in all"): [("released", "counts", "fish")],
        ("delivered", "valleys", "valley"): [("released", "ponds", "valley")],
        ("released", "counts", "fish"): [("delivered", "counts", "fish")],
        ("released", "ponds", "valley"): [("delivered", "ponds", "valley")],
        ("delivered", "counts", "fish"): [("file", "counts-file.txt", "fish")],
        ("delivered", "ponds", "valley"): [("file", "ponds-file.txt", "valley")],
        ("file", "counts-file.txt", "fish"): [],
        ("file", "ponds-file.txt", "valley"): [],
    }
    rules = [{"kind": "compute", "id": "n", "columns": ["fish"], "formula": "to_number(fish) + length(pond)"}]
    ponds("PUT", "/feeds/counts/rulebook", {"based_on": 1, "change": "longer", "rules": rules}, expect=200)
    publish(ponds, delivered(ponds, "counts", counts_file([("1", 1)])))
    do_work()
    still = traced(ponds, "fish%20each")  # what is released of valleys was made of the release before
    assert still["released", "counts", "fish"] == [("delivered", "counts", "fish")]
    ponds("GET", "/feeds/valleys/lineage/column?name=nothing", expect=404)


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ({"base": "nowhere"}, "There is no feed “nowhere”."),
        ({"base": "valleys"}, "Valleys is the feed itself"),
        ({"steps": [{**STEPS[0], "reference": "lakes"}]}, "There is no feed “lakes”."),
        ({"steps": [{"kind": "required", "id": "r", "columns": ["pond"]}]}, "is a check"),
        ({"steps": [{**STEPS[0], "take": ["owner"]}]}, "has no column 'owner'"),
        ({"steps": [{**STEPS[0], "keys": []}]}, ""),
        ({"steps": [{**STEPS[1], "groups": ["vally"]}]}, "needs the column 'vally'"),
        ({"steps": [{"kind": "remove-fitting", "id": "f", "formula": "fish > :most"}]}, "There is no parameter"),
    ],
)
def test_a_plan_that_cannot_be_carried_out_is_not_kept(ponds: Browser, body: dict[str, Any], words: str) -> None:
    assert words in plan(ponds, expect=422, **body)["detail"]
    assert not DerivedPlan.objects.exists()
    tried = ponds("POST", "/feeds/valleys/derived-from/try", {"base": "counts", "steps": STEPS, **body}, expect=200)
    assert tried["problem"]
    assert words in tried["problem"]
    assert tried["rows"] == []


def test_steps_take_parameters_as_they_are_when_the_table_is_made(ponds: Browser) -> None:
    parameter = {"name": "most", "type": "number", "default": "5"}
    ponds("PUT", "/library/parameters", parameter, expect=200)
    plan(ponds, steps=[{"kind": "remove-fitting", "id": "f", "formula": "fish > :most"}])
    assert made() == [[("1", "4"), ("2", "5"), ("9", "1")]]
    ponds("PUT", "/library/parameters", {**parameter, "default": "4"}, expect=200)
    assert ponds("GET", "/feeds/valleys/derived-from")["plan"]["is_current"] is False
    ponds("POST", "/feeds/valleys/derived-from/deliver", expect=200)
    do_work()
    assert made()[1:] == [[("1", "4"), ("9", "1")]]


def test_heads_are_those_of_their_own_file_also_where_others_are_called_alike(browser: Make) -> None:
    approver = browser("app")
    for name in ("Larks", "Finches"):
        approver("POST", "/feeds", {"name": name}, expect=201)
        delivery = approver.upload(name.lower(), birds=b"nest;eggs\n1;2\n")["id"]
        do_work()
        publish(approver, delivery)
    approver("POST", "/feeds", {"name": "Valleys"}, expect=201)
    append = {"kind": "append-table", "id": "a", "reference": "finches"}
    approver("PUT", "/feeds/valleys/derived-from", {"base": "larks", "steps": [append], "version": 0}, expect=200)
    do_work()
    publish(approver, approver("GET", "/feeds/valleys")["deliveries"][0]["id"])
    lines = approver("GET", "/feeds/valleys/lineage/column?name=eggs", expect=200)
    drawn = {
        file["id"]: feed["slug"]
        for feed in approver("GET", "/feeds/valleys/lineage")["feeds"]
        for file in feed["files"]
    }
    heads = [line for line in lines if line["at"] == "file"]
    assert sorted(drawn[head["id"]] for head in heads) == ["finches", "larks"]
    assert {(head["where"], head["column"]) for head in heads} == {("birds.txt", "eggs")}


def test_no_table_is_made_from_itself_through_others(ponds: Browser) -> None:
    plan(ponds)
    ponds("POST", "/feeds", {"name": "Basin"}, expect=201)
    ponds("PUT", "/feeds/basin/derived-from", {"base": "valleys", "steps": [], "version": 0}, expect=200)
    answer = ponds("PUT", "/feeds/counts/derived-from", {"base": "basin", "steps": [], "version": 0}, expect=422)
    assert "Basin is made from Counts" in answer["detail"]
    offered = [each["slug"] for each in ponds("GET", "/feeds/counts/derived-from", expect=200)["tables"]]
    assert offered == ["ponds"]


def test_a_plan_is_tried_on_all_records_step_by_step(ponds: Browser) -> None:
    body = {"base": "counts", "steps": STEPS}
    tried = ponds("POST", "/feeds/valleys/derived-from/try", body, expect=200)
    assert tried["records"] == [4, 4, 3]
    assert [[column["name"] for column in step] for step in tried["columns"]] == [
        ["pond", "fish"], ["pond", "fish", "valley"], ["valley", "fish in all", "counts"],
    ]  # fmt: skip
    assert tried["rows"] == [["Upper", "9", "2"], ["Lower", "10", "1"], [None, "1", "1"]]
    broken = {"base": "counts", "steps": [STEPS[0], {**STEPS[1], "groups": []}]}
    tried = ponds("POST", "/feeds/valleys/derived-from/try", broken, expect=200)
    assert (tried["step"], len(tried["columns"])) == (2, 2)


def test_a_plan_waits_for_its_sources_and_two_people_do_not_overwrite_each_other(ponds: Browser) -> None:
    ponds("POST", "/feeds", {"name": "Weirs"}, expect=201)
    look = {"kind": "append-table", "id": "a", "reference": "weirs"}
    told = plan(ponds, steps=[look])
    waiting = ponds("GET", "/feeds/valleys/derived-from")["plan"]
    assert (waiting["is_current"], waiting["last_failed"]) == (False, False)
    assert waiting["last_said"].startswith("Nothing is released of Weirs yet.")
    assert "changed since you looked" in plan(ponds, expect=409)["detail"]
    plan(ponds, version=told["version"])
    assert len(made()) == 1
    ponds("DELETE", "/feeds/valleys/derived-from", expect=204)
    assert ponds("GET", "/feeds/valleys/derived-from")["plan"] is None
    assert len(made()) == 1


SCRIPT = """
import sys
import django
django.setup()
from pravin_server.derived.making import deliver
print("there", flush=True)
deliver(int(sys.argv[1]), lambda *step: True)
print("done", flush=True)
"""


@pytest.mark.django_db(transaction=True)
def test_killed_at_any_moment_a_derived_feed_is_delivered_once_and_whole(settings: Any) -> None:
    rng, approver = random.Random(29), Browser("app")
    register = "no;valley\n" + "".join(f"{no};{valley}\n" for no, valley in PONDS.items())
    publish(approver, feed_of(approver, "Ponds", register))
    rows = [(rng.choice("1239"), rng.randrange(100)) for _ in range(20_000)]
    rules = [{"kind": "to-number", "id": "n", "columns": ["fish"]}]
    publish(approver, feed_of(approver, "Counts", counts_file(rows), rules))
    approver("POST", "/feeds", {"name": "Valleys"}, expect=201)
    approver("PUT", "/feeds/valleys/derived-from", {"base": "counts", "steps": STEPS, "version": 0}, expect=200)
    Job.objects.all().delete()  # the test does the work itself
    plan_id = DerivedPlan.objects.get().pk
    environment = {
        **os.environ,
        "PRAVIN_DATABASE": connection.settings_dict["NAME"],
        "PRAVIN_CACHE": str(settings.CACHE_DIR),
        **KILLED,
    }
    unfinished = 0
    for number in range(1, ROUNDS + 1):
        process = subprocess.Popen(
            [sys.executable, "-c", SCRIPT, str(plan_id)], env=environment, stdout=subprocess.PIPE, text=True, start_new_session=True
        )  # fmt: skip
        assert process.stdout is not None
        assert process.stdout.readline() == "there\n"
        time.sleep(rng.uniform(0, 1.2))
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        until_the_database_let_go()
        there = DerivedDelivery.objects.count()
        assert there in (number - 1, number)
        unfinished += there < number
        deliver(plan_id, lambda *step: True)  # type: ignore[arg-type]
        deliver(plan_id, lambda *step: True)  # type: ignore[arg-type]
        assert DerivedDelivery.objects.count() == number
        do_work()
        assert sorted(made()[-1], key=str) == sorted(reckoned(rows), key=str)
        rows = [(rng.choice("1239"), rng.randrange(100)) for _ in range(20_000)]
        delivery = delivered(approver, "counts", counts_file(rows))
        approver("POST", f"/deliveries/{delivery}/runs", expect=201)
        do_work()
        run = approver("GET", f"/deliveries/{delivery}/release", expect=200)["run"]
        release = approver("POST", f"/deliveries/{delivery}/release", {"run": run}, expect=201)["id"]
        perform(job_id=Job.objects.get(kind="publish", state="waiting").pk)
        assert Release.objects.get(pk=release).state == "published"
        assert Job.objects.filter(kind="derive", state="waiting").delete()[0] == 1  # the test does the work itself
    assert unfinished
