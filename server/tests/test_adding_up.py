"""How deliveries add up: the released table against what is reckoned from the files by hand, at every step, with readers looking on."""

from __future__ import annotations

import random
import threading
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from django.db import connection, connections
from psycopg.sql import SQL, Identifier

from conftest import Browser, do_work
from pravin_server.feeds.models import Feed
from pravin_server.releases.models import Release, SupersededRecord

Make = Callable[[str | None], Browser]
RULES: list[dict[str, Any]] = [
    {"kind": "to-number", "id": "number", "columns": ["litres"]},
    {"kind": "in-range", "id": "range", "columns": ["litres"], "low": "0", "high": "500"},
]
WAYS = ("replaces", "adds", "newest")
Row = tuple[str, int, str]  # well, litres, remark
Month = dict[int, Row]  # by record number


class Books:
    """What was delivered and released, reckoned beside the application."""

    def __init__(self, way: str) -> None:
        self.way = way
        self.months: dict[int, Month] = {}

    def table(self) -> list[tuple[str, int, str, int, int]]:
        numbers = sorted(self.months)[-1:] if self.way == "replaces" else sorted(self.months)
        newest = {row[0]: number for number in numbers for row in self.months[number].values()}
        return [
            (*row, number, record)
            for number in numbers
            for record, row in self.months[number].items()
            if self.way != "newest" or newest[row[0]] == number
        ]


def shown(view: str = "wells") -> list[tuple[Any, ...]]:
    with connection.cursor() as cursor:
        cursor.execute("SELECT to_regclass(%s)", [f"released.{view}"])
        if cursor.fetchone()[0] is None:
            return []
        cursor.execute(SQL("SELECT * FROM released.{}").format(Identifier(view)))
        return [(well, int(litres), remark, *origin) for well, litres, remark, *origin in cursor.fetchall()]


def month(rng: random.Random) -> tuple[bytes, Month, dict[int, Row]]:
    """A delivery of wells: its file, its ready records, and those out of range, by number."""
    wells = rng.sample([f"W-{n:02}" for n in range(30)], rng.randint(5, 20))
    rows = [(well, rng.choice([*range(0, 500, 38), 900, 901]), rng.choice(["dry", "", "pump; new"])) for well in wells]
    text = "".join(f"{well}|{litres}|{remark}\n" for well, litres, remark in rows)
    numbered = {at: (well, litres, remark or None) for at, (well, litres, remark) in enumerate(rows, start=1)}
    ready = {at: row for at, row in numbered.items() if row[1] <= 500}
    return f"well|litres|remark\n{text}".encode(), ready, {at: row for at, row in numbered.items() if row[1] > 500}  # type: ignore[return-value]


def sortable(rows: list[tuple[Any, ...]]) -> list[tuple[str, ...]]:
    return sorted(tuple(str(cell) for cell in row) for row in rows)


def feed_of_wells(approver: Browser, way: str) -> None:
    approver("POST", "/feeds", {"name": "Wells"}, expect=201)
    approver("PUT", "/feeds/wells/rulebook", {"based_on": 0, "change": "first", "rules": RULES}, expect=200)
    first = approver.upload("wells", first=b"well|litres|remark\nW-00|1|x\n")["id"]
    do_work()
    approver("PUT", "/feeds/wells/key", {"columns": ["well"]}, expect=200)
    approver("PUT", "/feeds/wells/released", {"adds_up": way}, expect=200)
    publish(approver, first)


def publish(approver: Browser, delivery: int, run: bool = True) -> Any:
    if run:
        approver("POST", f"/deliveries/{delivery}/runs", expect=201)
        do_work()
    proposal = approver("GET", f"/deliveries/{delivery}/release", expect=200)
    approver("POST", f"/deliveries/{delivery}/release", {"run": proposal["run"]}, expect=201)
    do_work()
    release = approver("GET", f"/deliveries/{delivery}/release")["release"]
    assert release["state"] == "published", release["error"]
    return release


class Reader(threading.Thread):
    """Looks at the view again and again, and keeps each different state of it that it saw."""

    def __init__(self) -> None:
        super().__init__()
        self.states: list[list[tuple[str, ...]]] = []
        self.looked, self.error, self.ends = 0, "", threading.Event()

    def run(self) -> None:
        try:
            while not self.ends.is_set():
                state = sortable(shown())
                self.looked += 1
                if state not in self.states[-1:]:
                    self.states.append(state)
        except Exception as problem:  # whatever a reader is told is what the test is about
            self.error = repr(problem)
        finally:
            connections.close_all()


