"""Processes killed at any moment while they publish, follow up or withdraw: readers see one of the two whole tables, and it goes on."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from typing import Any

import pytest
from django.db import connection

from conftest import KILLED, Browser, do_work, until_the_database_let_go
from pravin_server.activity.services import first_broken
from pravin_server.common.models import Job
from pravin_server.releases.models import Release
from pravin_server.releases.services import publish

ROUNDS = int(os.environ.get("PRAVIN_KILL_ROUNDS", "4"))  # of three moments each
RECORDS = 20_000
RULES = [{"kind": "in-range", "id": "range", "columns": ["litres"], "high": "900"}]
# the same services that worker and web server call
SCRIPT = """
import sys
import django
django.setup()
from pravin_server.accounts.models import User
from pravin_server.releases import services
from pravin_server.releases.models import Release

what, release = sys.argv[1], int(sys.argv[2])
print("there", flush=True)
if what == "publish":
    services.publish(release, lambda *step: None)
else:
    services.withdraw(User.objects.get(username="app"), Release.objects.get(pk=release), "as drawn")
print("done", flush=True)
"""


def killed(what: str, release: int, after: float) -> bool:
    """Do it in a process that is killed some seconds after it began; whether it was faster."""
    environment = {
        **os.environ, "PRAVIN_DATABASE": connection.settings_dict["NAME"], "PRAVIN_CACHE": os.environ["TEST_CACHE"], **KILLED,
    }  # fmt: skip
    command = [sys.executable, "-c", SCRIPT, what, str(release)]
    process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True, start_new_session=True)
    assert process.stdout is not None
    assert process.stdout.readline() == "there\n"
    time.sleep(after)
    os.killpg(process.pid, signal.SIGKILL)
    process.wait()
    until_the_database_let_go()
    return process.stdout.read() == "done\n"


def seen() -> tuple[int, ...]:
    """Records, keys and litres of the view, and how many are of which delivery."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT count(*), count(DISTINCT meter), sum(litres::int), count(*) FILTER (WHERE pravin_delivery = 2) FROM released.meters"
        )
        return tuple(int(value or 0) for value in cursor.fetchone() or ())


def reckoned(months: list[dict[str, int]]) -> tuple[int, ...]:
    newest = {
        meter: (litres, number) for number, month in enumerate(months, start=1) for meter, litres in month.items()
    }
    return (
        len(newest),
        len(newest),
        sum(litres for litres, _ in newest.values()),
        sum(number == 2 for _, number in newest.values()),
    )


def file_of(month: dict[str, int]) -> bytes:
    return "".join(["meter,litres\n", *(f"{meter},{litres}\n" for meter, litres in month.items())]).encode()


@pytest.mark.django_db(transaction=True)
def test_readers_see_one_whole_table_or_the_other(settings: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TEST_CACHE", str(settings.CACHE_DIR))
    rng, approver = random.Random(71), Browser("app")
    first = {f"M{n:06}": rng.randrange(900) for n in range(RECORDS)}
    second = {f"M{n:06}": rng.randrange(900) for n in range(RECORDS // 2, RECORDS * 3 // 2)} | {"odd": 901}
    approver("POST", "/feeds", {"name": "Meters"}, expect=201)
    approver("PUT", "/feeds/meters/rulebook", {"based_on": 0, "change": "first", "rules": RULES}, expect=200)
    deliveries = []
    for name, month in (("first", first), ("second", second)):
        deliveries.append(int(approver.upload("meters", **{name: file_of(month)})["id"]))
        do_work()
        approver("POST", f"/deliveries/{deliveries[-1]}/runs", expect=201)
        do_work()
    approver("PUT", "/feeds/meters/key", {"columns": ["meter"]}, expect=200)
    approver("PUT", "/feeds/meters/released", {"adds_up": "newest"}, expect=200)

    def asked(delivery: int) -> int:
        run = approver("GET", f"/deliveries/{delivery}/release", expect=200)["run"]
        release = int(approver("POST", f"/deliveries/{delivery}/release", {"run": run}, expect=201)["id"])
        Job.objects.all().delete()  # the test does the work itself
        return release

    def published(former: tuple[int, ...], after: tuple[int, ...], what: str) -> int:
        """The release of the second delivery, killed once while it was published; what readers see is checked."""
        release = asked(deliveries[1])
        killed("publish", release, rng.uniform(0, 1.5))
        state = Release.objects.get(pk=release).state
        assert seen() == (after if state == "published" else former)
        killed_before[what] += state != "published"
        publish(release, lambda *step: None)  # type: ignore[arg-type]
        assert seen() == after
        return release

    def withdraw(release: int) -> None:
        approver("POST", f"/releases/{release}/withdraw", {"justification": "as drawn"}, expect=200)

    publish(asked(deliveries[0]), lambda *step: None)  # type: ignore[arg-type]
    held = {meter: litres for meter, litres in second.items() if meter != "odd"}
    without, whole, followed = reckoned([first]), reckoned([first, held]), reckoned([first, second])
    assert seen() == without
    killed_before = {"publish": 0, "follow-up": 0, "withdraw": 0}
    for _ in range(ROUNDS):
        release = published(without, whole, "publish")
        accept = {"kind": "accept", "records": [len(second)], "justification": "as drawn"}
        decision = approver("POST", f"/deliveries/{deliveries[1]}/decisions", accept, expect=201)["decision"]
        do_work()
        follow_up = published(whole, followed, "follow-up")
        killed("withdraw", follow_up, rng.uniform(0, 0.6))
        state = Release.objects.get(pk=follow_up).state
        assert seen() == (whole if state == "withdrawn" else followed)
        killed_before["withdraw"] += state != "withdrawn"
        if state == "published":
            withdraw(follow_up)
        assert seen() == whole
        withdraw(release)
        assert seen() == without
        approver("POST", f"/deliveries/{deliveries[1]}/decisions/{decision}/undo", expect=201)
        do_work()
    assert all(killed_before.values()), "nothing was killed in the middle"
    assert first_broken() is None
