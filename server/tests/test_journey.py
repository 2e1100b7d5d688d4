"""From a file to a released table and back, through the API."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from decimal import Decimal
from typing import Any

import pytest
from django.conf import settings
from django.db import connection, transaction
from django.db.utils import ProgrammingError
from django.test.utils import CaptureQueriesContext

from conftest import DATA, Browser, do_work, records_for
from pravin_core.records.pages import find_records, page_of
from pravin_server.activity.models import Event
from pravin_server.activity.services import first_broken
from pravin_server.common.jobs import perform
from pravin_server.common.models import Job
from pravin_server.quarantine.models import CaseStep
from pravin_server.releases.models import Release
from pravin_server.runs.models import Run
from pravin_server.storage.models import StoredFile

Make = Callable[[str | None], Browser]


def run(browser: Browser, delivery: int, purpose: str = "runs") -> Any:
    browser("POST", f"/deliveries/{delivery}/{purpose}", expect=201)
    do_work()
    return browser("GET", f"/deliveries/{delivery}", expect=200)


def test_from_a_file_to_a_released_table(browser: Make, delivered: int) -> None:
    analyst, approver = browser("ana"), browser("app")
    base = f"/deliveries/{delivered}"
    work = run(analyst, delivered)
    assert work["balance"] == {
        "delivered": 6, "added": 0, "ready": 1, "corrected": 1, "quarantined": 2, "removed": 1, "rejected": 1,
    }  # fmt: skip
    reasons = analyst("GET", f"{base}/quarantine/counts", expect=200)["reasons"]
    assert {(r["name"], r["phrase"], r["records"]) for r in reasons} == {
        ("ph", "is outside 0 to 14", 1), ("ph", "could not be read", 1), ("site", "is missing", 1),
    }  # fmt: skip
    outside = next(reason for reason in reasons if reason["phrase"] == "is outside 0 to 14")
    (row,) = analyst("GET", f"{base}/quarantine/records?{records_for(outside)}", expect=200)["rows"]
    assert (row["record"], row["line"], row["reasons"][0]["value"]) == (2, 3, "74")

    tried = analyst("POST", f"{base}/quarantine/2/retry", {"values": {"ph": "7.4"}}, expect=200)
    assert (tried["state"], tried["reasons"]) == ("corrected", [])
    assert analyst("POST", f"{base}/quarantine/2/retry", {"values": {"ph": "99"}})["state"] == "quarantined"
    analyst("POST", f"{base}/decisions", {"records": [3], "kind": "discard"}, expect=422)
    analyst("POST", f"{base}/decisions", {"records": [2], "kind": "amend", "values": {"ph": "7.4"}}, expect=201)
    do_work()
    analyst("POST", f"{base}/decisions", {"records": [3], "kind": "accept", "justification": "known"}, expect=201)
    do_work()
    proposal = approver("GET", f"{base}/release", expect=200)
    assert all(gate["met"] for gate in proposal["gates"])
    assert (proposal["balance"]["quarantined"], proposal["accepted"]) == (0, 1)

    assert analyst("POST", f"{base}/release", {"run": proposal["run"]})["status"] == 403
    approver("POST", f"{base}/release", {"run": proposal["run"] - 1}, expect=409)
    approver("POST", f"{base}/release", {"run": proposal["run"]}, expect=201)
    do_work()
    release = approver("GET", f"{base}/release")["release"]
    assert (release["state"], release["records"], release["view"]) == ("published", 4, "released.samples")
    with connection.cursor() as cursor:
        cursor.execute("SELECT * FROM released.samples")
        assert cursor.fetchall() == [
            ("1", "A", Decimal("7.4"), 1, 1), ("2", "B", Decimal("7.4"), 1, 2), ("3", None, None, 1, 3),
            ("4", "C", Decimal("6.9"), 1, 4),
        ]  # fmt: skip
    download = approver.client.get(f"/api/releases/{release['id']}/data?form=csv")
    assert b"".join(download.streaming_content).splitlines()[:2] == [b"id,site,ph", b"1,A,7.4"]
    approver("POST", f"{base}/release", {"run": proposal["run"]}, expect=409)

    approver(
        "POST", f"/releases/{release['id']}/withdraw", {"justification": "wrong month", "ends_view": True}, expect=200
    )
    with connection.cursor() as cursor, pytest.raises(ProgrammingError), transaction.atomic():
        cursor.execute("SELECT * FROM released.samples")
    assert first_broken() is None


def test_the_read_only_role_reads_views_and_nothing_else(browser: Make, delivered: int) -> None:
    approver = browser("app")
    work = run(approver, delivered)
    approver("POST", f"/deliveries/{delivered}/release", {"run": work["run"]["id"]}, expect=201)
    do_work()
    table = Release.objects.get().table
    with connection.cursor() as cursor:
        cursor.execute("SET LOCAL ROLE pravin_reader")
        cursor.execute("SELECT count(*) FROM released.samples")
        assert cursor.fetchone() == (2,)
        for item in (f"SELECT * FROM released.{table}", "SELECT * FROM accounts_user", "DROP VIEW released.samples"):
            with pytest.raises(ProgrammingError), transaction.atomic():
                cursor.execute(item)
        cursor.execute("RESET ROLE")


def test_the_bytes_are_kept_exactly(delivered: int) -> None:
    stored = StoredFile.objects.get()
    assert b"".join(bytes(chunk.data) for chunk in stored.chunks.order_by("seq")) == DATA


def test_deleting_the_cache_changes_no_answer(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    work = run(analyst, delivered)
    paths = [
        f"/deliveries/{delivered}/records?run={work['run']['id']}",
        f"/deliveries/{delivered}/records?sort=ph&direction=down",
        f"/deliveries/{delivered}/rejected",
        f"/deliveries/{delivered}/quarantine/records",
        f"/deliveries/{delivered}/profile",
        f"/deliveries/{delivered}/release",
    ]
    before = [analyst("GET", path, expect=200) for path in paths]
    for path, answer in zip(paths, before, strict=True):
        shutil.rmtree(settings.CACHE_DIR, ignore_errors=True)
        assert analyst("GET", path, expect=200) == answer


@pytest.mark.parametrize(("module", "step"), [("orders", find_records), ("records_api", page_of)])
def test_deleting_the_cache_in_the_middle_changes_no_answer(
    module: str, step: Callable[..., Any], browser: Make, delivered: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    analyst = browser("ana")
    path = f"/deliveries/{delivered}/records?sort=ph"
    before = analyst("GET", path, expect=200)
    shutil.rmtree(settings.CACHE_DIR / "orders")
    seen = []

    def deleted_just_before(*given: Any) -> Any:
        if not seen:
            shutil.rmtree(settings.CACHE_DIR)
        seen.append(1)
        return step(*given)

    monkeypatch.setattr(f"pravin_server.runs.{module}.{step.__name__}", deleted_just_before)
    assert analyst("GET", path, expect=200) == before
    assert len(seen) == 2


def test_a_job_done_twice_has_one_effect(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    work = run(analyst, delivered)
    job = Job.objects.filter(kind="run").latest("id")
    Job.objects.filter(pk=job.pk).update(state="working")  # as a worker that died leaves it
    perform(job_id=job.pk)
    assert Run.objects.get(pk=work["run"]["id"]).state == "done"
    assert [(step.opened_count, step.waiting) for step in CaseStep.objects.all()] == [(2, 2)]
    assert Job.objects.get(pk=job.pk).state == "done"


def test_a_cancelled_run_changes_nothing(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    job = analyst("POST", f"/deliveries/{delivered}/runs", expect=201)["job"]
    analyst("POST", f"/jobs/{job['id']}/cancel", expect=200)
    do_work()
    assert analyst("GET", f"/jobs/{job['id']}")["state"] == "cancelled"
    assert analyst("GET", f"/deliveries/{delivered}")["run"] is None
    assert run(analyst, delivered)["quarantined"] == 2


def test_two_people_do_not_overwrite_each_other(browser: Make, delivered: int) -> None:
    analyst, approver = browser("ana"), browser("app")
    change = {"based_on": 1, "change": "emptied", "rules": []}
    approver("PUT", "/feeds/samples/rulebook", change, expect=200)
    refused = analyst("PUT", "/feeds/samples/rulebook", change, expect=409)
    assert "App changed the rulebook" in refused["detail"]


def test_import_settings_are_tried_kept_and_used(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    source = analyst("GET", f"/deliveries/{delivered}/sources")[0]
    path = f"/deliveries/{delivered}/sources/{source['id']}"
    shown = analyst("POST", f"{path}/preview", {"delimiter": ";"}, expect=200)
    assert shown["settings"]["names"] == ["id|site|ph"]
    assert analyst("GET", f"/deliveries/{delivered}")["columns"] == ["id", "site", "ph"]
    analyst("PUT", f"{path}/settings", {"request": {"delimiter": ";"}}, expect=200)
    do_work()
    work = analyst("GET", f"/deliveries/{delivered}")
    assert (work["columns"], work["records"], work["balance"]["rejected"]) == (["id|site|ph"], 6, 0)


BAD = {
    "empty": (b"", "failed"),
    "binary": (bytes(range(256)) * 20, "failed"),
    "header only": (b"a|b\n", "read"),
    "one column": (b"a\n1\n2\n", "read"),
    "wide": (b"|".join(b"c%d" % n for n in range(600)) + b"\n" + b"|".join([b"1"] * 600) + b"\n", "read"),
    "broken quotes": (b'a,b\n1,"x\n2,y\n"3"z,4\n5,"', "read"),
    "wrong encoding": (b"a;b\n1;M\xfcll\x81er\n\x80;2\n", "read"),
    "nul bytes": (b"a,b\n1,\x00\n2,3\n", "read"),
    "odd names": (b'"a""b",__record,select,A""b\n1,2,3,4\n5,6,7,8\n', "read"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_files_give_a_clear_message_or_rejected_lines(name: str, browser: Make) -> None:
    analyst = browser("ana")
    analyst("POST", "/feeds", {"name": "Bad"}, expect=201)
    data, state = BAD[name]
    delivery = analyst.upload("bad", file=data)["id"]
    do_work()
    work = analyst("GET", f"/deliveries/{delivery}", expect=200)
    assert work["state"] == state, work["error"]
    if state == "failed":
        assert work["error"]["detail"]
        return
    file = analyst("GET", f"/deliveries/{delivery}/sources")[0]["counts"]
    assert file["lines"] == file["preamble"] + file["header"] + file["record_lines"] + file["rejected"]
    analyst("GET", f"/deliveries/{delivery}/profile", expect=200)
    rows = analyst("GET", f"/deliveries/{delivery}/records", expect=200)
    assert rows["total"] == work["records"]
    done = run(analyst, delivery)
    assert done["run"]["state"] == "done"
    assert (
        sum(done["balance"][p] for p in ("ready", "corrected", "quarantined", "removed", "rejected"))
        == done["balance"]["delivered"]
    )


def test_telling_how_far_it_is_does_not_grow_with_the_columns(browser: Make) -> None:
    analyst = browser("ana")
    analyst("POST", "/feeds", {"name": "Wide"}, expect=201)
    names = b"|".join(b"c%d" % number for number in range(400))
    delivery = analyst.upload("wide", file=names + b"\n" + b"|".join([b"1"] * 400) + b"\n")["id"]
    with CaptureQueriesContext(connection) as queries:
        do_work()
    statements = [query["sql"] for query in queries]  # the next request forgets them
    assert len(analyst("GET", f"/deliveries/{delivery}/profile")["columns"]) == 400
    assert 10 < len(statements) < 400
    kept = [each for each in statements if each.startswith(("INSERT", "UPDATE")) and "deliveryprofile" in each]
    assert len(kept) > 1  # there is something to look at before the end


def test_the_activity_record_cannot_be_changed_unnoticed(browser: Make, delivered: int) -> None:
    assert Event.objects.count() >= 3
    with connection.cursor() as cursor:
        cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")  # or the table cannot be altered in this transaction
        cursor.execute("ALTER TABLE activity_event ENABLE TRIGGER activity_no_truncate")
        for item in ("UPDATE activity_event SET what = 'x'", "DELETE FROM activity_event", "TRUNCATE activity_event"):
            with pytest.raises(Exception, match="append-only"), transaction.atomic():
                cursor.execute(item)
        cursor.execute("ALTER TABLE activity_event DISABLE TRIGGER activity_no_change")
        cursor.execute("UPDATE activity_event SET what = 'x' WHERE id = (SELECT min(id) FROM activity_event)")
    assert first_broken() == Event.objects.order_by("id").first().pk
