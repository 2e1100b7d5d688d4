"""Pieces made ahead in a thread: all, in order, errors where they belong, and nothing goes on when nobody takes them."""

from __future__ import annotations

import csv
import io
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from pravin_core.engines.duckdb import connect
from pravin_core.sql.trees import template
from pravin_server.releases.streaming import ahead, as_rows, meanwhile


def numbered(most: int, wrong_at: int = -1, made: list[int] | None = None) -> Iterator[bytes]:
    for n in range(most):
        if n == wrong_at:
            raise ValueError("wrong here")
        if made is not None:
            made.append(n)
        yield str(n).encode()


@pytest.mark.parametrize("most", [0, 1, 3, 50])
def test_all_pieces_come_in_order(most: int) -> None:
    assert [int(piece) for piece in ahead(numbered(most))] == list(range(most))


def test_an_error_comes_after_the_pieces_before_it() -> None:
    pieces = ahead(numbered(9, wrong_at=7))
    assert [int(next(pieces)) for _ in range(7)] == list(range(7))
    with pytest.raises(ValueError, match="wrong here"):
        next(pieces)


def test_no_more_is_made_when_nobody_takes_it() -> None:
    made: list[int] = []
    pieces = ahead(numbered(10_000, made=made))
    assert next(iter(pieces)) == b"0"
    before = threading.active_count()
    pieces.close()  # type: ignore[attr-defined]
    assert len(made) < 20
    assert threading.active_count() == before - 1


def test_missing_and_empty_are_told_apart(tmp_path: Path) -> None:
    query = template(
        "SELECT * FROM (VALUES (1, 'a\"b', 1.5), (2, NULL, NULL), (3, '', 2.0), (4, 'x' || chr(10) || 'y', -0.25)) AS t"
    )
    with connect([tmp_path], tmp_path / "scratch") as con:
        rows = as_rows(con, query, ["integer", "text", "numeric"])
        text = b"".join(rows.pieces).decode()
    assert rows.form == "CSV"
    assert text.splitlines()[1] == "2,,"
    assert text.splitlines()[2].startswith('3,"",2')
    assert [row[1] for row in csv.reader(io.StringIO(text))] == ['a"b', "", "", "x\ny"]


def test_rows_of_the_right_types_come_in_the_binary_form(tmp_path: Path) -> None:
    query = template("SELECT CAST(n AS BIGINT) AS n, 'x' AS t FROM range(120000) AS r(n) ORDER BY n")
    with connect([tmp_path], tmp_path / "scratch") as con:
        rows = as_rows(con, query, ["bigint", "text"])
        pieces = [bytes(piece) for piece in rows.pieces]
    assert rows.form == "BINARY"
    body = b"".join(pieces[1:-1])
    size = 2 + 4 + 8 + 4 + 1
    assert len(body) == 120_000 * size
    assert [int.from_bytes(body[at * size + 6 : at * size + 14], "big") for at in (0, 1, 119_999)] == [0, 1, 119_999]


def test_work_meanwhile_is_waited_for_and_its_error_is_told() -> None:
    begin, ended = threading.Event(), []

    def work() -> None:
        begin.wait(10)
        ended.append(True)

    with meanwhile(work) as done:
        assert not ended
        begin.set()
        done()
        assert ended

    def wrong() -> None:
        raise ValueError("wrong there")

    with pytest.raises(ValueError, match="wrong there"), meanwhile(wrong) as done:
        done()


def test_an_error_beside_work_waits_for_its_end() -> None:
    ended = []
    with pytest.raises(KeyError), meanwhile(lambda: ended.append(time.sleep(0.2))):
        raise KeyError
    assert ended == [None]
