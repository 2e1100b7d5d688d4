"""Feeds over time: what is new in a delivery, answers to it, and feeds that run themselves."""

from __future__ import annotations

import csv
import io
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from django.db import connection

from conftest import Browser, do_work
from pravin_server.activity.models import Event
from pravin_server.deliveries.models import Delivery
from pravin_server.monitoring import policy as policies
from pravin_server.monitoring.models import Memory, PolicyStep
from pravin_server.releases.models import Release
from pravin_server.runs.models import Run

RULES: list[dict[str, Any]] = [
    {"kind": "to-number", "id": "number", "columns": ["ph"]},
    {"kind": "in-range", "id": "range", "columns": ["ph"], "low": "0", "high": "14"},
    {"kind": "required", "id": "site", "columns": ["site"]},
]
FIRST = datetime(2025, 1, 6, 8, tzinfo=ZoneInfo("UTC"))
RECORDS = 300


def month(number: int, level: float = 7.2, sites: str = "ABCD", records: int = RECORDS) -> list[dict[str, str]]:
    """The records of a month; two of them are out of range."""
    draw = np.random.default_rng(number)
    ph = [f"{value:.2f}" for value in draw.normal(level + draw.normal(0, 0.02), 0.3, records)]
    ph[3], ph[9] = "71.0", "72.0"
    return [
        {"id": f"{number:03}-{place:04}", "site": sites[draw.integers(len(sites))], "ph": ph[place]}
        for place in range(records)
    ]


def file_of(records: list[dict[str, str]]) -> bytes:
    out = io.StringIO()
    writer = csv.DictWriter(out, ["id", "site", "ph"], delimiter="|", lineterminator="\n")
    writer.writeheader()
    writer.writerows(records)
    return out.getvalue().encode()


def deliver(by: Browser, number: int, records: list[dict[str, str]] | None = None) -> int:
    """Let a month arrive, on its day; what the feed does by itself is done."""
    delivery: int = by.upload("water", **{f"month{number}.txt": file_of(records or month(number))})["id"]
    Delivery.objects.filter(pk=delivery).update(received=FIRST + timedelta(days=30.44 * number))
    do_work()
    return delivery


@pytest.fixture
def feed(db: None) -> Browser:
    """A feed with rules, and an approver who works on it."""
    person = Browser("app")
    person("POST", "/feeds", {"name": "Water"}, expect=201)
    person("PUT", "/feeds/water/rulebook", {"based_on": 0, "change": "first", "rules": RULES}, expect=200)
    return person


def steps(delivery: int) -> list[tuple[str, list[str]]]:
    return list(PolicyStep.objects.filter(delivery=delivery).values_list("did", "reasons"))


def released() -> list[tuple[str, float]]:
    with connection.cursor() as cursor:
        cursor.execute("SELECT id, ph FROM released.water ORDER BY id")
        return [(key, float(ph)) for key, ph in cursor.fetchall()]


def good(records: list[dict[str, str]]) -> list[tuple[str, float]]:
    """What is to be released of a month, reckoned without the application."""
    return sorted((each["id"], float(each["ph"])) for each in records if 0 <= float(each["ph"]) <= 14)


