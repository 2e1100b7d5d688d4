"""A worker killed in the middle of a run: the next one finishes it, once."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings
from django.db import OperationalError, connection
from django.utils import timezone

from conftest import RULES, Browser, do_work
from pravin_server.common import jobs
from pravin_server.common.models import Job
from pravin_server.quarantine.models import CaseStep
from pravin_server.runs.models import Run

RECORDS = 400_000


@contextmanager
def worker(cache: Path) -> Iterator[subprocess.Popen[bytes]]:
    """A real worker process on the test's database."""
    environment = {**os.environ, "PRAVIN_DATABASE": connection.settings_dict["NAME"], "PRAVIN_CACHE": str(cache)}
    command = [
        sys.executable,
        str(settings.ROOT / "server" / "manage.py"),
        "procrastinate",
        "--verbosity",
        "0",
        "worker",
    ]
    process = subprocess.Popen(command, env=environment, start_new_session=True)
    try:
        yield process
    finally:
        if process.poll() is None:
            os.killpg(process.pid, signal.SIGKILL)
        process.wait()


def wait_for(job: int, *states: str, seconds: float = 90) -> Job:
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        found_job = Job.objects.get(pk=job)
        if found_job.state in states:
            return found_job
        time.sleep(0.02)
    raise AssertionError(f"job {job} is {found_job.state} after {seconds} s, not {states}")


@pytest.mark.django_db(transaction=True)
def test_a_run_whose_worker_is_killed_is_finished_by_the_next_once(tmp_path: Path) -> None:
    analyst = Browser("ana")
    analyst("POST", "/feeds", {"name": "Samples"}, expect=201)
    lines = b"".join(b"%d|%s|%d.%d\n" % (n, b"AB"[n % 2 : n % 2 + 1], n % 20, n % 10) for n in range(RECORDS))
    started: dict[str, Any] = analyst.upload("samples", big=b"id|site|ph\n" + lines)
    delivery = started["id"]
    analyst("PUT", "/feeds/samples/rulebook", {"based_on": 0, "change": "first", "rules": RULES}, expect=200)
    with worker(tmp_path / "cache") as first:
        wait_for(started["job"]["id"], "done")
        job = analyst("POST", f"/deliveries/{delivery}/runs", expect=201)["job"]["id"]
        wait_for(job, "working")
        time.sleep(0.3)
        os.killpg(first.pid, signal.SIGKILL)
    assert Job.objects.get(pk=job).state == "working"
    with worker(tmp_path / "cache"):
        done = wait_for(job, "done")
    assert done.attempts == 2
    run = Run.objects.get()
    outcome = run.outcome["reconciliation"]
    assert (run.state, outcome["delivered"]) == ("done", RECORDS)
    assert CaseStep.objects.get(run=run).opened_count == outcome["quarantined"] == RECORDS // 20 * 6