@pytest.fixture
def reader(transactional_db: None) -> Iterator[Reader]:
    looking = Reader()
    yield looking
    looking.ends.set()
    looking.join(20)


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize(("way", "seed"), [("replaces", 41), ("adds", 42), ("newest", 43)])
def test_twelve_months_two_corrected_two_withdrawn(way: str, seed: int, reader: Reader) -> None:
    approver, rng, books = Browser("app"), random.Random(seed), Books(way)
    feed_of_wells(approver, way)
    books.months[1] = {1: ("W-00", 1, "x")}
    allowed = [sortable(books.table())]
    deliveries, quarantined, releases = {}, {}, {}
    assert sortable(shown()) == allowed[-1]
    reader.start()

    def step() -> None:
        allowed.append(sortable(books.table()))
        assert sortable(shown()) == allowed[-1]
        told = approver("GET", "/feeds/wells/released", expect=200)
        assert told["records"] == len(allowed[-1]) == sum(part["records"] for part in told["parts"])

    for number in range(2, 13):
        file, ready, apart = month(rng)
        deliveries[number] = approver.upload("wells", **{f"m{number}": file})["id"]
        do_work()
        releases[number], books.months[number], quarantined[number] = (
            publish(approver, deliveries[number]),
            ready,
            apart,
        )
        step()
    corrected = rng.sample([number for number, apart in quarantined.items() if apart], 2)
    for number in corrected:  # the records out of range get a value by hand, and the delivery a follow-up release
        act = {"records": sorted(quarantined[number]), "kind": "amend", "values": {"litres": "333"}}
        approver("POST", f"/deliveries/{deliveries[number]}/decisions", act, expect=201)
        do_work()
        releases[number] = publish(approver, deliveries[number], run=False)
        books.months[number] |= {at: (row[0], 333, row[2]) for at, row in quarantined[number].items()}
        step()
    for number in [rng.choice(sorted(set(deliveries) - set(corrected))), corrected[0]]:
        approver("POST", f"/releases/{releases[number]['id']}/withdraw", {"justification": "wrong pump"}, expect=200)
        if number in corrected:  # what was published before the correction stands again
            books.months[number] = {at: row for at, row in books.months[number].items() if row[1] != 333}
        else:
            books.months.pop(number)
        step()
    reader.ends.set()
    reader.join(20)
    assert (reader.error, reader.looked > 20) == ("", True)
    assert [state for state in reader.states if state not in allowed] == []


def test_the_way_may_change_when_there_are_releases(browser: Make, db: None) -> None:
    approver, rng, books = browser("app"), random.Random(9), Books("adds")
    feed_of_wells(approver, "adds")
    books.months[1] = {1: ("W-00", 1, "x")}
    for number in (2, 3, 4):
        file, books.months[number], _ = month(rng)
        delivery = approver.upload("wells", **{f"m{number}": file})["id"]
        do_work()
        publish(approver, delivery)
    for way in ("newest", "replaces", "newest", "adds"):
        approver("PUT", "/feeds/wells/released", {"adds_up": way}, expect=200)
        books.way = way
        assert sortable(shown()) == sortable(books.table())
        assert SupersededRecord.objects.exists() == (way == "newest")
    approver("PUT", "/feeds/wells/released", {"adds_up": "adds", "shows_origin": False}, expect=200)
    with connection.cursor() as cursor:
        cursor.execute("SELECT * FROM released.wells LIMIT 1")
        assert [column.name for column in cursor.description or []] == ["well", "litres", "remark"]


def test_a_table_to_look_into_is_the_whole_released_table(browser: Make, db: None) -> None:
    approver, rng, books = browser("app"), random.Random(5), Books("newest")
    feed_of_wells(approver, "newest")
    books.months[1] = {1: ("W-00", 1, "x")}
    for number in (2, 3):
        file, books.months[number], _ = month(rng)
        delivery = approver.upload("wells", **{f"m{number}": file})["id"]
        do_work()
        publish(approver, delivery)
    told = approver.client.post("/api/library/references", {"name": "all wells", "feed": "wells"}).json()
    assert (told["records"], told["columns"]) == (len(shown()), ["well", "litres", "remark"])
    approver("POST", "/feeds", {"name": "Visits"}, expect=201)
    pairs = [{"code": "well", "meaning": "well"}]
    look_up = {"kind": "look-up", "id": "look", "reference": "all wells", "keys": pairs, "take": ["litres"]}
    approver("PUT", "/feeds/visits/rulebook", {"based_on": 0, "change": "x", "rules": [look_up]}, expect=200)
    visit = approver.upload("visits", v=b"well\n" + b"".join(b"W-%02d\n" % n for n in range(30)))["id"]
    do_work()
    publish(approver, visit)
    with connection.cursor() as cursor:
        cursor.execute("SELECT well, litres::int FROM released.visits WHERE litres IS NOT NULL ORDER BY well")
        assert cursor.fetchall() == sorted((well, litres) for well, litres, *_ in books.table())