def test_a_feed_runs_itself_until_something_is_new(feed: Browser) -> None:
    deliver(feed, 0)  # before it runs itself: nothing happens
    assert not Run.objects.exists()
    feed("PUT", "/feeds/water/policy", {"then": "publish", "quarantined": 0.02}, expect=200)
    early = [deliver(feed, number) for number in range(1, 5)]
    for place, delivery in enumerate(early, start=1):
        assert [did for did, _ in steps(delivery)] == ["ran", "called"]
        assert f"{place} earlier deliveries are too few" in steps(delivery)[1][1][0]
    quiet = deliver(feed, 5)
    assert steps(quiet) == [("ran", []), ("published", [])]
    assert released() == good(month(5))

    moved = deliver(feed, 6, month(6, level=7.9))
    assert [did for did, _ in steps(moved)] == ["ran", "called"]
    assert [reason for reason in steps(moved)[1][1] if reason.startswith("ph: 7.9")]
    assert released() == good(month(5))
    told = feed("GET", f"/deliveries/{moved}/news", expect=200)
    assert {each["column"] for each in told["news"]} == {"ph"}
    assert (told["past"], told["changes"]) == (6, 0)
    for each in told["news"]:
        feed("PUT", f"/deliveries/{moved}/news/{each['id']}", {"answer": "expected", "word": "a new probe"}, expect=204)
    told = feed("GET", f"/deliveries/{moved}/news", expect=200)
    assert {(each["answer"], each["word"], each["by"]) for each in told["news"]} == {("expected", "a new probe", "App")}

    after = deliver(feed, 7, month(7, level=7.9))
    assert steps(after) == [("ran", []), ("published", [])]
    assert released() == good(month(7, level=7.9))
    back = deliver(feed, 8)
    assert [did for did, _ in steps(back)] == ["ran", "called"]
    assert Release.objects.count() == 2
    assert Event.objects.filter(what__startswith="set the policy that had delivery").count() == 2


def test_what_it_did_is_done_once(feed: Browser) -> None:
    feed("PUT", "/feeds/water/policy", {}, expect=200)
    delivery = deliver(feed, 1)
    run = Run.objects.get()
    for _ in range(2):  # as after a worker that died at the end
        policies.after_reading(Delivery.objects.get(pk=delivery))
        policies.after_run(run)
    do_work()
    assert Run.objects.count() == 1
    assert [did for did, _ in steps(delivery)] == ["ran", "called"]


