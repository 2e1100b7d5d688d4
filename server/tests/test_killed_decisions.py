"""A process killed in the middle of a decision on 100,000 records: nothing of it is there, and it can be taken again."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from typing import Any

import pytest
from django.db import connection

from conftest import Browser, do_work
from pravin_server.activity.models import Event
from pravin_server.activity.services import first_broken
from pravin_server.common.models import Job
from pravin_server.quarantine.models import Decision
from pravin_server.runs.models import Run

RECORDS = 100_000
RULES = [{"kind": "required", "id": "site", "columns": ["site"]}]
# the same service that the web server calls, stopped where it says
SCRIPT = """
import sys, time
import django
django.setup()
from pravin_server.accounts.models import User
from pravin_server.deliveries.models import Delivery
from pravin_server.quarantine import services

def hang(*args, **kwargs):
    print("there", flush=True)
    time.sleep(600)

if sys.argv[2]:
    setattr(services, sys.argv[2], hang)
delivery = Delivery.objects.select_related("feed").get(pk=sys.argv[1])
act = services.Act("accept", justification="known")
services.decide(User.objects.get(username="ana"), delivery, services.Choice(filters=[], count=int(sys.argv[3])), act)
print("done", flush=True)
"""


def deciding(delivery: int, stop_at: str) -> subprocess.Popen[str]:
    environment = {
        **os.environ, "PRAVIN_DATABASE": connection.settings_dict["NAME"], "PRAVIN_CACHE": os.environ["TEST_CACHE"],
    }  # fmt: skip
    command = [sys.executable, "-c", SCRIPT, str(delivery), stop_at, str(RECORDS)]
    return subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True, start_new_session=True)


def counted() -> tuple[int, int, int, int]:
    return Decision.objects.count(), Event.objects.count(), Run.objects.count(), Job.objects.count()


@pytest.mark.django_db(transaction=True)
def test_a_decision_on_many_is_there_wholly_or_not_at_all(settings: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TEST_CACHE", str(settings.CACHE_DIR))
    analyst = Browser("ana")
    analyst("POST", "/feeds", {"name": "Stock"}, expect=201)
    analyst("PUT", "/feeds/stock/rulebook", {"based_on": 0, "change": "first", "rules": RULES}, expect=200)
    lines = b"".join(b"%d|\n" % n for n in range(RECORDS))
    delivery: int = analyst.upload("stock", big=b"id|site\n" + lines)["id"]
    do_work()
    analyst("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    before = counted()
    for stop_at in ("_decision", "_note", "ask_run"):  # before it is written, after that, after the activity has it
        process = deciding(delivery, stop_at)
        assert process.stdout is not None
        assert process.stdout.readline() == "there\n"
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        assert counted() == before, stop_at
        assert analyst("GET", f"/deliveries/{delivery}/quarantine", expect=200)["waiting"] == RECORDS
    process = deciding(delivery, "")
    assert process.stdout is not None
    assert process.stdout.read() == "done\n"
    do_work()
    told = analyst("GET", f"/deliveries/{delivery}/quarantine", expect=200)
    assert [(act["kind"], act["records"]) for act in told["decisions"]] == [("accept", RECORDS)]
    assert told["waiting"] == 0
    assert first_broken() is None
