"""The records behind a filter are downloaded as they are counted."""

from __future__ import annotations

import csv
import io
import json
from typing import Any
from urllib.parse import quote

import pytest

from conftest import Browser, do_work

FILTERS: list[list[dict[str, Any]]] = [
    [],
    [{"on": "column", "name": "site", "test": "is", "value": "A"}],
    [{"on": "state", "value": "quarantined"}],
]


def downloaded(browser: Browser, path: str) -> bytes:
    answer = browser.client.get(f"/api{path}")
    assert answer.status_code == 200
    assert "attachment" in answer["Content-Disposition"]
    return b"".join(answer.streaming_content)


@pytest.mark.django_db(transaction=True)
def test_a_file_holds_as_many_records_as_are_counted(delivered: int) -> None:
    analyst = Browser("ana")
    analyst("POST", f"/deliveries/{delivered}/runs", expect=201)
    do_work()
    run = analyst("GET", f"/deliveries/{delivered}")["run"]["id"]
    for filters in FILTERS:
        where = quote(json.dumps(filters))
        page = analyst("GET", f"/deliveries/{delivered}/records?run={run}&where={where}", expect=200)
        text = downloaded(analyst, f"/deliveries/{delivered}/records/file?run={run}&where={where}").decode()
        rows = list(csv.DictReader(io.StringIO(text)))
        assert len(rows) == page["total"]
        assert [row["state"] for row in rows] == [row["state"] for row in page["rows"]]
    as_delivered = analyst("GET", f"/deliveries/{delivered}/records", expect=200)["total"]
    lines = downloaded(analyst, f"/deliveries/{delivered}/records/file?form=jsonl").splitlines()
    assert len(lines) == as_delivered
    assert downloaded(analyst, f"/deliveries/{delivered}/records/file?form=parquet")[:4] == b"PAR1"


@pytest.mark.django_db(transaction=True)
def test_what_cannot_be_asked_is_told(delivered: int) -> None:
    analyst = Browser("ana")
    for query, status in (("form=exe", 422), ("where=x", 422), ("sort=gone", 422), ("run=999999", 404)):
        answer = analyst("GET", f"/deliveries/{delivered}/records/file?{query}", expect=status)
        assert answer["title"]
    where = quote(json.dumps(FILTERS[2]))
    assert "run" in analyst("GET", f"/deliveries/{delivered}/records/file?where={where}", expect=422)["detail"]