def test_a_run_that_a_person_asked_for_goes_no_further(feed: Browser) -> None:
    history(feed, 6)
    feed("PUT", "/feeds/water/policy", {"then": "publish"}, expect=200)
    delivery = Delivery.objects.latest("received").pk
    feed("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    assert steps(delivery) == []
    assert not Release.objects.exists()


def history(feed: Browser, months: int) -> list[int]:
    return [deliver(feed, number) for number in range(months)]


@pytest.mark.parametrize(
    ("policy", "records", "reason"),
    [
        ({"quarantined": 0.001}, None, "0.7% are quarantined, agreed are at most 0.1%"),
        ({"least": 301}, None, "300 records, agreed are at least 301"),
        ({"most": 299}, None, "300 records, agreed are at most 299"),
        ({}, month(6, sites="ABCDE"), "site: 1 value never seen in 6 deliveries before"),
        ({}, month(6, records=150), "150 records, usually"),
    ],
)
def test_what_calls_a_person(feed: Browser, policy: dict[str, Any], records: Any, reason: str) -> None:
    history(feed, 6)
    feed("PUT", "/feeds/water/policy", {"then": "propose", **policy}, expect=200)
    delivery = deliver(feed, 6, records)
    assert [did for did, _ in steps(delivery)] == ["ran", "called"]
    assert [each for each in steps(delivery)[1][1] if each.startswith(reason)], steps(delivery)
    assert feed("GET", f"/deliveries/{delivery}/proposal", expect=200)["proposal"] is None


def test_a_policy_proposes_and_can_be_cancelled_like_a_person(feed: Browser) -> None:
    history(feed, 6)
    feed("PUT", "/feeds/water/policy", {"then": "propose"}, expect=200)
    delivery = deliver(feed, 6)
    assert [did for did, _ in steps(delivery)] == ["ran", "proposed"]
    proposal = feed("GET", f"/deliveries/{delivery}/proposal", expect=200)["proposal"]
    assert "nothing is new" in proposal["word"]
    feed("POST", f"/proposals/{proposal['id']}/cancel", expect=200)
    feed("DELETE", "/feeds/water/policy", expect=204)
    later = deliver(feed, 7)
    assert steps(later) == []
    assert feed("GET", "/feeds/water/policy", expect=200) == {"policy": None, "steps": {"ran": 1, "proposed": 1}}


def test_design_changes_call_a_person_before_anything_runs(feed: Browser) -> None:
    deliver(feed, 0)
    feed("POST", f"/deliveries/{Delivery.objects.get().pk}/runs", expect=201)
    do_work()
    feed("PUT", "/feeds/water/policy", {}, expect=200)
    changed = file_of(month(1)).replace(b"id|site|ph", b"id|place|ph")
    delivery = feed.upload("water", **{"next.txt": changed})["id"]
    do_work()
    assert [did for did, _ in steps(delivery)] == ["called"]
    assert "design change" in steps(delivery)[0][1][0]
    assert feed("GET", f"/deliveries/{delivery}/news", expect=200)["changes"] > 0


def test_only_an_approver_lets_a_feed_publish(feed: Browser) -> None:
    analyst = Browser("ana")
    analyst("PUT", "/feeds/water/policy", {"then": "publish"}, expect=403)
    analyst("PUT", "/feeds/water/policy", {"then": "propose", "least": 9, "most": 3}, expect=422)
    kept = analyst("PUT", "/feeds/water/policy", {"then": "propose", "least": 3, "most": 9}, expect=200)
    assert {name: kept[name] for name in ("then", "least", "most", "by")} == {
        "then": "propose",
        "least": 3,
        "most": 9,
        "by": "Ana",
    }


def test_a_policy_over_the_past_tells_what_it_would_have_done(feed: Browser) -> None:
    ids = history(feed, 6)
    ids.append(deliver(feed, 6, month(6, level=8.4)))
    ids.append(deliver(feed, 7))
    for delivery in ids:
        feed("POST", f"/deliveries/{delivery}/runs", expect=201)
        do_work()
    past = feed("POST", "/feeds/water/policy/past", {"then": "publish"}, expect=200)
    assert [each["number"] for each in past] == [8, 7, 6, 5, 4, 3, 2, 1]
    assert [bool(each["reasons"]) for each in past] == [False, True, False, True, True, True, True, True]
    strict = feed("POST", "/feeds/water/policy/past", {"quarantined": 0}, expect=200)
    assert all(each["reasons"] for each in strict)
    assert not PolicyStep.objects.exists()


def test_a_measure_over_time_has_the_limits_that_held(feed: Browser) -> None:
    history(feed, 6)
    moved = deliver(feed, 6, month(6, level=7.9))
    told = feed("GET", f"/deliveries/{moved}/news", expect=200)["news"]
    mean = next(each for each in told if each["measure"] == "mean")
    line = feed("GET", f"/deliveries/{moved}/news/{mean['id']}/measure", expect=200)
    assert [each["number"] for each in line["points"]] == list(range(1, 8))
    assert [each["outside"] for each in line["points"]] == [False] * 6 + [True]
    assert [each["low"] is None for each in line["points"]] == [True] * 5 + [False] * 2
    last = line["points"][-1]
    assert (last["value"], last["low"], last["high"]) == pytest.approx((mean["value"], mean["low"], mean["high"]))
    means = [np.mean([ph for _, ph in good(month(number))]) for number in range(6)]
    assert [each["value"] for each in line["points"][:6]] == pytest.approx(means)
    feed("GET", f"/deliveries/{moved}/news/nothing/measure", expect=404)


def test_an_answer_is_taken_back_and_needs_something_new(feed: Browser) -> None:
    history(feed, 5)
    new = deliver(feed, 5, month(5, sites="ABCDX"))
    (novelty,) = feed("GET", f"/deliveries/{new}/news", expect=200)["news"]
    assert [text["text"] for text in novelty["texts"]] == ["X"]
    path = f"/deliveries/{new}/news/{novelty['id']}"
    feed("PUT", path, {"answer": "ignored"}, expect=204)
    assert feed("GET", f"/deliveries/{new}/news", expect=200)["news"][0]["answer"] == "ignored"
    for _ in range(2):
        feed("DELETE", path, expect=204)
    assert feed("GET", f"/deliveries/{new}/news", expect=200)["news"][0]["answer"] == ""
    feed("PUT", f"/deliveries/{new}/news/0000", {"answer": "ignored"}, expect=404)
    feed("PUT", path, {"answer": "perhaps"}, expect=422)


def test_deliveries_of_before_are_remembered_when_they_are_needed(feed: Browser) -> None:
    history(feed, 5)
    Memory.objects.all().delete()  # as for deliveries that were there before feeds remembered
    told = feed("GET", f"/deliveries/{deliver(feed, 5)}/news", expect=200)
    assert (told["past"], told["news"]) == (5, [])
    assert Memory.objects.count() == 6
    first = feed("GET", f"/deliveries/{Delivery.objects.earliest('received').pk}/news", expect=200)
    assert (first["past"], first["judged"], first["news"]) == (0, 0, [])


def test_a_delivery_that_is_read_otherwise_is_remembered_otherwise(feed: Browser) -> None:
    delivery = deliver(feed, 0)
    before = Memory.objects.get().content["records"]
    source = feed("GET", f"/deliveries/{delivery}/sources", expect=200)[0]
    settings = {"request": {"header_rows": 0}}
    feed("PUT", f"/deliveries/{delivery}/sources/{source['id']}/settings", settings)
    do_work()
    assert Memory.objects.get().content["records"] == before + 1


def test_a_fault_in_comparing_keeps_no_delivery_from_being_read(feed: Browser, monkeypatch: Any) -> None:
    monkeypatch.setattr(policies, "memory_of", lambda delivery: 1 / 0)
    delivery = deliver(feed, 0)
    assert Delivery.objects.get(pk=delivery).state == Delivery.State.READ


def test_viewers_are_told_nothing_of_masked_columns_but_that_something_is_new(feed: Browser) -> None:
    history(feed, 6)
    feed("PUT", "/feeds/water/policy", {"then": "propose"}, expect=200)
    columns = [
        {"name": "id", "type": "text"},
        {"name": "site", "type": "text", "masked": True},
        {"name": "ph", "type": "decimal", "masked": True},
    ]
    feed("PUT", "/feeds/water/contract", {"based_on": 0, "columns": columns}, expect=200)
    moved = deliver(feed, 6, month(6, level=7.9, sites="ABCQ"))
    viewer = Browser("vic")
    seen, told = (person("GET", f"/deliveries/{moved}/news", expect=200) for person in (feed, viewer))
    assert len(told["news"]) == len(seen["news"]) > 1
    assert {each["column"] for each in told["news"]} == {"ph", "site"}
    assert [text["text"] for each in seen["news"] for text in each["texts"]] == ["Q"]
    for each in told["news"]:
        assert each["says"].endswith("the values may only be seen masked")
        assert (each["value"], each["low"], each["high"]) == (None, None, None)
        assert [text["text"] for text in each["texts"]] == ["•••"]
    assert any("7.9" in reason for reason in seen["steps"][-1]["reasons"])
    assert {
        reason.endswith("may only be seen masked") for reason in told["steps"][-1]["reasons"] if "ph" in reason
    } == {True}
    mean = next(each["id"] for each in seen["news"] if each["measure"] == "mean")
    viewer("GET", f"/deliveries/{moved}/news/{mean}/measure", expect=403)
    feed("PUT", f"/deliveries/{moved}/news/{mean}", {"answer": "expected"}, expect=204)
    assert "7.9" not in " ".join(Event.objects.values_list("what", flat=True))


def test_the_memory_of_a_feed_is_a_measure_of_all_columns_over_its_deliveries(feed: Browser) -> None:
    ids = [*history(feed, 6), deliver(feed, 6, month(6, level=7.9))]
    feed("POST", f"/deliveries/{ids[-1]}/runs", expect=201)
    do_work()
    told = feed("GET", "/feeds/water/memory?measure=mean", expect=200)
    assert [each["number"] for each in told["deliveries"]] == list(range(1, 8))
    assert [each["revision"] for each in told["deliveries"]] == [None] * 6 + [1]
    assert [each["released"] for each in told["deliveries"]] == [False] * 7
    (ph,) = told["series"]
    months = [month(number) for number in range(6)] + [month(6, level=7.9)]
    assert ph["name"] == "ph"
    assert ph["values"] == pytest.approx([np.mean([value for _, value in good(each)]) for each in months])
    assert ph["new"] == [False] * 6 + [True]
    feed("GET", f"/deliveries/{ids[-1]}/news/{ph['id']}/measure", expect=200)
    assert {"records", "missing", "mean", "broken", "quarantined"} <= set(told["measures"])
    (records,) = feed("GET", "/feeds/water/memory?measure=records", expect=200)["series"]
    assert (records["name"], records["values"]) == ("", [float(RECORDS)] * 7)
    checks = {
        each["rule"]: each["values"] for each in feed("GET", "/feeds/water/memory?measure=broken", expect=200)["series"]
    }
    assert checks == {"range": [None] * 6 + [pytest.approx(2 / RECORDS)], "site": [None] * 6 + [0.0]}
    broken = feed("GET", "/feeds/water/memory?measure=broken", expect=200)["series"][0]
    assert "(rule " in broken["name"]
    line = feed("GET", f"/deliveries/{ids[-1]}/news/{broken['id']}/measure", expect=200)
    assert [point["value"] for point in line["points"]] == [value for value in broken["values"] if value is not None]
    assert feed("GET", "/feeds/water/memory?measure=nothing", expect=200)["series"] == []


def memory_file(person: Browser) -> list[dict[str, str]]:
    answer = person.client.get("/api/feeds/water/memory.csv")
    assert (answer.status_code, answer["Content-Type"]) == (200, "text/csv; charset=utf-8")
    return list(csv.DictReader(io.StringIO(b"".join(answer.streaming_content).decode())))


def test_the_memory_of_a_feed_leaves_as_a_file(feed: Browser) -> None:
    second = history(feed, 2)[-1]
    feed("POST", f"/deliveries/{second}/runs", expect=201)
    do_work()
    lines = memory_file(feed)
    assert [line["value"] for line in lines if line["measure"] == "records"] == [f"{RECORDS}.0"] * 2
    means = {
        line["delivery"]: float(line["value"]) for line in lines if (line["measure"], line["of"]) == ("mean", "ph")
    }
    assert means == {str(1 + at): pytest.approx(np.mean([value for _, value in good(month(at))])) for at in (0, 1)}
    broken = [(line["delivery"], line["revision"], line["of"]) for line in lines if line["measure"] == "broken"]
    assert [(delivery, revision) for delivery, revision, _ in broken] == [("2", "1"), ("2", "1")]
    assert all("(rule " in of for _, _, of in broken)


def test_viewers_see_no_measures_of_masked_columns_over_time(feed: Browser) -> None:
    deliver(feed, 0)
    columns = [
        {"name": "id", "type": "text"},
        {"name": "site", "type": "text"},
        {"name": "ph", "type": "decimal", "masked": True},
    ]
    feed("PUT", "/feeds/water/contract", {"based_on": 0, "columns": columns}, expect=200)
    names = [
        [each["name"] for each in person("GET", "/feeds/water/memory?measure=missing", expect=200)["series"]]
        for person in (feed, Browser("vic"))
    ]
    assert names == [["id", "site", "ph"], ["id", "site"]]
    assert ["ph" in {line["of"] for line in memory_file(person)} for person in (feed, Browser("vic"))] == [True, False]


def deliver_files(by: Browser, number: int, files: dict[str, bytes], **more: Any) -> int:
    """Let a delivery of several files arrive, on its day."""
    delivery: int = by.upload("water", **more, **files)["id"]
    Delivery.objects.filter(pk=delivery).update(received=FIRST + timedelta(days=30.44 * number))
    do_work()
    return delivery


def of_two_sites(number: int) -> dict[str, bytes]:
    return {
        f"{site}-{number}.txt": file_of(
            [{**each, "id": f"{site}{each['id']}"} for each in month(number + 100 * (site == "south"), records=150)]
        )
        for site in ("north", "south")
    }


def test_a_delivery_that_lacks_a_source_calls_a_person_until_that_is_expected(feed: Browser) -> None:
    feed("PUT", "/feeds/water/policy", {"then": "publish", "quarantined": 0.05}, expect=200)
    for number in range(6):
        complete = deliver_files(feed, number, of_two_sites(number))
    assert steps(complete) == [("ran", []), ("published", [])]

    half = {name: content for name, content in of_two_sites(6).items() if name.startswith("north")}
    lacking = deliver_files(feed, 6, half)
    assert [did for did, _ in steps(lacking)] == ["ran", "called"]
    assert "1 source, usually 2" in steps(lacking)[1][1]
    told = feed("GET", f"/deliveries/{lacking}/news", expect=200)["news"]
    incomplete = next(each for each in told if each["kind"] == "incomplete")
    assert [text["text"] for text in incomplete["texts"]] == ["south-#.txt (0 of 1)"]
    for each in told:
        feed("PUT", f"/deliveries/{lacking}/news/{each['id']}", {"answer": "expected", "word": ""}, expect=204)
    half = {name: content for name, content in of_two_sites(7).items() if name.startswith("north")}
    assert steps(deliver_files(feed, 7, half)) == [("ran", []), ("published", [])]


def test_a_file_that_came_before_is_told(feed: Browser) -> None:
    feed("PUT", "/feeds/water/policy", {"then": "nothing", "quarantined": 1}, expect=200)
    first, second = of_two_sites(0), of_two_sites(1)
    deliver_files(feed, 0, first)
    again = {"north-1.txt": second["north-1.txt"], "south-1.txt": first["south-0.txt"]}
    told = feed("GET", f"/deliveries/{deliver_files(feed, 1, again)}/news", expect=200)["news"]
    assert [(each["kind"], each["says"], [text["text"] for text in each["texts"]]) for each in told] == [
        ("delivered before", "1 of 2 files is byte for byte as in delivery 1", ["south-1.txt (delivery 1)"])
    ]


def test_the_supplier_is_asked_about_what_is_new(feed: Browser, settings: Any) -> None:
    feed("PUT", "/feeds/water/policy", {"then": "nothing", "quarantined": 1}, expect=200)
    for number in range(3):
        deliver(feed, number)
    delivery = deliver(feed, 3, month(3, sites="ABCDZ"))
    told = feed("GET", f"/deliveries/{delivery}/news", expect=200)["news"]
    novelty = next(each for each in told if each["kind"] == "values never seen")
    place = f"/deliveries/{delivery}/news/{novelty['id']}"

    def asked() -> list[str]:
        folder = settings.DROP_DIR / "water" / "for the supplier"
        return [file.read_text() for file in sorted(folder.glob("*"))]

    feed("PUT", place, {"answer": "asked", "word": "Which site is Z?"}, expect=204)
    (question,) = asked()
    share = sum(each["site"] == "Z" for each in month(3, sites="ABCDZ")) / RECORDS
    assert question.splitlines()[0].startswith("About delivery 4 of Water, received 2025-04-")
    assert question.splitlines()[2:] == [
        "site: 1 value never seen in 3 deliveries before", f"  Z ({share:.2%} of the records)", "", "Which site is Z?", "", "App"
    ]  # fmt: skip
    after = feed("GET", f"/deliveries/{delivery}/news", expect=200)["news"]
    assert [each["answer"] for each in after if each["id"] == novelty["id"]] == ["asked"]
    assert feed("GET", "/feeds", expect=200)[0]["deliveries"][-1]["news"] == len(told) - 1
    feed("PUT", place, {"answer": "asked", "word": ""}, expect=204)
    assert "Is this right?" in asked()[0]
    feed("DELETE", place, expect=204)
    assert asked() == []
    feed("PUT", place, {"answer": "asked", "word": ""}, expect=204)
    feed("PUT", place, {"answer": "ignored", "word": "a new site, they say"}, expect=204)
    assert asked() == []
    assert deliver(feed, 4)  # what lies there for the supplier is no delivery
