"""A release as a file of a chosen form, through the API, read with other libraries."""

from __future__ import annotations

import io
from collections.abc import Callable
from urllib.parse import urlencode

import openpyxl
import pytest

from conftest import Browser, do_work

Make = Callable[[str | None], Browser]
ROWS = "tank|litres|filled\nA|1234.5|2024-03-17\nB||2024-12-01\n=C|7|\n"


@pytest.fixture
def release(browser: Make, db: None) -> tuple[Browser, int]:
    person = browser("app")
    person("POST", "/feeds", {"name": "Tanks"}, expect=201)
    rules = [
        {"kind": "to-number", "id": "n", "columns": ["litres"]},
        {"kind": "to-date", "id": "d", "columns": ["filled"], "formats": ["%Y-%m-%d"]},
    ]
    person("PUT", "/feeds/tanks/rulebook", {"based_on": 0, "change": "x", "rules": rules}, expect=200)
    delivery = person.upload("tanks", tanks=ROWS.encode())["id"]
    do_work()
    person("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    run = person("GET", f"/deliveries/{delivery}/release", expect=200)["run"]
    person("POST", f"/deliveries/{delivery}/release", {"run": run}, expect=201)
    do_work()
    return browser("vic"), person("GET", f"/deliveries/{delivery}/release")["release"]["id"]


def take(person: Browser, release: int, **asked: object) -> bytes:
    answer = person.client.get(f"/api/releases/{release}/data?{urlencode(asked, doseq=True)}")
    assert answer.status_code == 200, answer.content
    return b"".join(answer.streaming_content)  # type: ignore[attr-defined]


def test_delimited_text_as_it_was_asked_for(release: tuple[Browser, int]) -> None:
    form = {"delimiter": "semicolon", "decimal_mark": ",", "dates": "17.03.2024", "line_ends": "crlf",
            "encoding": "utf-8 with mark", "missing": "NA", "columns": ["filled", "litres", "tank"]}  # fmt: skip
    content = take(*release, **form)
    assert content.decode("utf-8-sig").split("\r\n") == [
        "filled;litres;tank", "17.03.2024;1234,5;A", "01.12.2024;NA;B", "NA;7;'=C", "",
    ]  # fmt: skip
    assert content.startswith(b"\xef\xbb\xbf")
    assert take(*release, header="false", columns="tank", defused="false") == b"A\nB\n=C\n"


def test_a_workbook_of_typed_cells(release: tuple[Browser, int]) -> None:
    sheet = openpyxl.load_workbook(io.BytesIO(take(*release, form="xlsx"))).active
    assert sheet is not None
    rows = [
        [getattr(value, "isoformat", lambda value=value: value)() for value in row]
        for row in sheet.iter_rows(values_only=True)
    ]
    assert rows == [
        ["tank", "litres", "filled"], ["A", 1234.5, "2024-03-17T00:00:00"], ["B", None, "2024-12-01T00:00:00"], ["=C", 7, None],
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"columns": ["pump"]}, "no column 'pump'"),
        ({"columns": ["tank", "tank"]}, "named twice"),
        ({"delimiter": "x"}, ""),
        ({"form": "exe"}, ""),
    ],
)
def test_what_cannot_be_written_says_why(release: tuple[Browser, int], asked: dict[str, object], words: str) -> None:
    person, id_ = release
    refused = person("GET", f"/releases/{id_}/data?{urlencode(asked, doseq=True)}", expect=422)
    assert words in refused["detail"]


def test_a_broken_download_goes_on(release: tuple[Browser, int]) -> None:
    person, id_ = release
    path = f"/api/releases/{id_}/data?form=xlsx"
    whole = person.client.get(path)
    content = b"".join(whole.streaming_content)
    rest = person.client.get(path, headers={"range": "bytes=1000-", "if-range": whole["ETag"]})
    assert (rest.status_code, b"".join(rest.streaming_content)) == (206, content[1000:])
    behind = person.client.get(path, headers={"range": f"bytes={len(content)}-"})
    assert (behind.status_code, behind.json()["title"]) == (416, "The file has no such part")