def test_a_release_on_its_way_is_judged_too_when_a_key_is_to_decide(browser: Make, db: None) -> None:
    approver = browser("app")
    feed_of_wells(approver, "adds")
    delivery = approver.upload("wells", more=b"well|litres|remark\nA|1|x\nA|2|y\n")["id"]
    do_work()
    approver("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    run = approver("GET", f"/deliveries/{delivery}/release", expect=200)["run"]
    approver("POST", f"/deliveries/{delivery}/release", {"run": run}, expect=201)  # asked for, not done yet
    refused = approver("PUT", "/feeds/wells/released", {"adds_up": "newest"}, expect=422)
    assert "Release 2: 2 ready records share their key" in refused["detail"]


@pytest.mark.parametrize(
    ("rows", "evidence"),
    [
        (b"A|1|x\nA|2|y\nB|3|z\n", "2 ready records share their key with another (first: 1, 2)"),
        (b"A|1|x\n|2|y\n", "1 ready records lack a part of it (first: 2)"),
    ],
)
def test_a_key_that_does_not_tell_records_apart_keeps_the_gate_shut(
    browser: Make, db: None, rows: bytes, evidence: str
) -> None:
    approver = browser("app")
    feed_of_wells(approver, "newest")
    delivery = approver.upload("wells", more=b"well|litres|remark\n" + rows)["id"]
    do_work()
    approver("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    proposal = approver("GET", f"/deliveries/{delivery}/release", expect=200)
    assert [(g["name"], g["evidence"]) for g in proposal["gates"] if not g["met"]] == [
        ("The key tells records apart", evidence)
    ]
    approver("POST", f"/deliveries/{delivery}/release", {"run": proposal["run"]}, expect=422)
    approver("PUT", "/feeds/wells/released", {"adds_up": "adds"}, expect=200)
    publish(approver, delivery, run=False)
    refused = approver("PUT", "/feeds/wells/released", {"adds_up": "newest"}, expect=422)
    assert evidence in refused["detail"]
    assert Feed.objects.get(slug="wells").adds_up == "adds"


def test_without_a_key_no_key_can_decide_and_while_it_decides_it_stays(browser: Make, delivered: int) -> None:
    approver = browser("app")
    assert "no key yet" in approver("PUT", "/feeds/samples/released", {"adds_up": "newest"}, expect=422)["detail"]
    approver("PUT", "/feeds/samples/key", {"columns": ["id"]}, expect=200)
    approver("PUT", "/feeds/samples/released", {"adds_up": "newest"}, expect=200)
    for columns in (["site"], []):
        assert "cannot change" in approver("PUT", "/feeds/samples/key", {"columns": columns}, expect=409)["detail"]
    approver("PUT", "/feeds/samples/key", {"columns": ["id"]}, expect=200)


def test_columns_that_change_from_month_to_month(browser: Make, db: None) -> None:
    """A column that is new comes last, one that is gone stays with what there is, and a type holds the values of all months."""
    approver = browser("app")
    approver("POST", "/feeds", {"name": "Wells"}, expect=201)
    approver("PUT", "/feeds/wells/released", {"adds_up": "adds"}, expect=200)
    number = [{"kind": "to-number", "id": "n", "columns": ["litres"]}]
    for at, (file, rules) in enumerate(
        [(b"well|litres\nA|1.5\n", []), (b"well|litres\nB|2.50\n", number), (b"well|litres\nC|7\n", number)]
    ):
        approver("PUT", "/feeds/wells/rulebook", {"based_on": at, "change": "x", "rules": [*rules]})
        delivery = approver.upload("wells", **{f"m{at}": file})["id"]
        do_work()
        publish(approver, delivery)
    with connection.cursor() as cursor:
        cursor.execute("SELECT well, litres::text, pravin_delivery, pravin_record FROM released.wells ORDER BY 1")
        assert cursor.fetchall() == [("A", "1.5", 1, 1), ("B", "2.5", 2, 1), ("C", "7", 3, 1)]


def test_what_others_built_on_the_view_stands_or_the_release_says_why_not(browser: Make, delivered: int) -> None:
    approver = browser("app")
    publish(approver, delivered)
    with connection.cursor() as cursor:
        cursor.execute("CREATE VIEW released.of_a_reader AS SELECT id FROM released.samples")
    second = approver.upload("samples", more=b"id|site|ph\n7|Q|7\n")["id"]
    do_work()
    publish(approver, second)
    with connection.cursor() as cursor:
        cursor.execute("SELECT id FROM released.of_a_reader")
        assert cursor.fetchall() == [("7",)]
    refused = approver("PUT", "/feeds/samples/released", {"adds_up": "replaces", "shows_origin": False}, expect=409)
    assert "something is built on released.samples" in refused["detail"]
    assert Release.objects.filter(state="published").count() == 2