def end_connections() -> None:
    """End every connection of the test's database but our own, as an administrator or a fault could."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )


@pytest.mark.django_db(transaction=True)
def test_a_run_whose_worker_loses_its_connections_is_done_once_within_a_minute(tmp_path: Path) -> None:
    analyst = Browser("ana")
    analyst("POST", "/feeds", {"name": "Samples"}, expect=201)
    lines = b"".join(b"%d|%s|%d.%d\n" % (n, b"AB"[n % 2 : n % 2 + 1], n % 20, n % 10) for n in range(RECORDS))
    started: dict[str, Any] = analyst.upload("samples", big=b"id|site|ph\n" + lines)
    analyst("PUT", "/feeds/samples/rulebook", {"based_on": 0, "change": "first", "rules": RULES}, expect=200)
    commands = [worker(tmp_path / "cache"), worker(tmp_path / "cache")]
    with commands[0], commands[1]:
        wait_for(started["job"]["id"], "done")
        job = analyst("POST", f"/deliveries/{started['id']}/runs", expect=201)["job"]["id"]
        wait_for(job, "working")
        time.sleep(0.3)
        end_connections()
        done = wait_for(job, "done", seconds=75)
    assert done.attempts <= 3
    run = Run.objects.get()
    assert (run.state, run.outcome["reconciliation"]["delivered"]) == ("done", RECORDS)
    assert CaseStep.objects.get(run=run).opened_count == run.outcome["reconciliation"]["quarantined"]


@pytest.mark.django_db(transaction=True)
def test_work_that_nobody_does_is_taken_up_and_fails_in_words_when_it_breaks_off_again_and_again() -> None:
    analyst = Browser("ana")
    analyst("POST", "/feeds", {"name": "Samples"}, expect=201)
    job = Job.objects.get(pk=analyst.upload("samples", small=b"id\n1\n")["job"]["id"])
    long_ago = timezone.now() - timedelta(minutes=2)
    Job.objects.filter(pk=job.pk).update(state="working", attempts=1, beat=long_ago)
    jobs.take_up_silent(timestamp=0)
    assert Job.objects.get(pk=job.pk).state == "waiting"
    do_work()
    assert Job.objects.get(pk=job.pk).state == "done"
    again = Job.objects.get(pk=analyst("POST", f"/deliveries/{job.delivery_id}/read", expect=200)["job"]["id"])
    Job.objects.filter(pk=again.pk).update(state="working", attempts=jobs.MOST_ATTEMPTS, beat=long_ago)
    jobs.take_up_silent(timestamp=0)
    failed = Job.objects.get(pk=again.pk)
    assert (failed.state, "broke off 5 times" in failed.error["detail"], failed.error["advice"]) == (
        "failed",
        True,
        "Try again.",
    )
    assert analyst("GET", f"/deliveries/{job.delivery_id}")["state"] == "failed"  # nothing stays in between
    analyst("POST", f"/deliveries/{job.delivery_id}/read", expect=200)
    do_work()
    assert analyst("GET", f"/deliveries/{job.delivery_id}")["state"] == "read"


@pytest.mark.django_db(transaction=True)
def test_work_that_beats_is_left_alone() -> None:
    analyst = Browser("ana")
    analyst("POST", "/feeds", {"name": "Samples"}, expect=201)
    job = analyst.upload("samples", small=b"id\n1\n")["job"]["id"]
    Job.objects.filter(pk=job).update(state="working", beat=timezone.now())
    jobs.take_up_silent(timestamp=0)
    assert Job.objects.get(pk=job).state == "working"


def test_a_database_that_is_away_is_said_as_such(
    client: Any, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    monkeypatch.setattr("pravin_server.config.faults._said", -100.0)

    def away(*_: Any, **__: Any) -> None:
        raise OperationalError("connection refused\nis the server running?")

    monkeypatch.setattr("django.contrib.sessions.backends.db.SessionStore.load", away)
    client.cookies["sessionid"] = "x" * 32
    client.raise_request_exception = False
    for _ in range(5):
        answer = client.get("/api/feeds")
        assert (answer.status_code, answer.json()["title"]) == (503, "The database is not reachable")
    assert [record.getMessage() for record in caplog.records] == ["the database does not answer: connection refused"]


@pytest.mark.django_db(transaction=True)
def test_a_reading_is_cancelled_within_two_seconds_whatever_it_does(tmp_path: Path) -> None:
    analyst = Browser("ana")
    analyst("POST", "/feeds", {"name": "Samples"}, expect=201)
    lines = b"".join(b'%d,"%s ""%d""",  x\n' % (n, b"AB"[n % 2 : n % 2 + 1], n % 20) for n in range(RECORDS * 3))
    with worker(tmp_path / "cache"):
        job = analyst.upload("samples", big=b"id,text,more\n" + lines)["job"]["id"]
        deadline = time.monotonic() + 60
        while (
            not (found_job := Job.objects.get(pk=job)).step.startswith("reading about") and time.monotonic() < deadline
        ):
            time.sleep(0.02)
        assert found_job.step == "reading about 1,200,000 records (25.9 MB)"
        analyst("POST", f"/jobs/{job}/cancel", expect=200)
        asked = time.monotonic()
        wait_for(job, "cancelled")
        assert time.monotonic() - asked < 3
    assert not list((tmp_path / "cache" / "snapshots").glob("*/meta.json"))
