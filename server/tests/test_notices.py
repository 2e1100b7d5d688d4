"""What waits is in the inbox of whom it waits for, and is told by mail and webhook: once, until it arrives, wherever a sender died."""

from __future__ import annotations

import base64
import email
import hashlib
import hmac
import json
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import pytest
from django.db import connection
from django.utils import timezone

from conftest import KILLED, Browser, do_work, until_the_database_let_go
from pravin_server.accounts.models import User
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.monitoring.models import ArrivalPlan
from pravin_server.notices import sending
from pravin_server.notices.gathering import waiting
from pravin_server.notices.models import Notice, Sending
from pravin_server.quarantine.models import Answer

pytestmark = pytest.mark.django_db
NOON = datetime(2026, 3, 4, 12, tzinfo=UTC)


@pytest.fixture(autouse=True)
def _real_mail(settings: Any) -> None:
    """The simulated mailbox that ships, not the one of the test framework."""
    settings.EMAIL_BACKEND = "pravin_server.notices.mailbox.Mailbox"


@pytest.fixture
def analyst() -> Browser:
    return Browser("ana")


def feed_with_delivery(person: Browser, name: str) -> int:
    person("POST", "/feeds", {"name": name}, expect=201)
    delivery: int = person.upload(name.lower(), tanks=b"id|litres\n1|20\n2|30\n")["id"]
    do_work()
    return delivery


def wants(person: Browser, when: str, feed: str | None = None) -> None:
    person("PUT", "/inbox/mail", {"when": when, "feed": feed, "mail": "ana@agency.example"}, expect=200)


def mails(settings: Any) -> list[tuple[str, str, str]]:
    """To whom, subject and text of each message in the mailbox, by its subject."""
    messages = [email.message_from_bytes(path.read_bytes()) for path in Path(settings.MAIL_DIR).glob("*")]
    told = [(str(each["To"]), str(each["Subject"]), each.get_payload(decode=True).decode()) for each in messages]  # type: ignore[union-attr]
    return sorted(told, key=lambda each: each[1])


class Receiver(BaseHTTPRequestHandler):
    """Another program that is told. It answers with the next status of `answers`, then with 204."""

    calls: list[tuple[dict[str, str], bytes]]
    answers: list[int]

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        self.calls.append(({name.lower(): value for name, value in self.headers.items()}, body))
        self.send_response(self.answers.pop(0) if self.answers else 204)
        self.end_headers()

    def log_message(self, format: str, *args: object) -> None:
        """Say nothing."""


@contextmanager
def receiving(*answers: int) -> Iterator[tuple[str, list[tuple[dict[str, str], bytes]]]]:
    handler = type("Here", (Receiver,), {"calls": [], "answers": list(answers)})
    server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_port}/told", handler.calls  # type: ignore[attr-defined]
    finally:
        server.shutdown()


def test_the_inbox_shows_what_waits_for_ones_role_and_what_it_blocks(analyst: Browser) -> None:
    delivery = feed_with_delivery(analyst, "Tanks")
    inbox = analyst("GET", "/inbox", expect=200)["waits"]
    assert [(each["sort"], each["says"], each["delivery"], each["place"]) for each in inbox] == [
        ("new", "delivery 1 is new", delivery, "new")
    ]
    assert inbox[0]["blocks"] == ["its release"]
    assert Browser("vic")("GET", "/inbox", expect=200)["waits"] == []

    run = analyst("POST", f"/deliveries/{delivery}/runs", expect=201)["id"]
    do_work()
    analyst("POST", f"/deliveries/{delivery}/proposal", {"run": run}, expect=201)
    assert analyst("GET", "/inbox")["waits"] == []  # it waits for an approver now
    approver = Browser("app")
    assert [each["sort"] for each in approver("GET", "/inbox")["waits"]] == ["proposal"]
    approver("POST", f"/deliveries/{delivery}/release", {"run": run}, expect=201)
    do_work()
    assert approver("GET", "/inbox")["waits"] == []


def test_a_late_delivery_is_in_the_inbox_until_it_comes(analyst: Browser) -> None:
    delivery = feed_with_delivery(analyst, "Tanks")
    analyst("PUT", "/feeds/tanks/arrival-plan", {"plan": {"every": "day", "at": "06:00", "tolerance": 1}}, expect=200)
    Delivery.objects.filter(pk=delivery).update(received=timezone.now() - timedelta(days=4))
    ArrivalPlan.objects.update(begun=timezone.now() - timedelta(days=4))
    late = [each for each in analyst("GET", "/inbox")["waits"] if each["sort"] == "late"]
    assert len(late) == 1
    assert (late[0]["delivery"], late[0]["place"]) == (None, "")
    assert late[0]["says"].endswith("late")


