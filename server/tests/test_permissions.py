"""Every operation of the API with every role: nobody signed out, no writing viewer, only approvers release."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from conftest import RULES, Browser
from pravin_server.accounts.services import make_user
from pravin_server.config.api import api

OPEN = {("POST", "/api/session"), ("GET", "/api/invitations/{text}"), ("POST", "/api/invitations/{text}")}
ADMINISTERING = {
    ("GET", "/api/people"), ("POST", "/api/people"), ("PATCH", "/api/people/{person_id}"), ("POST", "/api/people/{person_id}/reset"),
    ("GET", "/api/people/{person_id}/sign-ins"), ("GET", "/api/webhooks"), ("POST", "/api/webhooks"),
    ("DELETE", "/api/webhooks/{webhook_id}"),
}  # fmt: skip
EVERYBODY = {("PUT", "/api/session/password")}  # whoever is signed in: refused for the wrong password only
READING = {
    ("POST", "/api/deliveries/{delivery_id}/sources/{source_id}/preview"),
    ("POST", "/api/deliveries/{delivery_id}/sources/{source_id}/repairs/try"),
    ("POST", "/api/deliveries/{delivery_id}/cross-filter"),
    ("POST", "/api/deliveries/{delivery_id}/relations"),
    ("POST", "/api/deliveries/{delivery_id}/comparisons"),
    ("POST", "/api/deliveries/{delivery_id}/tables-after"),
    ("POST", "/api/feeds/{slug}/derived-from/try"),
    ("POST", "/api/feeds/{slug}/policy/past"),
    ("POST", "/api/deliveries/{delivery_id}/effect"),
    ("POST", "/api/deliveries/{delivery_id}/remarks"),
    ("POST", "/api/deliveries/{delivery_id}/formula"),
    ("POST", "/api/deliveries/{delivery_id}/examples"),
    ("POST", "/api/deliveries/{delivery_id}/values"),
    ("DELETE", "/api/session"),
}
OWN = {("GET", "/api/uploads/{key}")}  # a person's own uploads, which a viewer cannot have
RELEASING = {
    ("POST", "/api/deliveries/{delivery_id}/release"), ("POST", "/api/releases/{release_id}/withdraw"),
    ("PUT", "/api/feeds/{slug}/released"), ("POST", "/api/proposals/{proposal_id}/decline"), ("POST", "/api/readers"),
    ("PUT", "/api/readers/{reader_id}"), ("POST", "/api/readers/{reader_id}/password"), ("DELETE", "/api/readers/{reader_id}"),
}  # fmt: skip
BODIES: dict[str, Any] = {
    "/api/feeds": {"name": "Another"},
    "/api/feeds/{slug}/rulebook": {"based_on": 1, "rules": RULES},
    "/api/feeds/{slug}/rulebook/undo": {"based_on": 1},
    "/api/feeds/{slug}/rulebook/redo": {"based_on": 1},
    "/api/feeds/{slug}/rulebook/go-back": {"based_on": 1, "number": 0},
    "/api/feeds/{slug}/rulebook-text": {"based_on": 1, "text": "rules: []"},
    "/api/feeds/{slug}/shared/{group_id}": {"on": False},
    "/api/deliveries/{delivery_id}/effect": {"rules": RULES, "rule": "trim"},
    "/api/deliveries/{delivery_id}/remarks": {"rules": RULES},
    "/api/deliveries/{delivery_id}/formula": {"rules": RULES, "text": "ph"},
    "/api/deliveries/{delivery_id}/examples": {"rules": RULES, "wanted": []},
    "/api/deliveries/{delivery_id}/values": {"rules": RULES, "name": "ph"},
    "/api/deliveries/{delivery_id}/tables-after": {"rule": ""},
    "/api/library/code-lists": {"name": "codes", "codes": [["a", "b"]]},
    "/api/library/parameters": {"name": "top", "default": "1"},
    "/api/library/shared": {"name": "tidy", "feeds": "*", "rules": []},
    "/api/deliveries/{delivery_id}/release": {"run": 1},
    "/api/feeds/{slug}/divisions": {
        "shares": [{"name": "a", "share": 40}, {"name": "b", "share": 60}],
        "way": "groups",
        "column": "id",
    },
    "/api/feeds/{slug}/derived-from": {"base": "samples", "steps": []},
    "/api/feeds/{slug}/derived-from/try": {"base": "samples", "steps": []},
    "/api/deliveries/{delivery_id}/proposal": {"run": 1},
    "/api/proposals/{proposal_id}/decline": {"reason": "x"},
    "/api/proposals/{proposal_id}/remarks": {"text": "x"},
    "/api/feeds/{slug}/released": {"adds_up": "adds"},
    "/api/feeds/{slug}/contract": {"based_on": 0, "columns": [{"name": "id", "type": "text"}]},
    "/api/releases/{release_id}/withdraw": {"justification": "x"},
    "/api/deliveries/{delivery_id}/decisions": {"records": [2], "kind": "discard", "justification": "x"},
    "/api/deliveries/{delivery_id}/decisions/preview": {"records": [2], "kind": "discard"},
    "/api/deliveries/{delivery_id}/decisions/apply": {},
    "/api/deliveries/{delivery_id}/decisions/{decision_id}/undo": {},
    "/api/feeds/{slug}/key": {"columns": ["id"]},
    "/api/deliveries/{delivery_id}/decisions/take-back": {"records": [2]},
    "/api/deliveries/{delivery_id}/quarantine/{record}/retry": {"values": {"ph": "1"}},
    "/api/deliveries/{delivery_id}/sources/{source_id}/preview": {},
    "/api/deliveries/{delivery_id}/sources/{source_id}/settings": {"request": {}},
    "/api/deliveries/{delivery_id}/sources/{source_id}/repairs": {"line": 5, "text": "9|x|y"},
    "/api/deliveries/{delivery_id}/sources/{source_id}/repairs/try": {"line": 5, "text": "9|x|y"},
    "/api/deliveries/{delivery_id}/findings/accept": {"ids": ["x"]},
    "/api/deliveries/{delivery_id}/findings/dismiss": {"ids": ["x"]},
    "/api/deliveries/{delivery_id}/findings/reopen": {"ids": ["x"]},
    "/api/deliveries/{delivery_id}/variants": {"column": "site", "codes": [{"code": "a", "meaning": "A"}]},
    "/api/deliveries/{delivery_id}/cross-filter": {"panels": [{"name": "ph"}]},
    "/api/deliveries/{delivery_id}/relations": {},
    "/api/deliveries/{delivery_id}/comparisons": {},
    "/api/deliveries/{delivery_id}/suitability": {"columns": ["ph"]},
    "/api/deliveries/{delivery_id}/proposed-checks": {"ids": ["x"]},
    "/api/deliveries/{delivery_id}/profile/column": {"name": "ph", "type": "text"},
    "/api/deliveries/{delivery_id}/design": {"choices": [{"change": 1, "choice": "accept it"}]},
    "/api/deliveries/{delivery_id}/totals": {"totals": {"records": 3}},
    "/api/feeds/{slug}/columns": {"columns": [{"name": "ph", "type": "decimal"}]},
    "/api/feeds/{slug}/filters": {"name": "odd", "filters": [{"on": "column", "name": "ph", "test": "missing"}]},
    "/api/feeds/{slug}/schema": {"text": '{"fields": [{"name": "ph", "type": "number"}]}'},
    "/api/feeds/{slug}/uploads": {"name": "x.csv", "size": 4},
    "/api/feeds/{slug}/deliveries/of-uploads": {"uploads": ["8c3a4b7e-0000-4000-8000-000000000000"]},
    "/api/feeds/{slug}/fetch-plan": {"kind": "page", "address": "http://127.0.0.1:9/x"},
    "/api/deliveries/{delivery_id}/news/{novelty}": {"answer": "ignored"},
    "/api/feeds/{slug}/policy": {"then": "propose"},
    "/api/feeds/{slug}/policy/past": {},
    "/api/feeds/{slug}/arrival-plan": {"plan": {"every": "month", "on": 2}},
    "/api/readers": {"name": "reports", "feeds": ["samples"]},
    "/api/readers/{reader_id}": {"feeds": ["samples"]},
    "/api/tokens": {"name": "nightly"},
    "/api/inbox/mail": {"when": "daily", "mail": "ana@agency.example"},
    "/api/webhooks": {"address": "http://127.0.0.1:9/told"},
    "/api/session": {"username": "x", "password": "y"},
    "/api/session/password": {"old": "wrong", "new": "a long enough secret"},
    "/api/people": {"username": "new-one", "roles": ["viewer"]},
    "/api/people/{person_id}": {"name": "Renamed"},
    "/api/invitations/{text}": {"username": "first", "password": "a long enough secret"},
}


def operations() -> list[tuple[str, str]]:
    return [
        (method.upper(), path)
        for path, methods in api.get_openapi_schema()["paths"].items()
        for method in methods
    ]  # fmt: skip


def ask(browser: Browser, method: str, path: str, places: dict[str, Any]) -> int:
    if path.endswith("/{slug}/deliveries"):
        return browser.client.post(
            path.format(**places), {"files": [SimpleUploadedFile("more.txt", b"a|b\n1|2\n")]}
        ).status_code
    if path.endswith("/references"):
        return browser.client.post(path, {"name": "t", "file": SimpleUploadedFile("t.csv", b"a,b\n1,2\n")}).status_code
    if path.endswith(("/quarantine/answer", "/{slug}/answers")):
        sent = {"file": SimpleUploadedFile("t.csv", b"return reference,b\n1,2\n")}
        return browser.client.post(path.format(**places), sent).status_code
    path = f"{path}?name=site" if path.endswith(("/values", "/lineage/column")) and method == "GET" else path
    path = path.replace("/companion", "/companion?companion=true") if method == "PUT" else path
    changes = (
        "?before={release_id}&delivery={delivery_id}"
        if path.endswith(("/changes", "/changes/records", "/distributions"))
        else ""
    )
    path = f"{path}{changes}"
    path = f"{path}?offset=0" if path == "/api/uploads/{key}" and method == "PUT" else path
    path = f"{path}?column=site" if path.endswith(("/variants", "/words")) and method == "GET" else path
    body = BODIES.get(path) if method in ("POST", "PUT", "PATCH") else None
    answer = browser(method, path.format(**places).removeprefix("/api"), body)
    return answer["status"] if isinstance(answer, dict) and answer.get("type") == "about:blank" else 200


def test_who_may_do_what(places: dict[str, Any], browser: Callable[[str | None], Browser]) -> None:
    asked = sorted(
        operations(), key=lambda operation: operation[0] != "GET"
    )  # what is read, before anything is changed
    assert len(asked) > 25
    for method, path in asked:
        place = (method, path)
        if place in OPEN:
            continue
        signed_out, nobody = ask(browser(None), method, path, places), ask(browser("nobody"), method, path, places)
        assert (place, signed_out, nobody) == (place, 401, 403)
        if place in ADMINISTERING:
            kept = [ask(browser(name), method, path, places) for name in ("vic", "ana", "app")]
            assert (place, kept) == (place, [403] * 3)
            assert ask(browser("adm"), method, path, places) in (200, 201, 404)
            continue
        viewer, analyst = ask(browser("vic"), method, path, places), ask(browser("ana"), method, path, places)
        reading = (method == "GET" or place in READING) and place not in OWN
        if place in EVERYBODY:
            assert (place, viewer, analyst) == (place, 422, 422)
            continue
        assert (place, viewer) == (place, 200 if reading else 403)
        if place in RELEASING:
            assert (place, analyst) == (place, 403)
            assert ask(browser("app"), method, path, places) != 403
        else:
            assert (place, analyst != 403, analyst < 500) == (place, True, True)


def test_without_the_csrf_token_nothing_is_changed(db: None) -> None:
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(make_user("ana", "secret-pass", "Ana", ["analyst"]))
    answer = strict.post("/api/feeds", '{"name": "x"}', content_type="application/json")
    assert answer.status_code == 403
    assert strict.post("/api/session", "{}", content_type="application/json").status_code == 403


def test_wrong_password_and_unknown_places_are_problems(db: None, browser: Callable[[str | None], Browser]) -> None:
    wrong = browser(None)("POST", "/session", {"username": "ana", "password": "wrong"}, expect=401)
    assert wrong["title"] == "Sign in first"
    analyst = browser("ana")
    assert "no delivery 99" in analyst("GET", "/deliveries/99", expect=404)["detail"]
    bad = analyst("POST", "/feeds", {"name": ""}, expect=422)
    assert bad["errors"][0]["where"][-1] == "name"
    broken = {
        "based_on": 0,
        "rules": [{"kind": "in-range", "id": "x", "columns": ["a"], "low": "7", "high": "2024-01-01"}],
    }
    analyst("POST", "/feeds", {"name": "F"}, expect=201)
    assert "one limit is a number" in analyst("PUT", "/feeds/f/rulebook", broken, expect=422)["detail"]
