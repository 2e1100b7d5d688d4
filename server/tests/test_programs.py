"""What programs rely on: a request is carried out once, files arrive as they were said, the API describes itself."""

from __future__ import annotations

import hashlib
import threading
from collections import Counter
from datetime import timedelta
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from django.utils import timezone

from conftest import DATA, Browser
from pravin_server.accounts.models import User
from pravin_server.accounts.services import make_token
from pravin_server.activity.models import Event
from pravin_server.common.models import GivenAnswer
from pravin_server.common.tasks import forget_old_answers
from pravin_server.config.api import api
from pravin_server.feeds import services
from pravin_server.feeds.models import Feed

pytestmark = pytest.mark.django_db


@pytest.fixture
def analyst() -> Browser:
    return Browser("ana")


@pytest.fixture
def viewer() -> Browser:
    return Browser("vic")


def a_token(rights: str = "work") -> str:
    """The text of a token of the analyst."""
    Browser("ana")
    return make_token(User.objects.get(username="ana"), "nightly", rights)[1]


def once(browser: Browser, key: str, method: str, path: str, body: str = "{}", **headers: str) -> Any:
    return browser.client.generic(
        method, f"/api{path}", body, content_type="application/json", headers={"Idempotency-Key": key, **headers}
    )


def test_the_same_request_with_the_same_key_is_carried_out_once(analyst: Browser) -> None:
    first, second = [once(analyst, "k", "POST", "/feeds", '{"name": "Tanks"}') for _ in range(2)]
    assert (first.status_code, second.status_code) == (201, 201)
    assert first.content == second.content
    assert ("Idempotency-Replayed" in first, second["Idempotency-Replayed"]) == (False, "true")
    assert Feed.objects.filter(name="Tanks").count() == 1
    assert Event.objects.filter(what__contains="Tanks").count() == 1


def test_a_key_is_of_one_request_and_of_one_asker(analyst: Browser) -> None:
    once(analyst, "k", "POST", "/feeds", '{"name": "Tanks"}')
    other = once(analyst, "k", "POST", "/feeds", '{"name": "Pumps"}')
    assert (other.status_code, other["Content-Type"]) == (422, "application/problem+json")
    assert "used for another request" in other.json()["detail"]
    assert once(Browser("app"), "k", "POST", "/feeds", '{"name": "Boats"}').status_code == 201
    assert set(Feed.objects.values_list("name", flat=True)) == {"Tanks", "Boats"}


def test_what_was_refused_may_be_tried_again_with_the_same_key(analyst: Browser) -> None:
    assert once(analyst, "k", "POST", "/feeds/tanks/uploads", '{"name": "a.csv", "size": 1}').status_code == 404
    analyst("POST", "/feeds", {"name": "Tanks"}, expect=201)
    assert once(analyst, "k", "POST", "/feeds/tanks/uploads", '{"name": "a.csv", "size": 1}').status_code == 201


def test_nothing_stands_that_was_not_answered(analyst: Browser, monkeypatch: pytest.MonkeyPatch) -> None:
    """A server that fails after it changed something, and before it answered, changed nothing."""

    def _fails(*_: Any, **__: Any) -> None:
        raise RuntimeError("the lights went out")

    analyst.client.raise_request_exception = False
    with monkeypatch.context() as patch:
        patch.setattr(GivenAnswer, "keep", _fails)
        assert once(analyst, "k", "POST", "/feeds", '{"name": "Tanks"}').status_code == 500
    assert not Feed.objects.filter(name="Tanks").exists()
    assert not GivenAnswer.objects.exists()
    assert once(analyst, "k", "POST", "/feeds", '{"name": "Tanks"}').status_code == 201


@pytest.mark.django_db(transaction=True)
def test_the_same_request_at_the_same_time_is_carried_out_once(
    analyst: Browser, monkeypatch: pytest.MonkeyPatch
) -> None:
    text = a_token()
    inside, go_on = threading.Event(), threading.Event()
    made = services.make_feed

    def _slow(*arguments: Any, **named: Any) -> Feed:
        inside.set()
        go_on.wait(20)
        return made(*arguments, **named)

    monkeypatch.setattr("pravin_server.workspace.api.feed_services.make_feed", _slow)
    answers: list[Any] = []

    def _ask() -> None:
        headers = {"Idempotency-Key": "k", "Authorization": f"Bearer {text}"}
        answers.append(
            Client().generic(
                "POST", "/api/feeds", '{"name": "Tanks"}', content_type="application/json", headers=headers
            )
        )
        connection.close()

    both = [threading.Thread(target=_ask) for _ in range(2)]
    both[0].start()
    assert inside.wait(20)
    both[1].start()
    both[1].join(0.5)
    assert both[1].is_alive()  # it waits for the first
    go_on.set()
    for each in both:
        each.join(20)
    assert [answer.status_code for answer in answers] == [201, 201]
    assert answers[0].content == answers[1].content
    assert Feed.objects.filter(name="Tanks").count() == 1


def test_after_some_days_the_same_key_is_of_a_new_request(analyst: Browser) -> None:
    def _again() -> bool:
        return "Idempotency-Replayed" in once(analyst, "k", "POST", "/feeds/tanks/uploads", '{"name": "a", "size": 1}')

    analyst("POST", "/feeds", {"name": "Tanks"}, expect=201)
    assert [_again(), _again()] == [False, True]
    GivenAnswer.objects.update(given=timezone.now() - timedelta(days=2.9))
    forget_old_answers(0)
    assert _again()
    GivenAnswer.objects.update(given=timezone.now() - timedelta(days=3.1))
    forget_old_answers(0)
    assert not _again()


