"""Two years of three feeds that run themselves, through the whole application: which planted events call a person at their delivery, what
calls without one, and whether what was released is what an independent computation says.

The world is of its own (a harbour's tanks, a ferry, a pumping station): neither the limits nor their tests were made with it.
"""

from __future__ import annotations

import csv
import io
import json
import math
import random
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from bench.database import database

FIRST = datetime.fromisoformat("2024-01-05T05:30:00+00:00")
YEAR = 365.2425
RULES: list[dict[str, Any]] = [
    {"kind": "trim-spaces", "id": "trim", "columns": []},
    {"kind": "to-number", "id": "number", "columns": ["fill", "warmth", "load"], "decimal": "."},
    {"kind": "required", "id": "unit", "columns": ["unit"]},
    {"kind": "in-range", "id": "range", "columns": ["fill"], "low": "0", "high": "100"},
]
COLUMNS = ("key", "unit", "kind", "fill", "warmth", "load")
Record = dict[str, str]


@dataclass(frozen=True)
class World:
    """A feed: how often it delivers, how many records, its codes; `events` by the number of their delivery, from 0."""

    name: str
    every: float  # days
    count: int
    records: int
    kinds: tuple[tuple[str, float], ...]
    events: dict[int, str]
    drift_from: int | None = None


WORLDS = (
    World("Harbour tanks", 30.44, 24, 900, (("diesel", 0.5), ("oil", 0.3), ("water", 0.2)),
          {10: "missing", 13: "level", 16: "code", 19: "volume", 22: "mark"}),
    World("Ferry", 14, 52, 600, (("car", 0.6), ("van", 0.25), ("lorry", 0.15)),
          {11: "unreadable", 16: "mix", 21: "level", 26: "volume", 30: "missing", 34: "code", 39: "mark", 44: "spread", 49: "high"}),
    World("Pumping station", 7, 104, 500, (("low", 0.35), ("mid", 0.4), ("high", 0.25)),
          {9: "high", 12: "volume", 18: "mark", 24: "level", 30: "missing", 35: "code", 40: "unreadable", 45: "mix", 50: "spread", 55: "level",
           60: "missing", 65: "volume", 70: "mark", 75: "high", 80: "code2", 85: "drift"}, drift_from=85),
)  # fmt: skip


