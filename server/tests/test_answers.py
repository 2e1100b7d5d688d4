"""The way to a supplier and back: files put where it finds them, answers that arrive by themselves, looked at, applied, set aside."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import openpyxl
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from test_quarantine import Row, decide, deliver, feed, numbers, standing

from conftest import Browser, do_work
from demo.answering import FOR_THEM, answer_all, fill_in
from pravin_server.activity.models import Event
from pravin_server.arrivals import drop_folder
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds import folders
from pravin_server.feeds.models import Feed
from pravin_server.quarantine.models import Answer, Decision

__all__ = ["feed"]
ROWS: list[Row] = [(str(n), "" if n <= 4 else "A", "5") for n in range(1, 9)]
BOOK = {
    "1": {"id": "1", "site": "Köln", "amount": "5"},
    "2": {"id": "2", "site": "B"},
    "3": {"id": "3"},
    "5": {"site": "Z"},
}


def folder() -> Path:
    return folders.drop_folder(Feed.objects.get(slug="stock"))


def look() -> int:
    """Look into the drop folders until what lies there is steady."""
    return drop_folder.look() + drop_folder.look()


@pytest.fixture
def sent(feed: Browser) -> tuple[int, int]:
    """A delivery of which four records were returned, and that act; the file lies where the supplier finds it."""
    delivery = deliver(feed, ROWS)
    returned = decide(feed, delivery, "return", where=[], count=4)["decision"]
    feed("POST", f"/deliveries/{delivery}/decisions/{returned}/send", expect=200)
    return delivery, returned


def told(feed: Browser, delivery: int) -> dict[str, Any]:
    result: dict[str, Any] = feed("GET", f"/deliveries/{delivery}/quarantine", expect=200)
    return result


def leave(feed: Browser, path: Path, expect: int = 201, slug: str = "stock") -> Any:
    """Leave an answer by the API."""
    file = SimpleUploadedFile(path.name, path.read_bytes())
    answer = feed.client.post(f"/api/feeds/{slug}/answers", {"file": file})
    assert answer.status_code == expect, answer.content
    return answer.json()


def test_sent_answered_by_the_supplier_and_applied(feed: Browser, sent: tuple[int, int]) -> None:
    delivery, returned = sent
    (path,) = (folder() / FOR_THEM).glob("*.xlsx")
    assert [(act["id"], [each["name"] for each in act["sent"]]) for act in told(feed, delivery)["decisions"]] == [
        (returned, [path.name])
    ]
    assert look() == 0  # what is for the supplier is no delivery
    assert answer_all(folder(), BOOK, "id") == [path.name]
    assert answer_all(folder(), BOOK, "id") == []
    assert look() == 1
    assert Delivery.objects.count() == 1
    assert (folder() / "taken" / path.name).exists()
    (arrived,) = told(feed, delivery)["answers"]
    assert (arrived["name"], arrived["way"], arrived["returned"]) == (path.name, "drop folder", returned)
    place = f"/deliveries/{delivery}/answers/{arrived['id']}"
    said = feed("POST", place, expect=200)
    assert (said["records"], said["untouched"], said["states"]) == (2, 2, {"corrected": 2})
    assert standing(feed, delivery) == (4, 0, 0)  # looked at only
    feed("POST", f"{place}?apply=true", expect=200)
    do_work()
    assert numbers(feed, delivery) == [3, 4]
    assert numbers(feed, delivery, returned="true") == [3, 4]
    assert told(feed, delivery)["answers"] == []
    answer = Answer.objects.get()
    assert (answer.state, answer.amendment_id) == ("applied", Decision.objects.latest("id").pk)
    assert "applied already" in feed("POST", f"{place}?apply=true", expect=409)["detail"]
    assert "applied already" in feed("POST", f"{place}/set-aside", expect=409)["detail"]


def test_an_answer_set_aside_changes_nothing(feed: Browser, sent: tuple[int, int]) -> None:
    delivery, _ = sent
    answer_all(folder(), BOOK, "id")
    look()
    (arrived,) = told(feed, delivery)["answers"]
    feed("POST", f"/deliveries/{delivery}/answers/{arrived['id']}/set-aside", expect=200)
    assert (told(feed, delivery)["answers"], standing(feed, delivery)) == ([], (4, 0, 0))
    assert Event.objects.filter(what__contains="aside").count() == 1


def test_answers_by_the_api_and_what_is_none(feed: Browser, sent: tuple[int, int], tmp_path: Path) -> None:
    delivery, returned = sent
    (path,) = (folder() / FOR_THEM).glob("*.xlsx")
    answer = tmp_path / "answer.xlsx"
    assert fill_in(path, answer, BOOK, "id") == 2
    arrived = leave(feed, answer)
    assert (arrived["delivery"], arrived["number"], arrived["returned"], arrived["way"]) == (
        delivery,
        1,
        returned,
        "API",
    )
    assert "arrived before" in leave(feed, answer, expect=409)["detail"]
    feed("POST", "/feeds", {"name": "Other"}, expect=201)
    assert "about the feed Stock" in leave(feed, answer, expect=422, slug="other")["detail"]
    (tmp_path / "none.csv").write_text("return reference,id\n99-1-abc,1\n")
    assert "no file that was made for a supplier" in leave(feed, tmp_path / "none.csv", expect=422)["detail"]
    (tmp_path / "none.csv").write_text("id,site\n1,A\n")
    leave(feed, tmp_path / "none.csv", expect=422)
    assert Answer.objects.count() == 1


def test_in_the_drop_folder_of_another_feed_an_answer_is_refused(
    feed: Browser, sent: tuple[int, int], tmp_path: Path
) -> None:
    (path,) = (folder() / FOR_THEM).glob("*.xlsx")
    feed("POST", "/feeds", {"name": "Other"}, expect=201)
    other = folders.drop_folder(Feed.objects.get(slug="other"))
    fill_in(path, other / "answer.xlsx", BOOK, "id")
    (other / "more.csv").write_text("id,site\n1,A\n")  # beside it a delivery, which is one
    assert look() == 1
    assert (other / "refused" / "answer.xlsx").exists()
    assert [delivery.feed.slug for delivery in Delivery.objects.order_by("id")] == ["stock", "other"]
    assert Event.objects.filter(what__contains="about the feed Stock").exists()
    assert not Answer.objects.exists()


def test_an_answer_to_what_was_undone_waits_no_more(feed: Browser, sent: tuple[int, int]) -> None:
    delivery, returned = sent
    answer_all(folder(), BOOK, "id")
    look()
    feed("POST", f"/deliveries/{delivery}/decisions/{returned}/undo", expect=201)
    assert told(feed, delivery)["answers"] == []
    refused = feed("POST", f"/deliveries/{delivery}/decisions/{returned}/send", expect=422)
    assert "was undone" in refused["detail"]


def test_each_source_has_its_file_and_sending_again_replaces_it(feed: Browser) -> None:
    long = f"{'ö' * 120}"
    parts = {
        "north.txt": b"id|site|amount\n1||5\n",
        "north.csv": b"id|site|amount\n2||5\n3||6\n",
        f"{long}.txt": b"id|site|amount\n4||5\n",
    }
    delivery: int = feed.upload("stock", **parts)["id"]
    do_work()
    feed("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    returned = decide(feed, delivery, "return", where=[], count=4)["decision"]
    place = f"/deliveries/{delivery}/decisions/{returned}/send"
    first = feed("POST", place, expect=200)
    assert [each["name"] for each in first] == [each["name"] for each in feed("POST", place, expect=200)]
    paths = sorted((folder() / FOR_THEM).iterdir())
    # two sources that differ in their ending only are two files; a name too long for a folder is cut
    names = [path.name.rpartition(", ")[2] for path in paths]
    assert names == ["source 1 north.xlsx", "source 2 north.xlsx", f"source 3 {'ö' * 40}.xlsx"]
    assert [openpyxl.load_workbook(path).active.max_row for path in paths] == [2, 3, 2]
    assert Event.objects.filter(what__startswith="put ").count() == 2


def test_records_that_rules_made_go_out_with_the_others_in_one_file(feed: Browser) -> None:
    parts = {"kind": "break-cells", "id": "parts", "column": "site", "mark": ";"}
    allowed = {"kind": "allowed-values", "id": "allowed", "columns": ["site"], "values": ["A"]}
    feed("PUT", "/feeds/stock/rulebook", {"based_on": 1, "change": "more", "rules": [parts, allowed]}, expect=200)
    delivery = deliver(feed, [("1", "A;X;Y", "5"), ("2", "B", "5"), ("3", "A", "5")])
    waiting = told(feed, delivery)["waiting"]
    returned = decide(feed, delivery, "return", where=[], count=waiting)["decision"]
    sent = feed("POST", f"/deliveries/{delivery}/decisions/{returned}/send", expect=200)
    rows = sum(openpyxl.load_workbook(folder() / FOR_THEM / each["name"]).active.max_row - 1 for each in sent)
    assert rows == waiting == 3