def test_tokens_and_passwords_are_kept_nowhere(analyst: Browser) -> None:
    made = once(analyst, "k", "POST", "/tokens", '{"name": "nightly"}')
    assert made.status_code == 201
    assert not GivenAnswer.objects.exists()


def test_a_key_that_is_too_long_is_refused(analyst: Browser) -> None:
    answer = once(analyst, "k" * 201, "POST", "/feeds", '{"name": "Tanks"}')
    assert (answer.status_code, Feed.objects.exists()) == (422, False)


def test_files_of_a_form_are_taken_once(analyst: Browser) -> None:
    analyst("POST", "/feeds", {"name": "Tanks"}, expect=201)
    ids = []
    for _ in range(2):
        answer = analyst.client.post(
            "/api/feeds/tanks/deliveries",
            {"files": [SimpleUploadedFile("a.txt", DATA)]},
            headers={"Idempotency-Key": "k"},
        )
        assert answer.status_code == 201, answer.content
        ids.append(answer.json()["id"])
    assert ids[0] == ids[1]


def send(analyst: Browser, said: bytes, sent: bytes) -> tuple[str, Any]:
    body = {"name": "a.txt", "size": len(sent), "sha256": hashlib.sha256(said).hexdigest()}
    key = analyst("POST", "/feeds/tanks/uploads", body, expect=201)["key"]
    here = analyst("GET", f"/uploads/{key}")["received"]
    analyst.client.generic(
        "PUT", f"/api/uploads/{key}?offset={here}", sent[here:], content_type="application/octet-stream"
    )
    return key, analyst("POST", "/feeds/tanks/deliveries/of-uploads", {"uploads": [key]})


def test_bytes_that_are_not_those_that_were_said_are_no_delivery(analyst: Browser) -> None:
    analyst("POST", "/feeds", {"name": "Tanks"}, expect=201)
    _, refused = send(analyst, said=DATA, sent=DATA.replace(b"74", b"75"))
    assert refused["status"] == 422
    assert "a.txt are not those that were said" in refused["detail"]
    assert not Feed.objects.get().deliveries.exists()
    _, taken = send(analyst, said=DATA, sent=DATA)
    assert "id" in taken


def test_a_file_that_changed_between_two_tries_is_not_mixed_with_its_beginning(analyst: Browser) -> None:
    analyst("POST", "/feeds", {"name": "Tanks"}, expect=201)
    before, after = DATA, DATA.replace(b"A", b"Z")
    body = {"name": "a.txt", "size": len(before), "sha256": hashlib.sha256(before).hexdigest()}
    begun = analyst("POST", "/feeds/tanks/uploads", body, expect=201)["key"]
    analyst.client.generic(
        "PUT", f"/api/uploads/{begun}?offset=0", before[:10], content_type="application/octet-stream"
    )
    key, taken = send(analyst, said=after, sent=after)
    assert key != begun
    assert "id" in taken


def test_the_same_rules_again_make_no_revision(analyst: Browser, viewer: Browser) -> None:
    analyst("POST", "/feeds", {"name": "Tanks"}, expect=201)
    text = "rules:\n- {kind: trim-spaces, id: t, columns: []}\n"
    first = analyst("POST", "/feeds/tanks/rulebook-text", {"text": text, "based_on": 0}, expect=200)
    again = analyst("POST", "/feeds/tanks/rulebook-text", {"text": text, "based_on": 0}, expect=200)
    assert (first["revision"], again["revision"]) == (1, 1)
    analyst("POST", "/feeds/tanks/rulebook-text", {"text": text.replace("t,", "u,"), "based_on": 0}, expect=409)
    viewer("POST", "/feeds/tanks/rulebook-text", {"text": text, "based_on": 1}, expect=403)


def test_a_program_follows_what_is_done(analyst: Browser) -> None:
    for name in ("Tanks", "Pumps", "Boats"):
        analyst("POST", "/feeds", {"name": name}, expect=201)
    known, seen = 0, []
    while page := analyst("GET", f"/activity?after={known}&limit=1")["events"]:
        seen += [each["feed"] for each in page]
        known = page[-1]["id"]
    assert [each for each in seen if each] == ["tanks", "pumps", "boats"][-len([each for each in seen if each]) :]
    assert seen[-1] == "boats"
    assert analyst("GET", f"/activity?after={known}")["events"] == []


def test_the_api_describes_itself_to_those_who_may_see_it(viewer: Browser) -> None:
    described = viewer("GET", "/openapi.json", expect=200)
    names = Counter(each["operationId"] for path in described["paths"].values() for each in path.values())
    assert set(names.values()) == {1}
    assert {"workspace.feeds", "quarantine.decide", "releases.publish"} <= set(names)
    assert all(name.count(".") == 1 for name in names)
    assert (
        described["paths"]["/api/feeds"]["get"]["summary"]
        == "The board: all feeds, those that wait for a person first."
    )
    page = viewer("GET", "/description", expect=200)
    assert b"swagger-ui" in page.content
    assert b"http://" not in page.content.replace(b"http://testserver", b"")  # nothing is fetched from elsewhere
    assert b"https://" not in page.content
    text = a_token("read")
    by_token = Client().get("/api/openapi.json", headers={"Authorization": f"Bearer {text}"})
    assert by_token.json() == described
    for path in ("/api/openapi.json", "/api/description"):
        assert Client().get(path).status_code == 401
        assert Client().get(path, headers={"Authorization": "Bearer unknown"}).status_code == 401
    nobody = Browser("nobody")
    nobody("GET", "/openapi.json", expect=403)


def test_operations_are_named_by_their_apps() -> None:
    paths = api.get_openapi_schema()["paths"]
    assert paths["/api/deliveries/{delivery_id}/decisions"]["post"]["operationId"] == "quarantine.decide"
