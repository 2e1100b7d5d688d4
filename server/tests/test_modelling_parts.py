"""Parts for modelling through the API: divided once, the same records in the same parts from release to release."""

from __future__ import annotations

import csv
import hashlib
import io
from collections.abc import Callable
from typing import Any

import pyarrow.parquet as pq
import pytest

from conftest import Browser, do_work
from pravin_server.activity.models import Event

Make = Callable[[str | None], Browser]
SHARES = [{"name": "train", "share": 70}, {"name": "test", "share": 30}]


def boats(first: int, n: int) -> bytes:
    rows = [
        f"B{at:04}|{'red' if at % 4 else 'blue'}|2024-{1 + at % 12:02}-10|{at * 3}" for at in range(first, first + n)
    ]
    return "\n".join(["boat|colour|seen|crew", *rows]).encode() + b"\n"


@pytest.fixture
def approver(browser: Make, db: None) -> Browser:
    person = browser("app")
    person("POST", "/feeds", {"name": "Boats"}, expect=201)
    rules = [
        {"kind": "to-date", "id": "d", "columns": ["seen"], "formats": ["%Y-%m-%d"]},
        {"kind": "to-number", "id": "n", "columns": ["crew"]},
    ]
    person("PUT", "/feeds/boats/rulebook", {"based_on": 0, "change": "x", "rules": rules}, expect=200)
    return person


def released(approver: Browser, file: bytes) -> None:
    delivery = approver.upload("boats", **{f"m{hashlib.md5(file).hexdigest()}": file})["id"]
    do_work()
    approver("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    run = approver("GET", f"/deliveries/{delivery}/release", expect=200)["run"]
    approver("POST", f"/deliveries/{delivery}/release", {"run": run}, expect=201)
    do_work()


def read(person: Browser, division: int, part: str = "") -> list[dict[str, str]]:
    answer = person.client.get(f"/api/divisions/{division}/data?form=csv&part={part}")
    assert answer.status_code == 200
    content = b"".join(answer.streaming_content).decode()  # type: ignore[attr-defined]
    return list(csv.DictReader(io.StringIO(content)))


def test_the_same_boat_in_the_same_part_from_month_to_month(approver: Browser, browser: Make) -> None:
    ask = {"shares": SHARES, "seed": "harbour", "stratum": "colour", "watched": ["seen"]}
    refused = approver("POST", "/feeds/boats/divisions", ask, expect=422)
    assert "key of the feed" in refused["detail"]
    approver.upload("boats", first=boats(0, 5))
    do_work()
    approver("PUT", "/feeds/boats/key", {"columns": ["boat"]}, expect=200)
    assert "Nothing is released" in approver("POST", "/feeds/boats/divisions", ask, expect=409)["detail"]
    assert approver("GET", "/feeds/boats/divisions", expect=200)["columns"] == []

    released(approver, boats(0, 400))
    offered = approver("GET", "/feeds/boats/divisions", expect=200)
    assert [each["name"] for each in offered["columns"]] == ["boat", "colour", "seen", "crew"]
    made = approver("POST", "/feeds/boats/divisions", ask, expect=201)
    assert (made["number"], made["key"], made["who"]) == (1, ["boat"], "App")
    assert "train 70 %" in Event.objects.order_by("-id")[0].what
    viewer = browser("vic")
    whole = read(viewer, made["id"])
    assert [row["boat"] for row in whole] == [f"B{at:04}" for at in range(400)]
    train = [row for row in whole if row["part"] == "train"]
    assert [sum(row["colour"] == colour for row in train) for colour in ("red", "blue")] == [210, 70]
    assert [row["boat"] for row in read(viewer, made["id"], "train")] == [row["boat"] for row in train]
    report = viewer("GET", f"/divisions/{made['id']}/report", expect=200)
    assert [(part["name"], part["records"]) for part in report["parts"]] == [("train", 280), ("test", 120)]
    assert (report["release"], report["without"], report["watched"][0]["values"]) == (1, 0, 12)

    approver("PUT", "/feeds/boats/released", {"adds_up": "adds"}, expect=200)
    released(approver, boats(400, 100))
    later = {row["boat"]: row["part"] for row in read(viewer, made["id"])}
    assert len(later) == 500
    assert {row["boat"]: later[row["boat"]] for row in whole} == {row["boat"]: row["part"] for row in whole}
    assert viewer("GET", f"/divisions/{made['id']}/report", expect=200)["release"] == 2
    approver("DELETE", f"/divisions/{made['id']}", expect=204)
    approver("GET", f"/divisions/{made['id']}/report", expect=404)


def test_parts_by_time_as_parquet_without_what_is_left_out(approver: Browser, tmp_path: Any) -> None:
    released(approver, boats(0, 120))
    ask = {"shares": SHARES, "way": "time", "column": "seen", "left_out": {"crew": "known only afterwards"}}
    made = approver("POST", "/feeds/boats/divisions", ask, expect=201)
    assert made["moments"] == ["2024-09-10"]
    answer = approver.client.get(f"/api/divisions/{made['id']}/data?part=test")
    (tmp_path / "test.parquet").write_bytes(b"".join(answer.streaming_content))
    table = pq.read_table(tmp_path / "test.parquet")
    assert table.column_names == ["boat", "colour", "seen"]
    assert min(table.column("seen").to_pylist()).isoformat() == "2024-09-10"
    approver("GET", f"/divisions/{made['id']}/data?part=nowhere", expect=404)


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"way": "groups"}, "Say by which column."),
        ({"way": "groups", "column": "sail"}, "no column 'sail'"),
        ({"way": "time", "column": "colour"}, "holds text, no dates"),
        (
            {"shares": [{"name": "a", "share": 40}, {"name": "b", "share": 40}], "way": "groups", "column": "boat"},
            "make 80 %",
        ),
    ],
)
def test_what_cannot_divide_says_why(approver: Browser, more: dict[str, Any], words: str) -> None:
    released(approver, boats(0, 20))
    refused = approver("POST", "/feeds/boats/divisions", {"shares": SHARES, **more}, expect=422)
    assert words in refused["detail"]
    assert approver("GET", "/feeds/boats/divisions", expect=200)["divisions"] == []
