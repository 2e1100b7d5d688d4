"""The cache: it keeps its limit, what is in use stays, a full disk is said before work begins and passes by itself."""

from __future__ import annotations

import os
import time
from collections import namedtuple
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from conftest import Browser, do_work
from pravin_server.common import cache

Usage = namedtuple("Usage", "total used free")
Make = Callable[[str | None], Browser]


def put(settings: Any, kind: str, name: str, size: int, ago: float) -> Path:
    place: Path = settings.CACHE_DIR / kind / name
    place.mkdir(parents=True)
    (place / "data").write_bytes(b"x" * size)
    os.utime(place, (time.time() - ago,) * 2)
    return place


def test_what_was_not_used_for_longest_gives_way_and_what_is_in_use_stays(settings: Any) -> None:
    settings.CACHE_LIMIT = 250
    oldest = put(settings, "snapshots", "a", 100, 9000)
    older = put(settings, "results", "b", 100, 8000)
    newer = put(settings, "sources", "c", 100, 7000)
    just_used = put(settings, "results", "d", 1000, 5)
    left = put(settings, "scratch", "e", 100, 200_000)
    assert cache.shrink() == 300  # one in use is larger than the limit: it stays all the same
    assert [place.exists() for place in (oldest, older, newer, just_used, left)] == [False, False, False, True, False]


def test_within_the_limit_nothing_goes_and_use_counts(settings: Any) -> None:
    settings.CACHE_LIMIT = 250
    first, second, third = (
        put(settings, "results", name, 100, ago) for name, ago in (("a", 9000), ("b", 8000), ("c", 7000))
    )
    cache.folder("results", "a")  # looked at: it is not the oldest any more
    assert cache.shrink() == 100
    assert [place.exists() for place in (first, second, third)] == [True, False, True]
    assert cache.shrink() == 0


def test_a_full_disk_is_said_before_work_and_passes_by_itself(
    browser: Make, delivered: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    analyst = browser("ana")
    monkeypatch.setattr(cache.shutil, "disk_usage", lambda _: Usage(10**9, 10**9 - 5, 5))
    job = analyst("POST", f"/deliveries/{delivered}/runs", expect=201)["job"]["id"]
    do_work()
    failed = analyst("GET", f"/jobs/{job}")
    assert (failed["state"], failed["error"]["title"]) == ("failed", "The disk is nearly full")
    assert "5 bytes are free" in failed["error"]["detail"]
    monkeypatch.undo()
    again = analyst("POST", f"/deliveries/{delivered}/runs", expect=201)["job"]["id"]
    do_work()
    assert analyst("GET", f"/jobs/{again}")["state"] == "done"


def test_what_gave_way_is_made_again(browser: Make, delivered: int, settings: Any) -> None:
    analyst = browser("ana")
    analyst("POST", f"/deliveries/{delivered}/runs", expect=201)
    do_work()
    before = analyst("GET", f"/deliveries/{delivered}/records", expect=200)
    settings.CACHE_LIMIT = 0
    assert cache.shrink(now=time.time() + 10_000) > 0
    assert analyst("GET", f"/deliveries/{delivered}/records", expect=200) == before