def _missing(records: list[Record], draw: random.Random) -> None:
    for record in draw.sample(records, len(records) // 10):
        record["warmth"] = ""


def _level(records: list[Record], draw: random.Random) -> None:
    for record in records:
        record["fill"] = f"{float(record['fill']) + 9:.2f}" if record["fill"] else ""


def _code(records: list[Record], draw: random.Random, name: str = "unheard of") -> None:
    for record in draw.sample(records, 12):
        record["kind"] = name


def _volume(records: list[Record], draw: random.Random) -> None:
    del records[len(records) // 2 :]


def _mark(records: list[Record], draw: random.Random) -> None:
    for record in draw.sample(records, len(records) // 25):
        record["load"] = record["load"].replace(".", "")


def _unreadable(records: list[Record], draw: random.Random) -> None:
    for record in draw.sample(records, len(records) // 20):
        record["load"] = "err"


def _mix(records: list[Record], draw: random.Random) -> None:
    kinds = sorted({record["kind"] for record in records})
    for record in records:
        record["kind"] = draw.choice(kinds)


def _spread(records: list[Record], draw: random.Random) -> None:
    for record in records:
        record["load"] = f"{120 + 1.6 * (float(record['load']) - 120):.1f}"


def _high(records: list[Record], draw: random.Random) -> None:
    for record in draw.sample(records, len(records) // 20):
        record["load"] = f"{float(record['load']) + 160:.1f}"


PLANT: dict[str, Callable[[list[Record], random.Random], None]] = {
    "missing": _missing, "level": _level, "code": _code, "volume": _volume, "mark": _mark, "unreadable": _unreadable, "mix": _mix,
    "spread": _spread, "high": _high, "code2": lambda records, draw: _code(records, draw, "never told"),
}  # fmt: skip


def delivery(world: World, seed: int, place: int) -> list[Record]:
    """The records of one delivery, with what is planted in it."""
    draw = random.Random(f"{seed} {world.name} {place}")
    day = world.every * place
    season = math.sin(2 * math.pi * (day - 100) / YEAR)
    count = round(world.records * math.exp(draw.gauss(0, 0.04)))
    fill, warmth = 55 + draw.gauss(0, 0.5), 11 + 7 * season + draw.gauss(0, 0.5)
    if world.drift_from is not None and place >= world.drift_from:
        fill += 0.9 * (place - world.drift_from + 1)
    names, shares = zip(*world.kinds, strict=True)
    shares = [share * math.exp(draw.gauss(0, 0.06)) for share in shares]
    records = [
        {
            "key": f"{place:03}-{number:04}", "unit": f"U{draw.randrange(30):02} ", "kind": draw.choices(names, shares)[0],
            "fill": f"{draw.gauss(fill, 6):.2f}", "warmth": f"{draw.gauss(warmth, 2):.1f}", "load": f"{draw.gauss(120, 18):.1f}",
        }
        for number in range(count)
    ]  # fmt: skip
    for record in draw.sample(records, max(1, count // 100)):
        record["warmth"] = ""
    for record in draw.sample(records, 3):
        record["fill"] = f"{draw.uniform(200, 400):.2f}"  # quarantined, as every time
    if (event := world.events.get(place)) and event in PLANT:
        PLANT[event](records, draw)
    return records


def good(records: list[Record]) -> set[tuple[Any, ...]]:
    """What is to be released of a delivery, reckoned by plain Python."""

    def _number(text: str) -> float | None:
        return float(text) if text.strip() else None

    results = set()
    for record in records:
        try:
            fill, warmth, load = (_number(record[name]) for name in ("fill", "warmth", "load"))
        except ValueError:
            continue
        if record["unit"].strip() and (fill is None or 0 <= fill <= 100):
            results.add((record["key"], record["unit"].strip(), record["kind"], fill, warmth, load))
    return results


@dataclass
class Told:
    """How a feed went: events that called, false calls, deliveries that needed nobody, and what ought to be in the released table."""

    called: list[str] = field(default_factory=list)
    silent: list[str] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)
    alone: int = 0
    expected: set[tuple[Any, ...]] = field(default_factory=set)


def measure(seed: int) -> None:
    """Let the two years happen, and print how they went."""
    with database():
        began = time.perf_counter()
        years = events = heard = false = 0.0
        for world in WORLDS:
            told, same = _live(world, seed)
            years += world.count * world.every / YEAR
            events += len(world.events)
            heard += len(told.called)
            false += len(told.wrong)
            print(
                f"{world.name:18}{world.count:4} deliveries  events called {len(told.called)} of {len(world.events)}, false calls"
                f" {len(told.wrong)}, without a person {told.alone}, released as reckoned: {same}",
                flush=True,
            )
            for line in (*(f"  silent: {each}" for each in told.silent), *(f"  false: {each}" for each in told.wrong)):
                print(line, flush=True)
        print(
            f"all: {heard:.0f} of {events:.0f} events, {false:.0f} false calls in {years:.1f} feed-years, {time.perf_counter() - began:.0f} s"
        )


def _live(world: World, seed: int) -> tuple[Told, bool]:
    from pravin_server.monitoring.models import PolicyStep

    person = _Approver()
    slug = world.name.lower().replace(" ", "-")
    person("POST", "/feeds", {"name": world.name})
    person("PUT", f"/feeds/{slug}/rulebook", {"based_on": 0, "change": "first", "rules": RULES})
    person("PUT", f"/feeds/{slug}/policy", {"then": "publish", "quarantined": 0.02})
    person("PUT", f"/feeds/{slug}/released", {"adds_up": "adds", "shows_origin": False})
    told = Told()
    for place in range(world.count):
        records = delivery(world, seed, place)
        id_ = person.deliver(slug, f"{slug}-{place}.csv", _file(records), FIRST + timedelta(days=world.every * place))
        steps = list(PolicyStep.objects.filter(delivery=id_).values_list("did", "reasons"))
        is_called = any(did == "called" for did, _ in steps)
        reasons = "; ".join(reason for _, some in steps for reason in some)
        _count(told, world, place, is_called, reasons)
        if is_called:  # she looks, answers, and publishes herself
            _answer(
                person, id_, "expected" if world.drift_from is not None and place >= world.drift_from else "ignored"
            )
            run = person("GET", f"/deliveries/{id_}")["run"]["id"]
            person("POST", f"/deliveries/{id_}/release", {"run": run})
            person.work()
        told.expected |= good(records)
    return told, _released(slug.replace("-", "_")) == told.expected


def _count(told: Told, world: World, place: int, is_called: bool, reasons: str) -> None:
    from pravin_core.monitoring.limits import LEAST_PAST

    event = world.events.get(place)
    name = f"delivery {place + 1} {event or ''} {reasons}"
    if event and event != "drift":
        (told.called if is_called else told.silent).append(name)
    elif world.drift_from is not None and place >= world.drift_from:
        if is_called and not any("drift" in each for each in told.called):
            told.called.append(f"drift since {world.drift_from + 1}, told at {place + 1}")
    elif place < LEAST_PAST:
        pass  # too few to know what is usual: a person is called, as agreed
    elif is_called:
        told.wrong.append(name)
    else:
        told.alone += 1


def _answer(person: _Approver, id_: int, answer: str) -> None:
    for each in person("GET", f"/deliveries/{id_}/news")["news"]:
        person("PUT", f"/deliveries/{id_}/news/{each['id']}", {"answer": answer, "word": "looked at"})


def _released(view: str) -> set[tuple[Any, ...]]:
    from django.db import connection
    from psycopg import sql

    with connection.cursor() as cursor:
        columns = sql.SQL(", ").join(map(sql.Identifier, COLUMNS))
        asked = sql.SQL("SELECT {} FROM released.{}").format(columns, sql.Identifier(view))
        cursor.execute(asked.as_string(cursor.connection))
        return {tuple(float(v) if place > 2 and v is not None else v for place, v in enumerate(row)) for row in cursor}


def _file(records: list[Record]) -> bytes:
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\n")
    writer.writeheader()
    writer.writerows(records)
    return out.getvalue().encode()


class _Approver:
    """An approver at the API of this process; work in the background is done when it is asked for."""

    def __init__(self) -> None:
        from django.test import Client

        from pravin_server.accounts.services import make_user

        self._client = Client()
        self._client.force_login(make_user("bench", "merrow-bench", "Bench", ["analyst", "approver"]))

    def __call__(self, method: str, path: str, body: Any = None) -> Any:
        data = "" if body is None else json.dumps(body)
        answer = self._client.generic(method, f"/api{path}", data, content_type="application/json")
        assert answer.status_code < 300, (method, path, answer.content[:600])
        return answer.json() if answer.content else None

    def deliver(self, slug: str, name: str, data: bytes, at: datetime) -> int:
        """Let a file arrive at a time, and what the feed does by itself be done; returns the delivery's id."""
        from django.core.files.uploadedfile import SimpleUploadedFile

        from pravin_server.deliveries.models import Delivery

        answer = self._client.post(f"/api/feeds/{slug}/deliveries", {"files": [SimpleUploadedFile(name, data)]})
        assert answer.status_code == 201, answer.content[:600]
        id_ = int(answer.json()["id"])
        Delivery.objects.filter(pk=id_).update(received=at)
        self.work()
        return id_

    def work(self) -> None:
        """Do all jobs that wait."""
        from pravin_server.common.jobs import perform
        from pravin_server.common.models import Job

        while job := Job.objects.filter(state="waiting").order_by("id").first():
            perform(job_id=job.pk)
