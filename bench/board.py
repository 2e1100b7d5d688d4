"""Hundreds of feeds with years behind them: how soon the board and the memory of a wide feed are there, and what a delivery takes to keep.

The rows are put into a database of the tests' own; the requests are whole ones, answered in this process.
"""

from __future__ import annotations

import gc
import math
import random
import statistics
import time
from datetime import datetime, timedelta
from typing import Any

from bench.database import database

FEEDS, DELIVERIES, COLUMNS = 300, 200, 300
BEGUN = datetime.fromisoformat("2010-01-04T06:00:00+00:00")
MEASURES = ("missing", "distinct values", "repeated", "mean", "spread", "far off", "low end", "high end")


def measure(runs: int) -> None:
    """Fill, then print the medians of some requests and the bytes that are kept."""
    with database():
        _measure(runs)


def _measure(runs: int) -> None:
    from django.test import Client

    from pravin_server.accounts.services import make_user

    began = time.perf_counter()
    wide = _fill()
    print(
        f"{FEEDS} feeds x {DELIVERIES} deliveries, {COLUMNS} columns in one; filled in {time.perf_counter() - began:.0f} s"
    )
    gc.collect()
    gc.freeze()  # what filling left behind is no server's
    client = Client()
    client.force_login(make_user("bench", "merrow-bench", "Bench", ["analyst"]))
    for name, path in (
        ("the board", "/api/feeds"),
        ("one feed", f"/api/feeds/{wide}"),
        (f"memory of {COLUMNS} columns", f"/api/feeds/{wide}/memory?measure=mean"),
        ("quarantine of all feeds", "/api/quarantine"),
    ):
        seconds = []
        for _ in range(max(3, runs)):
            began = time.perf_counter()
            answer = client.get(path)
            seconds.append(time.perf_counter() - began)
            assert answer.status_code == 200, answer.content[:400]
        print(f"{name:28}{statistics.median(seconds) * 1000:8.0f} ms{len(answer.content) / 1000:10,.0f} kB", flush=True)
    gc.unfreeze()
    _say_sizes()


def _fill() -> str:
    """Feeds with their deliveries, runs, releases and memories; returns the slug of the wide one."""
    from django.db import connection

    from pravin_server.deliveries.models import Delivery
    from pravin_server.feeds.models import Feed
    from pravin_server.monitoring.models import Memory
    from pravin_server.releases.models import Release
    from pravin_server.rulebooks.models import Revision
    from pravin_server.runs.models import Run

    draw = random.Random(7)
    feeds = Feed.objects.bulk_create(Feed(name=f"Feed {n}", slug=f"feed-{n}", view=f"feed_{n}") for n in range(FEEDS))
    revisions = Revision.objects.bulk_create(Revision(feed=feed, number=0, change="empty rulebook") for feed in feeds)
    deliveries = Delivery.objects.bulk_create(
        (
            Delivery(feed=feed, number=number + 1, received=BEGUN + timedelta(days=7 * number), state="read", snapshot_key="s",
                     records=4000, columns=[f"c{place}" for place in range(COLUMNS if feed is feeds[0] else 10)])
            for feed in feeds for number in range(DELIVERIES)
        ),
        batch_size=2000,
    )  # fmt: skip
    balance = {
        "delivered": 4000,
        "added": 0,
        "ready": 3900,
        "corrected": 40,
        "quarantined": 60,
        "removed": 0,
        "rejected": 0,
    }
    of_feed = {feed.pk: revision for feed, revision in zip(feeds, revisions, strict=True)}
    runs = Run.objects.bulk_create(
        (
            Run(delivery=delivery, revision=of_feed[delivery.feed_id], purpose="run", state="done", snapshot_key="s",
                outcome={"reconciliation": balance})
            for delivery in deliveries
        ),
        batch_size=2000,
    )  # fmt: skip
    Release.objects.bulk_create(
        (
            Release(feed_id=run.delivery.feed_id, delivery=run.delivery, run=run, number=run.delivery.number, state="published",
                    records=3940)
            for run in runs if run.delivery.number < DELIVERIES
        ),
        batch_size=2000,
    )  # fmt: skip
    Memory.objects.bulk_create(
        (
            Memory(delivery=delivery, snapshot_key="s", past=delivery.number - 1, **_remembered(draw, delivery.columns))
            for delivery in deliveries
            if delivery.feed_id == feeds[0].pk or delivery.number > DELIVERIES - 12
        ),
        batch_size=50,
    )
    with connection.cursor() as cursor:
        cursor.execute("VACUUM ANALYZE" if connection.get_autocommit() else "ANALYZE")
    return feeds[0].slug


def _remembered(draw: random.Random, columns: list[str]) -> dict[str, Any]:
    """A memory as a delivery of so many columns of numbers leaves it."""
    values = {measure: {name: round(draw.gauss(10, 1), 6) for name in columns} for measure in MEASURES}
    content = {
        "records": 4000, "rejected": 0, "volume": _point(4000.0), "checks": {},
        "columns": {
            name: {"role": "quantity", "type": "decimal", "measures": {m: _point(values[m][name]) for m in MEASURES}} for name in columns
        },
    }  # fmt: skip
    return {"values": {"records": {"": 4000.0}, **values}, "content": content}


def _point(value: float) -> dict[str, float]:
    return {"value": value, "scaled": math.asinh(value), "error": 0.01, "least": 0.05}


def _say_sizes() -> None:
    from django.db import connection

    from pravin_server.monitoring.models import Memory

    table = Memory._meta.db_table
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_total_relation_size(%s)", [table])
        size = cursor.fetchone()[0]
    wide = DELIVERIES
    print(
        f"what is remembered takes {size / 1e6:.0f} MB: of {wide} deliveries of {COLUMNS} columns and 12 of each other feed"
    )