def test_records_whose_day_is_past_and_answers_of_suppliers_are_in_the_inbox(
    analyst: Browser, monkeypatch: pytest.MonkeyPatch
) -> None:
    delivery = feed_with_delivery(analyst, "Tanks")
    rules = [{"kind": "in-range", "id": "r", "columns": ["litres"], "high": "10"}]
    analyst("PUT", "/feeds/tanks/rulebook", {"based_on": 0, "change": "first", "rules": rules}, expect=200)
    analyst("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()

    def told(*sorts: str) -> list[tuple[str, int, str]]:
        waits = analyst("GET", "/inbox", expect=200)["waits"]
        return [(each["says"], each["delivery"], each["place"]) for each in waits if each["sort"] in sorts]

    def decide(**act: Any) -> int:
        decided = analyst("POST", f"/deliveries/{delivery}/decisions", {"justification": "-", **act}, expect=201)
        do_work()
        return int(decided["decision"])

    tomorrow = (timezone.localdate() + timedelta(days=1)).isoformat()
    decide(kind="wait", records=[1], until=tomorrow)
    returned = decide(kind="return", records=[2], until=tomorrow)
    assert told("due", "answer") == []
    later = timezone.now() + timedelta(days=2)
    monkeypatch.setattr(timezone, "now", lambda: later)
    assert told("due") == [("the day of 2 records in delivery 1 is past", delivery, "quarantine")]
    decide(kind="discard", records=[1])
    assert told("due") == [("the day of 1 record in delivery 1 is past", delivery, "quarantine")]
    answer = Answer.objects.create(returned_id=returned, name="back.csv", bytes="back.csv", sha256="0" * 64, way="drop")
    assert told("answer") == [("1 answer of the supplier in delivery 1", delivery, "quarantine")]
    [notice] = [key for key in keys() if key.startswith("answer:")]
    Answer.objects.create(returned_id=returned, name="more.csv", bytes="more.csv", sha256="1" * 64, way="drop")
    assert told("answer") == [("2 answers of the supplier in delivery 1", delivery, "quarantine")]
    assert notice not in keys()  # another answer is told again
    Answer.objects.exclude(pk=answer.pk).update(state=Answer.State.ASIDE)
    assert notice in keys()
    analyst("POST", f"/deliveries/{delivery}/decisions/{returned}/undo", expect=201)
    assert told("due", "answer") == []


def keys() -> list[str]:
    """What waits, by what tells one thing from another."""
    return [each.key for each in waiting()]


def test_nothing_is_told_twice(analyst: Browser, settings: Any) -> None:
    wants(analyst, "at once")
    delivery = feed_with_delivery(analyst, "Tanks")
    assert [sending.find(), sending.find()] == [1, 0]
    assert [sending.send_due(), sending.send_due()] == [1, 0]
    assert mails(settings) == [
        ("ana@agency.example", "Tanks: delivery 1 is new", "Tanks: delivery 1 is new\n\nWhat waits for you stands in Pravin under Inbox.")
    ]  # fmt: skip
    analyst("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    sending.find()
    assert list(Notice.objects.filter(ended=None).values_list("sort", flat=True)) == ["release"]
    Delivery.objects.filter(pk=delivery).update(snapshot_key="read in another way")  # the run is not of this reading
    sending.find()
    sending.send_due()
    again = Notice.objects.get(sort="new")
    assert again.ended is None  # it waits again, and stands in the inbox, but was told before
    assert len(mails(settings)) == 2


def test_a_second_proposal_is_another_thing_and_told(settings: Any) -> None:
    approver = Browser("app")
    wants(approver, "at once")
    delivery = feed_with_delivery(approver, "Tanks")
    run = approver("POST", f"/deliveries/{delivery}/runs", expect=201)["id"]
    do_work()
    told = 0
    for _ in range(2):
        proposal = approver("POST", f"/deliveries/{delivery}/proposal", {"run": run}, expect=201)["proposal"]["id"]
        assert sending.find() == 1
        told += sending.send_due()
        approver("POST", f"/proposals/{proposal}/decline", {"reason": "look at it again"}, expect=200)
        assert sending.find() == 1
        told += sending.send_due()
    assert told == 4


def test_a_wish_for_one_feed_goes_before_that_for_all(analyst: Browser, settings: Any) -> None:
    feed_with_delivery(analyst, "Tanks")
    wants(analyst, "at once")
    wants(analyst, "never", "tanks")
    feed_with_delivery(analyst, "Pumps")
    sending.find()
    sending.send_due()
    assert [subject for _, subject, _ in mails(settings)] == ["Pumps: delivery 1 is new"]
    told = analyst("GET", "/inbox")
    assert {(each["feed"], each["when"]) for each in told["wishes"]} == {(None, "at once"), ("tanks", "never")}
    assert told["mail"] == "ana@agency.example"


def test_a_mail_of_the_day_has_all_that_came_since(analyst: Browser, settings: Any) -> None:
    wants(analyst, "daily")
    for name in ("Tanks", "Pumps"):
        feed_with_delivery(analyst, name)
        sending.find(NOON)
    assert sending.send_due(NOON + timedelta(hours=17)) == 0
    assert sending.send_due(NOON + timedelta(hours=18)) == 1
    (_, subject, text), *others = mails(settings)
    assert (subject, others) == ("2 things wait in Pravin", [])
    assert text.splitlines()[:2] == ["Tanks: delivery 1 is new", "Pumps: delivery 1 is new"]


def test_nobody_is_mailed_without_an_address(analyst: Browser) -> None:
    analyst("PUT", "/inbox/mail", {"when": "daily"}, expect=422)
    refused = analyst("PUT", "/inbox/mail", {"when": "daily", "mail": "ana at agency"}, expect=422)
    assert "is no mail address" in refused["detail"]
    Browser("vic")("PUT", "/inbox/mail", {"when": "daily", "mail": "v@agency.example"}, expect=403)
    assert not User.objects.exclude(email="").exists()


def told_to(calls: list[tuple[dict[str, str], bytes]], secret: str) -> list[dict[str, Any]]:
    """What was told, after the signature is worked out anew as the standard says."""
    contents = []
    for headers, body in calls:
        said = f"{headers['webhook-id']}.{headers['webhook-timestamp']}.{body.decode()}"
        mark = hmac.digest(base64.b64decode(secret[len("whsec_") :]), said.encode(), "sha256")
        assert headers["webhook-signature"] == "v1," + base64.b64encode(mark).decode()
        contents.append(json.loads(body))
    return contents


def test_a_webhook_is_told_and_can_know_by_the_signature_that_it_is_us(analyst: Browser) -> None:
    administrator = Browser("adm")
    with receiving() as (address, calls):
        made = administrator("POST", "/webhooks", {"address": address}, expect=201)
        delivery = feed_with_delivery(analyst, "Tanks")
        sending.find()
        assert sending.send_due() == 1
    told = told_to(calls, made["secret"])
    assert [each["type"] for each in told] == ["waiting.new"]
    assert told[0]["data"] == {"feed": "tanks", "delivery": delivery, "number": 1, "says": "delivery 1 is new"}
    (webhook,) = administrator("GET", "/webhooks", expect=200)
    assert (webhook["arrived"], webhook["waits"], "secret" in webhook) == (1, 0, False)
    administrator("DELETE", f"/webhooks/{webhook['id']}", expect=204)
    administrator("DELETE", f"/webhooks/{webhook['id']}", expect=404)


def test_a_webhook_that_fails_is_tried_again_later_and_later_under_the_same_id(analyst: Browser) -> None:
    with receiving(500, 302, 429) as (address, calls):
        secret = Browser("adm")("POST", "/webhooks", {"address": address}, expect=201)["secret"]
        feed_with_delivery(analyst, "Tanks")
        sending.find(NOON)
        for minutes, arrived in ((0, 0), (0.4, 0), (0.6, 0), (1.4, 0), (1.6, 0), (3.4, 0), (3.7, 1), (60, 0)):
            assert sending.send_due(NOON + timedelta(minutes=minutes)) == arrived, minutes
    assert len({headers["webhook-id"] for headers, _ in calls}) == 1
    assert len(told_to(calls, secret)) == 4


def test_after_two_days_it_is_given_up_and_said_why(analyst: Browser) -> None:
    administrator = Browser("adm")
    administrator("POST", "/webhooks", {"address": "http://127.0.0.1:9/told"}, expect=201)
    feed_with_delivery(analyst, "Tanks")
    sending.find(NOON)
    for hours in range(60):
        sending.send_due(NOON + timedelta(hours=hours))
    (webhook,) = administrator("GET", "/webhooks")
    assert (webhook["arrived"], webhook["waits"], webhook["given_up"]) == (0, 0, 1)
    assert webhook["said"]


def test_one_that_cannot_be_sent_for_a_fault_of_ours_keeps_no_other_waiting(
    analyst: Browser, monkeypatch: pytest.MonkeyPatch
) -> None:
    administrator = Browser("adm")
    really = sending.content_of

    def _fails_once(notice: Notice) -> dict[str, Any]:
        if notice.feed.slug == "tanks":
            raise KeyError("a fault")
        return really(notice)

    monkeypatch.setattr(sending, "content_of", _fails_once)
    with receiving() as (address, calls):
        administrator("POST", "/webhooks", {"address": address}, expect=201)
        for name in ("Tanks", "Pumps"):
            feed_with_delivery(analyst, name)
            sending.find()
        assert sending.send_due() == 1
    assert [json.loads(body)["data"]["feed"] for _, body in calls] == ["pumps"]
    (webhook,) = administrator("GET", "/webhooks")
    assert (webhook["arrived"], webhook["waits"]) == (1, 1)
    assert "unexpected error" in webhook["said"]


def test_sending_leaves_time_for_other_work(analyst: Browser, settings: Any) -> None:
    wants(analyst, "at once")
    feed_with_delivery(analyst, "Tanks")
    sending.find()
    assert sending.send_due(seconds=0) == 0
    assert sending.send_due(seconds=60) == 1


def test_a_name_of_two_lines_writes_no_header_of_its_own(analyst: Browser, settings: Any) -> None:
    wants(analyst, "at once")
    feed_with_delivery(analyst, "Tanks")
    Feed.objects.update(name="Tanks\nBcc: everybody@agency.example")
    sending.find()
    assert sending.send_due() == 1
    (path,) = Path(settings.MAIL_DIR).glob("*")
    message = email.message_from_bytes(path.read_bytes())
    assert message["Bcc"] is None
    assert "Tanks Bcc: everybody@agency.example" in str(message["Subject"]).replace("\n", "")


def test_only_hosts_that_may_be_asked_are_told(analyst: Browser) -> None:
    refused = Browser("adm")("POST", "/webhooks", {"address": "http://internal.example/told"}, expect=422)
    assert "internal.example" in refused["detail"]


# the same function that the worker calls, which dies after it has sent and before it says so
SCRIPT = """
import pathlib, sys, time
import django
django.setup()
from django.conf import settings
from pravin_server.notices import sending
settings.MAIL_DIR = pathlib.Path(sys.argv[1])
really = sending._send
def sends_and_hangs(*arguments):
    really(*arguments)
    print("sent", flush=True)
    time.sleep(600)
sending._send = sends_and_hangs
sending.send_due()
"""


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("way", ["mail", "webhook"])
def test_a_sender_that_is_killed_after_sending_doubles_nothing(settings: Any, way: str) -> None:
    analyst = Browser("ana")
    keys = ",".join(settings.SECRETS_KEYS)
    environment = {
        **os.environ,
        "PRAVIN_DATABASE": connection.settings_dict["NAME"],
        "PRAVIN_SECRETS_KEY": keys,
        **KILLED,
    }
    with receiving() as (address, calls):
        if way == "mail":
            wants(analyst, "at once")
        else:
            Browser("adm")("POST", "/webhooks", {"address": address}, expect=201)
        feed_with_delivery(analyst, "Tanks")
        sending.find()
        for _ in range(2):
            command = [sys.executable, "-c", SCRIPT, str(settings.MAIL_DIR)]
            process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)
            assert process.stdout is not None
            assert process.stdout.readline() == "sent\n"
            assert sending.send_due() == 0  # another sender leaves alone what is being sent
            os.kill(process.pid, signal.SIGKILL)
            process.wait()
            until_the_database_let_go()
        assert Sending.objects.get().state == "waiting"
        assert [sending.send_due(), sending.send_due()] == [1, 0]
    if way == "mail":
        assert len(mails(settings)) == 1
    else:  # told again under one id, by which whoever receives it takes it once
        assert (len(calls), len({headers["webhook-id"] for headers, _ in calls})) == (3, 1)


def test_an_id_is_of_one_notice_and_one_receiver(analyst: Browser) -> None:
    """Two deliveries of equal text are two things."""
    with receiving() as (address, calls):
        Browser("adm")("POST", "/webhooks", {"address": address}, expect=201)
        for name in ("Tanks", "Pumps"):
            feed_with_delivery(analyst, name)
        sending.find()
        assert sending.send_due() == 2
    assert len({headers["webhook-id"] for headers, _ in calls}) == 2
    assert len({hashlib.sha256(body).hexdigest() for _, body in calls}) == 2
