"""Waiting records as they are listed: counts and what they open, files, a record's life, keys, roles, amending by rules."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable
from typing import Any
from urllib.parse import urlencode

from django.core.files.uploadedfile import SimpleUploadedFile
from test_quarantine import Row, agree_key, decide, deliver, feed, lines, numbers

from conftest import Browser, do_work
from pravin_server.quarantine.models import Decision

__all__ = ["feed"]
Make = Callable[[str | None], Browser]


def test_counts_by_reason_and_source_open_as_many_records(feed: Browser) -> None:
    rows: list[Row] = [("1", "", "5"), ("2", "", "x"), ("3", "A", "500"), ("4", "A", "5")]
    sent = {"north.txt": lines(rows), "south.txt": lines([("5", "", "700"), ("6", "B", "seven")])}
    one: int = feed.upload("stock", **sent)["id"]
    do_work()
    feed("POST", f"/deliveries/{one}/runs", expect=201)
    do_work()
    for where in ([], [{"on": "file", "value": "1"}], [{"on": "column", "name": "site", "test": "missing"}]):
        asked = urlencode({"where": json.dumps(where)})
        counts = feed("GET", f"/deliveries/{one}/quarantine/counts?{asked}", expect=200)
        assert counts["total"] == len(numbers(feed, one, where=where))
        for reason in counts["reasons"]:
            own = {"on": "reason", "value": str(reason["rule"]), "name": reason["name"], "phrase": reason["phrase"]}
            assert len(numbers(feed, one, where=[*where, own])) == reason["records"]
        for source in counts["files"]:
            own_file = {"on": "file", "value": str(source["file"])}
            assert len(numbers(feed, one, where=[*where, own_file])) == source["records"]
    assert numbers(feed, one, where=[{"on": "reason", "seen": "seven"}]) == [6]


def test_waiting_records_as_files(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "A", "=1+1"), ("3", "A", "5")])
    agree_key(feed, "id")
    deliver(feed, [("1", "B", "5"), ("9", "", " 6 ")])

    def read(path: str) -> list[dict[str, str]]:
        answer = feed.client.get(f"/api{path}")
        assert answer.status_code == 200
        return list(csv.DictReader(io.StringIO(b"".join(answer.streaming_content).decode())))

    (own,) = read(f"/deliveries/{one}/quarantine/file")
    assert (own["delivery"], own["record"], own["line"], own["reasons"]) == (
        "1",
        "2",
        "3",
        "amount =1+1 could not be read",
    )
    assert (own["amount"], own["amount (delivered)"]) == ("'=1+1", "'=1+1")
    everything = read("/feeds/stock/quarantine/file?defused=false")
    assert [(row["delivery"], row["record"], row["id"]) for row in everything] == [("1", "2", "2"), ("2", "2", "9")]
    assert (everything[1]["amount"], everything[1]["amount (delivered)"]) == ("6", " 6 ")
    for form in ("tsv", "jsonl", "parquet"):
        assert feed.client.get(f"/api/feeds/stock/quarantine/file?form={form}").status_code == 200


def test_the_life_of_a_record_tells_all_of_it(feed: Browser) -> None:
    one = deliver(feed, [("1", " A ", "5"), ("2", "B ", "x")])
    life = feed("GET", f"/deliveries/{one}/records/2/life", expect=200)
    assert (life["state"], life["file"], life["line"], life["line_text"]) == ("quarantined", "stock.txt", 3, "2|B |x")
    cells = {cell["name"]: (cell["original"], cell["current"], cell["wrong"]) for cell in life["cells"]}
    assert cells == {"id": ("2", "2", []), "site": ("B ", "B", []), "amount": ("x", "x", ["could not be read"])}
    assert [(work["rule"], work["cells"]) for work in life["steps"]] == [
        (1, [{"name": "site", "before": "B ", "after": "B"}]),
        (2, [{"name": "amount", "before": "x", "after": None}]),
    ]
    quick = feed("GET", f"/deliveries/{one}/records/2/life?whole=false", expect=200)
    assert (quick["cells"], quick["steps"]) == (life["cells"], [])
    ready = feed("GET", f"/deliveries/{one}/records/1/life", expect=200)
    assert (ready["state"], ready["since"], ready["runs"]) == ("corrected", None, [])
    feed("GET", f"/deliveries/{one}/records/3/life", expect=404)


def test_a_key_is_proposed_from_the_data_and_agreed(feed: Browser, browser: Make) -> None:
    rows: list[Row] = [(f"K{n // 2}", "AB"[n % 2], "5") for n in range(40)]
    deliver(feed, rows)
    proposals = feed("GET", "/feeds/stock/key", expect=200)["proposals"]
    assert [(p["columns"], p["different"], p["missing"]) for p in proposals] == [(["id", "site"], 40, 0)]
    refused = feed("PUT", "/feeds/stock/key", {"columns": ["id", "nothere"]}, expect=422)
    assert "no column 'nothere'" in refused["detail"]
    feed("PUT", "/feeds/stock/key", {"columns": ["id", "id"]}, expect=422)
    agree_key(feed, "id", "site")
    assert feed("GET", "/feeds/stock/key", expect=200)["columns"] == ["id", "site"]
    browser("vic")("PUT", "/feeds/stock/key", {"columns": ["id"]}, expect=403)


def test_viewers_see_and_do_not_decide(feed: Browser, browser: Make) -> None:
    one = deliver(feed, [("1", "", "5")])
    viewer = browser("vic")
    assert viewer("GET", f"/deliveries/{one}/quarantine/records", expect=200)["total"] == 1
    assert viewer("GET", f"/deliveries/{one}/records/1/life", expect=200)["state"] == "quarantined"
    act = {"kind": "discard", "records": [1], "justification": "x"}
    for path in ("decisions", "decisions/preview"):
        viewer("POST", f"/deliveries/{one}/{path}", act, expect=403)
    viewer("POST", f"/deliveries/{one}/decisions/apply", expect=403)
    assert not Decision.objects.exists()


def test_amended_by_a_rule_and_by_the_value_of_a_reference(feed: Browser) -> None:
    text = b"code,place\n1,North\n2,South\n9,West\n"
    feed.client.post("/api/library/references", {"name": "places", "file": SimpleUploadedFile("p.csv", text)})
    one = deliver(feed, [("1", "", "5"), ("2", "", "700"), ("3", "", "5"), ("4", "A", "7,5"), ("5", "", "5")])
    look_up = {
        "kind": "look-up",
        "id": "amend",
        "reference": "places",
        "keys": [{"code": "id", "meaning": "code"}],
        "take": ["place"],
    }
    act: dict[str, Any] = {"kind": "amend", "records": [1, 2, 3], "column": "site", "rule": look_up}
    tried = feed("POST", f"/deliveries/{one}/decisions/preview", act, expect=200)
    assert (tried["records"], tried["states"]) == (3, {"corrected": 1, "quarantined": 2})
    decide(feed, one, **act)
    assert numbers(feed, one) == [2, 3, 4, 5]
    life = feed("GET", f"/deliveries/{one}/records/2/life", expect=200)
    assert {cell["name"]: cell["current"] for cell in life["cells"]}["site"] == "South"
    (said,) = feed("GET", f"/deliveries/{one}/quarantine", expect=200)["decisions"]
    assert said["details"]["column"] == "site"
    assert "places" in said["details"]["sentence"]
    # what could not be read is repaired by a rule over its text
    comma = {"kind": "replace-text", "id": "amend", "columns": ["amount"], "find": ",", "replacement": "."}
    decide(feed, one, "amend", records=[4], column="amount", rule=comma)
    assert numbers(feed, one) == [2, 3, 5]
    nothing = decide(feed, one, "amend", records=[5], column="amount", rule=comma, expect=422)
    assert "changes nothing of these records" in nothing["detail"]
    unknown = {**look_up, "reference": "nowhere"}
    decide(feed, one, "amend", records=[5], column="site", rule=unknown, expect=422)
    feed("POST", f"/deliveries/{one}/decisions", {**act, "rule": {"kind": "no such"}}, expect=422)
    assert numbers(feed, one) == [2, 3, 5]
