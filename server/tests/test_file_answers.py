"""Downloads that go on where they broke: ranges of a file, over HTTP."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from django.test import RequestFactory

from pravin_server.common.errors import Unsatisfiable
from pravin_server.common.files import file_response

CONTENT = bytes(range(256)) * 9000  # more than two pieces


@pytest.fixture
def place(tmp_path: Path) -> Path:
    file = tmp_path / "data.bin"
    file.write_bytes(CONTENT)
    return file


def ask(place: Path, **headers: str) -> tuple[int, bytes, dict[str, str]]:
    answer = file_response(RequestFactory().get("/x", headers=headers), place, "tables ü.csv")
    return answer.status_code, b"".join(answer.streaming_content), dict(answer.items())  # type: ignore[attr-defined]


def test_the_whole_file_with_its_mark(place: Path) -> None:
    status, content, headers = ask(place)
    assert (status, content) == (200, CONTENT)
    assert headers["Accept-Ranges"] == "bytes"
    assert headers["ETag"].startswith('"')


@pytest.mark.parametrize(
    ("asked", "start", "end"),
    [
        ("0-9", 0, 10),
        ("5-", 5, None),
        ("-7", -7, None),
        ("2300000-9999999999", 2_300_000, None),
        ("0-0", 0, 1),
        ("-99999999", 0, None),
    ],
)
def test_a_part_of_it(place: Path, asked: str, start: int, end: int | None) -> None:
    status, content, headers = ask(place, range=f"bytes={asked}")
    expected = CONTENT[start:end]
    assert (status, content) == (206, expected)
    first = CONTENT.__len__() + start if start < 0 else start
    assert headers["Content-Range"] == f"bytes {first}-{first + len(expected) - 1}/{len(CONTENT)}"
    assert headers["Content-Length"] == str(len(expected))
    assert "attachment" in headers["Content-Disposition"]


@pytest.mark.parametrize("asked", ["bytes=0-1,5-6", "bytes=-", "lines=0-1", "bytes=9-3", "bytes=x-"])
def test_what_is_no_single_range_is_answered_with_the_whole(place: Path, asked: str) -> None:
    status, content, _ = ask(place, range=asked)
    assert (status, content) == (200, CONTENT)


@pytest.mark.parametrize("asked", ["9999999-", "-0"])
def test_behind_the_end(place: Path, asked: str) -> None:
    with pytest.raises(Unsatisfiable, match="2,304,000 bytes"):
        ask(place, range=f"bytes={asked}")


def test_a_download_goes_on_only_in_the_file_that_it_began(place: Path) -> None:
    mark = ask(place)[2]["ETag"]
    headers = {"range": "bytes=100-", "if-range": mark}
    assert ask(place, **headers)[:2] == (206, CONTENT[100:])
    os.utime(place, ns=(1, 1))  # the cache does so when a file is used
    assert ask(place, **headers)[:2] == (206, CONTENT[100:])
    place.write_bytes(CONTENT[::-1])
    assert ask(place, **headers)[:2] == (200, CONTENT[::-1])
