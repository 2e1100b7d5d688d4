"""A worker killed in the middle of a run: the next one finishes it, once."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings
from django.db import connection

from conftest import RULES, Browser
from pravin_server.common.models import Job
from pravin_server.quarantine.models import QuarantinedRecord
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
        found = Job.objects.get(pk=job)
        if found.state in states:
            return found
        time.sleep(0.02)
    raise AssertionError(f"job {job} is {found.state} after {seconds} s, not {states}")


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
    assert QuarantinedRecord.objects.count() == outcome["quarantined"] == RECORDS // 20 * 6
