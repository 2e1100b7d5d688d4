"""Records returned to their supplier as a file, and the file that comes back."""

from __future__ import annotations

import csv
import io
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from test_quarantine import Make, Row, agree_key, decide, deliver, feed, lines, numbers, standing

from conftest import Browser, do_work
from pravin_core.cases.returns import REASONS, REFERENCE
from pravin_server.quarantine.models import Decision

__all__ = ["feed"]


def out(browser: Browser, delivery: int, returned: int, query: str = "") -> list[dict[str, str]]:
    """The file for the supplier."""
    answer = browser.client.get(f"/api/deliveries/{delivery}/decisions/{returned}/return-file{query}")
    assert answer.status_code == 200
    return list(csv.DictReader(io.StringIO(b"".join(answer.streaming_content).decode())))


def back(browser: Browser, delivery: int, rows: list[dict[str, str]], apply: bool, expect: int = 200) -> Any:
    """Take in what the supplier filled in, as a spreadsheet of its country writes it."""
    text = io.StringIO()
    writer = csv.DictWriter(text, list(rows[0]), delimiter=";")
    writer.writeheader()
    writer.writerows(rows)
    file = SimpleUploadedFile("answer.csv", text.getvalue().encode("cp1252"))
    answer = browser.client.post(
        f"/api/deliveries/{delivery}/quarantine/answer?apply={str(apply).lower()}", {"file": file}
    )
    assert answer.status_code == expect, answer.content
    do_work()
    return answer.json()


def test_returned_answered_applied_and_undone(feed: Browser) -> None:
    rows: list[Row] = [(str(n), "" if n <= 40 else "A", "5") for n in range(1, 61)]
    one = deliver(feed, rows)
    agree_key(feed, "id")
    returned = decide(feed, one, "return", where=[], count=40, until="2099-01-31")["decision"]
    assert standing(feed, one) == (40, 0, 0)
    shown = feed("GET", f"/deliveries/{one}/quarantine/records", expect=200)["rows"]
    assert {(row["with_supplier"], row["due"]) for row in shown} == {(True, "2099-01-31")}
    sent = out(feed, one, returned)
    assert (len(sent), list(sent[0])) == (40, [REFERENCE, REASONS, "id", "site", "amount", "correct site"])
    for row in sent[:38]:
        row["correct site"] = "Köln"
    sent[38] |= {"correct site": "B", "amount": "6"}  # a cell that was not complained of
    tried = back(feed, one, sent, apply=False)
    assert (tried["records"], tried["untouched"], tried["changed"], tried["states"]) == (38, 1, [40], {"corrected": 38})
    assert not Decision.objects.filter(kind="amend").exists()
    back(feed, one, sent, apply=True)
    assert numbers(feed, one) == [39, 40]
    rest = feed("GET", f"/deliveries/{one}/quarantine/counts", expect=200)
    assert rest["with_supplier"] == 2
    cells = feed("GET", f"/deliveries/{one}/records/1/life", expect=200)["cells"]
    assert {cell["name"]: cell["current"] for cell in cells}["site"] == "Köln"
    act = feed("GET", f"/deliveries/{one}/quarantine", expect=200)["decisions"][0]
    assert (act["details"]["returned"], act["records"]) == (returned, 38)
    feed("POST", f"/deliveries/{one}/decisions/{act['id']}/undo", expect=201)
    do_work()
    assert standing(feed, one) == (40, 0, 0)


def test_a_record_that_is_still_wrong_after_the_answer_is_not_with_the_supplier_any_more(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "x"), ("2", "", "5")])
    returned = decide(feed, one, "return", records=[1, 2])["decision"]
    sent = out(feed, one, returned)
    sent[0] |= {"correct site": "A", "correct amount": "700"}
    tried = back(feed, one, sent, apply=True)
    assert tried["records"] == 1
    shown = feed("GET", f"/deliveries/{one}/quarantine/records", expect=200)["rows"]
    assert [(row["record"], row["with_supplier"]) for row in shown] == [(1, False), (2, True)]
    assert numbers(feed, one, returned="true") == [2]
    decide(feed, one, "wait", records=[2], until="2099-01-31")  # another day, the same supplier
    assert numbers(feed, one, returned="true") == [2]


def test_what_somebody_decided_since_is_not_overwritten_by_the_answer(feed: Browser) -> None:
    one = deliver(feed, [("1", "", "5"), ("2", "", "5"), ("3", "", "5")])
    returned = decide(feed, one, "return", records=[1, 2, 3])["decision"]
    sent = out(feed, one, returned)
    for row in sent:
        row["correct site"] = "Z"
    decide(feed, one, "discard", records=[1], justification="twice", apply=False)
    decide(feed, one, "amend", records=[2], values={"site": "A"})
    told = back(feed, one, sent, apply=True)
    assert (told["records"], told["settled"], told["unknown"]) == (1, 2, [])
    assert numbers(feed, one) == []
    sites = [
        feed("GET", f"/deliveries/{one}/records/{record}/life", expect=200)["cells"][1]["current"] for record in (2, 3)
    ]
    assert sites == ["A", "Z"]
    again = back(feed, one, sent, apply=True)  # the same file once more
    assert (again["records"], again["settled"], again["job"]) == (0, 3, None)


def test_each_source_gets_its_own_file(feed: Browser) -> None:
    sent = {"north.txt": lines([("1", "", "5")]), "south.txt": lines([("2", "", "5"), ("3", "A", "x")])}
    one: int = feed.upload("stock", **sent)["id"]
    do_work()
    feed("POST", f"/deliveries/{one}/runs", expect=201)
    do_work()
    returned = decide(feed, one, "return", records=[1, 2])["decision"]
    act = feed("GET", f"/deliveries/{one}/quarantine", expect=200)["decisions"][0]
    assert act["details"] == {"sources": [[0, 1], [1, 1]]}
    assert [row["id"] for row in out(feed, one, returned, "?source=0")] == ["1"]
    assert [row["id"] for row in out(feed, one, returned, "?source=1")] == ["2"]
    assert len(out(feed, one, returned)) == 2
    other = decide(feed, one, "return", records=[3])["decision"]
    refused = feed("GET", f"/deliveries/{one}/decisions/{other}/return-file?source=0", expect=422)
    assert "No returned record is of this source" in refused["detail"]
    feed("GET", f"/deliveries/{one}/decisions/{other}/return-file?source=7", expect=422)


def test_what_is_no_answer_is_said_and_changes_nothing(feed: Browser, browser: Make) -> None:
    one = deliver(feed, [("1", "", "5")])
    two = deliver(feed, [("2", "", "5")])
    returned = decide(feed, one, "return", records=[1])["decision"]
    sent = out(feed, one, returned)
    sent[0]["correct site"] = "A"
    said = back(feed, two, sent, apply=True, expect=422)["detail"]
    assert said == "This file is about delivery 1 of Stock. Take it in there."
    strange = [{REFERENCE: "x-1-abc", "correct site": "A"}]
    assert "no references that are known" in back(feed, one, strange, apply=True, expect=422)["detail"]
    assert "no references that are known" in back(feed, one, [{"a": "1", "b": "2"}], apply=True, expect=422)["detail"]
    feed("GET", f"/deliveries/{two}/decisions/{returned}/return-file", expect=404)
    viewer = browser("vic")
    assert back(viewer, one, sent, apply=False, expect=403)["status"] == 403
    feed("POST", f"/deliveries/{one}/decisions/{returned}/undo", expect=201)
    assert "was undone" in back(feed, one, sent, apply=True, expect=422)["detail"]
    assert not Decision.objects.filter(kind="amend").exists()
