"""Columns to be masked: whoever does not work on records sees no value of them, anywhere; whoever does sees all."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from typing import Any
from urllib.parse import quote

import pytest
from test_permissions import ADMINISTERING, BODIES, OWN, READING, operations

import conftest
from conftest import RULES, Browser, do_work
from pravin_server.feeds import masking
from pravin_server.feeds.models import Feed
from pravin_server.runs.models import Run
from pravin_server.workspace.masking import COVERING, WITHOUT_VALUES

Make = Callable[[str | None], Browser]
SECRET = "Quillmere"
DATA = (
    b"id|site|ph\n1|Quillmere 1| 7.4\n2|Quillmere 2|74\n3|n/a|x\nbroken Quillmere\n4|Quillmere 4|6.9\n4|Quillmere 4|6.9\n"
    b"5|Quillmere 5 but far too long|7\n"
)
OWN_RULES: list[dict[str, Any]] = [
    *RULES[:4], {"kind": "mask", "id": "keyed", "columns": ["id"], "how": "hash", "key": "Quillmere key"}, *RULES[4:], {"kind": "text-length", "id": "length", "columns": ["site"], "most": 12},
]  # fmt: skip
CONTRACT = [
    {"name": "id", "type": "text"}, {"name": "site", "type": "text", "masked": True, "example": "Quillmere 9"}, {"name": "ph", "type": "decimal"},
]  # fmt: skip

CONTRACT_AS_TEXT = [{**each, "type": "text"} for each in CONTRACT]


@pytest.fixture(autouse=True)
def secrets(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(conftest, "DATA", DATA)
    monkeypatch.setattr(conftest, "RULES", OWN_RULES)


@pytest.fixture
def masked(places: dict[str, Any], secrets: None) -> dict[str, Any]:
    """The places of a feed whose column `site` may only go out masked."""
    browser = Browser("app")
    browser("POST", f"/deliveries/{places['delivery_id']}/decisions",
            {"records": [2], "kind": "amend", "values": {"site": "Quillmere amended"}, "justification": "seen"}, expect=201)  # fmt: skip
    do_work()
    browser("PUT", "/feeds/samples/filters", {"name": "one site", "filters": [
        {"on": "column", "name": "site", "test": "is", "value": "Quillmere 1"}]}, expect=200)  # fmt: skip
    browser("PUT", "/feeds/samples/contract", {"based_on": 0, "columns": CONTRACT}, expect=200)
    return {**places, "run_id": Run.objects.filter(purpose="run").latest("pk").pk}


def content(answer: Any) -> str:
    """All that an answer holds, unpacked."""
    body = b"".join(answer.streaming_content) if answer.streaming else answer.content
    if body[:2] == b"PK":
        with zipfile.ZipFile(io.BytesIO(body)) as packed:
            body = b"\n".join(packed.read(name) for name in packed.namelist())
    return str(body.decode(errors="replace"))


def asked(browser: Browser, method: str, path: str, places: dict[str, Any]) -> Any:
    changes = (
        "?before={release_id}&delivery={delivery_id}"
        if path.endswith(("/changes", "/changes/records", "/distributions"))
        else ""
    )
    column = "?name=site&column=site" if path.endswith(("/values", "/variants", "/words", "/lineage/column")) else ""
    body = json.dumps(BODIES[path]) if path in BODIES else ""
    address = f"{path}{changes or column}".format(**places)
    return browser.client.generic(method, address, body, content_type="application/json")


def test_no_answer_to_a_viewer_holds_a_value_of_a_masked_column(browser: Make, masked: dict[str, Any]) -> None:
    looking = {("GET", path) for method, path in operations() if method == "GET"} | READING - {
        ("DELETE", "/api/session")
    }
    analyst, viewer = browser("app"), browser("vic")
    told, shows, refused = {}, set(), set()
    for method, path in sorted(looking - ADMINISTERING - OWN):
        known, answer = asked(analyst, method, path, masked), asked(viewer, method, path, masked)
        if SECRET in content(known):
            shows.add(path)
        if SECRET in (said := content(answer)):
            told[f"{method} {path}"] = said[max(0, said.index(SECRET) - 200) : said.index(SECRET) + 50]
        if answer.status_code == 403:
            refused.add(path)
            assert "site" in said, said
    assert told == {}, "\n".join(f"{k}: {v}" for k, v in told.items())
    assert len(shows) > 15  # the analyst sees them, so that the test could have found them
    assert len(refused) > 25
    open_ = {path.split(" ")[1] for path in COVERING | WITHOUT_VALUES}
    assert refused.isdisjoint(f"/api{path}" for path in open_ - {"/deliveries/{delivery_id}/values"})


def test_every_operation_that_is_let_through_is_there() -> None:
    known = {f"{method} {path.removeprefix('/api')}" for method, path in operations()}
    assert known >= COVERING | WITHOUT_VALUES


def test_records_are_covered_cell_by_cell(browser: Make, masked: dict[str, Any]) -> None:
    page = f"/deliveries/{masked['delivery_id']}/records?run={masked['run_id']}"
    seen, all_ = browser("vic")("GET", page), browser("ana")("GET", page)
    at = [column["name"] for column in seen["columns"]].index("site")
    assert [row["cells"][at] for row in seen["rows"]] == [
        None if row["cells"][at] is None else masking.MASK for row in all_["rows"]
    ]
    assert [[c for n, c in enumerate(row["cells"]) if n != at] for row in seen["rows"]] == [
        [c for n, c in enumerate(row["cells"]) if n != at] for row in all_["rows"]
    ]
    long = next(row for row in all_["rows"] if "far too long" in (row["cells"][at] or ""))
    covered = next(row for row in seen["rows"] if row["record"] == long["record"])
    assert [(r["phrase"], r["value"]) for r in covered["reasons"]] == [
        (r["phrase"], masking.MASK) for r in long["reasons"]
    ]
    assert {row["state"] for row in seen["rows"]} == {row["state"] for row in all_["rows"]}


def test_the_life_of_a_record_tells_that_a_covered_value_was_changed(browser: Make, masked: dict[str, Any]) -> None:
    viewer = browser("vic")
    page = f"/deliveries/{masked['delivery_id']}"
    lives = {n: viewer("GET", f"{page}/records/{n}/life", expect=200) for n in (1, 2, 3)}
    cells = {n: next(cell for cell in life["cells"] if cell["name"] == "site") for n, life in lives.items()}
    shown = {n: (cell["original"], cell["current"]) for n, cell in cells.items()}
    assert shown == {1: (masking.MASK, masking.MASK), 2: (masking.MASK, masking.CHANGED), 3: (masking.MASK, None)}
    assert [act["details"].get("values") for act in lives[2]["decisions"] if act["kind"] == "amend"] == [
        {"site": masking.MASK}
    ]
    assert [life["line_text"] for life in lives.values()] == ["", "", ""]
    assert viewer("GET", page)["masked"] == ["site"]
    assert browser("ana")("GET", page)["masked"] == []


FORBIDDEN: list[list[dict[str, Any]]] = [
    [{"on": "column", "name": "site", "test": "contains", "value": "Q"}],
    [{"on": "any of", "of": [{"on": "column", "name": "ph", "test": "missing"}, {"on": "column", "name": "site", "test": "is", "value": "A"}]}],
    [{"on": "text", "value": "Quill"}],
    [{"on": "formula", "value": "length(site) > 3"}],
    [{"on": "repeated", "values": ["site"]}],
]  # fmt: skip


def test_records_cannot_be_chosen_by_what_is_hidden(browser: Make, masked: dict[str, Any]) -> None:
    viewer, analyst = browser("vic"), browser("ana")
    for filters in FORBIDDEN:
        where = quote(json.dumps(filters))
        for page in ("records?", f"records?run={masked['run_id']}&", "quarantine/records?", "quarantine/counts?"):
            address = f"/deliveries/{masked['delivery_id']}/{page}where={where}"
            viewer("GET", address, expect=403)
            analyst("GET", address, expect=200)


def test_what_is_not_hidden_can_be_asked_for(browser: Make, masked: dict[str, Any]) -> None:
    viewer, base = browser("vic"), f"/deliveries/{masked['delivery_id']}/records"
    viewer("GET", f"{base}?sort=site", expect=403)
    filters = [
        {"on": "column", "name": "ph", "test": "contains", "value": "7"},
        {"on": "any of", "of": [{"on": "rule", "value": "8"}]},
    ]
    assert viewer("GET", f"{base}?sort=ph&where={quote(json.dumps(filters[:1]))}", expect=200)["total"] == 3
    assert (
        viewer("GET", f"{base}?run={masked['run_id']}&where={quote(json.dumps(filters[1:]))}", expect=200)["total"] == 2
    )


def test_the_columns_that_a_masked_one_is_made_of_are_hidden_too(browser: Make, delivered: int) -> None:
    analyst = browser("app")
    rules = [{"kind": "rename-columns", "id": "rename", "names": [{"code": "site", "meaning": "place"}]},
             {"kind": "compute", "id": "both", "columns": ["label"], "formula": "concat(place, id)"}]  # fmt: skip
    analyst("PUT", "/feeds/samples/rulebook", {"based_on": 1, "rules": rules}, expect=200)
    analyst("POST", f"/deliveries/{delivered}/runs", expect=201)
    do_work()
    feed = Feed.objects.get(slug="samples")
    assert masking.hidden_columns(None, feed) == frozenset()
    columns = [{"name": "place", "type": "text"}, {"name": "label", "type": "text", "masked": True}]
    analyst("PUT", "/feeds/samples/contract", {"based_on": 0, "columns": columns}, expect=200)
    assert masking.hidden_columns(None, feed) == {"label", "site", "id"}


def test_what_went_out_masked_can_be_taken_and_what_did_not_cannot(browser: Make, delivered: int) -> None:
    analyst, viewer = browser("app"), browser("vic")
    hides = {"kind": "mask", "id": "mask", "columns": ["site"], "how": "shape"}
    keyed = {**hides, "how": "fake", "key": "Quillmere key"}
    releases = []
    for revision, rules in enumerate(([RULES[0]], [RULES[0], hides], [RULES[0], keyed]), start=1):
        analyst("PUT", "/feeds/samples/rulebook", {"based_on": revision, "rules": rules}, expect=200)
        run = analyst("POST", f"/deliveries/{delivered}/runs", expect=201)["id"]
        do_work()
        if revision == 2:
            analyst("PUT", "/feeds/samples/contract", {"based_on": 0, "columns": CONTRACT_AS_TEXT}, expect=200)
        releases.append(analyst("POST", f"/deliveries/{delivered}/release", {"run": run}, expect=201)["id"])
        do_work()
    before, after, by_key = releases
    statuses = [viewer.client.get(f"/api/releases/{by_key}/{what}").status_code for what in ("data", "package")]
    assert statuses == [200, 403]  # a package tells how it was masked
    for what in ("data?form=csv", "data?form=jsonl", "package"):
        refused, taken = (viewer.client.get(f"/api/releases/{release}/{what}") for release in (before, after))
        assert (refused.status_code, taken.status_code) == (403, 200)
        assert SECRET not in (told := content(taken))
        assert "Aaaaaaaaa 9" in told


def test_where_nothing_is_to_be_masked_everybody_sees_all(browser: Make, places: dict[str, Any]) -> None:
    at = ["id", "site", "ph"].index("site")
    rows = browser("vic")("GET", f"/deliveries/{places['delivery_id']}/records")["rows"]
    assert rows[0]["cells"][at] == "Quillmere 1"
    assert SECRET in content(browser("vic").client.get(f"/api/deliveries/{places['delivery_id']}/records/file"))
