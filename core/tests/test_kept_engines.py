"""Engines that stay open: they serve what they were opened for only, leave nothing open, and never hold up a stranger."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from pathlib import Path

import duckdb
import pytest

from pravin_core.engines import kept
from pravin_core.engines.base import Limits
from pravin_core.engines.kept import close_all, kept_engine
from pravin_core.errors import Cancelled, FilesGone, RunError
from pravin_core.sql.trees import sql, template
from pravin_core.stopping import Stop, stoppable

LONG = sql(template("SELECT sum(a.range * b.range) FROM range(200000) a, range(200000) b"))


@pytest.fixture(autouse=True)
def _closed() -> Iterator[None]:
    close_all()
    yield
    close_all()


def data(folder: Path, number: int) -> str:
    """A query of a file in a folder that holds one number."""
    folder.mkdir(exist_ok=True)
    duckdb.sql(f"SELECT {number} AS n").write_parquet(str(folder / "n.parquet"))
    return f"SELECT n FROM read_parquet('{folder}/n.parquet')"


def read(folders: list[Path], spills: Path, query: str, limits: Limits = Limits()) -> tuple[int, int]:
    """What a query answers, and which engine answered."""
    with kept_engine(folders, spills, limits) as con:
        (result,) = con.execute(query).fetchone() or (None,)
        return result, id(con)


def test_the_next_reading_of_the_same_files_finds_the_engine_open(tmp_path: Path) -> None:
    query = data(tmp_path / "a", 1)
    first, second = (read([tmp_path / "a"], tmp_path / "s", query) for _ in range(2))
    assert first == second == (1, first[1])


@pytest.mark.parametrize("other", ["folder", "spills", "memory", "threads"])
def test_an_engine_serves_only_what_it_was_opened_for(other: str, tmp_path: Path) -> None:
    one, two = data(tmp_path / "a", 1), data(tmp_path / "b", 2)
    _, engine = read([tmp_path / "a"], tmp_path / "s", one)
    folder, query = (tmp_path / "b", two) if other == "folder" else (tmp_path / "a", one)
    spills = tmp_path / ("t" if other == "spills" else "s")
    limits = {"memory": Limits(memory="512MB"), "threads": Limits(threads=1)}.get(other, Limits())
    _, another = read([folder], spills, query, limits)
    assert another != engine
    with pytest.raises(duckdb.PermissionException):
        read([tmp_path / "b"], tmp_path / "s", one)


def test_two_at_once_have_an_engine_each(tmp_path: Path) -> None:
    query = data(tmp_path / "a", 1)
    with kept_engine([tmp_path / "a"], tmp_path / "s") as outer:
        inside = read([tmp_path / "a"], tmp_path / "s", query)
        assert outer.execute(query).fetchone() == (1,)
    assert inside[1] != id(outer)


def test_no_more_than_a_few_rest_and_each_takes_its_folder_along(tmp_path: Path) -> None:
    for number in range(kept.MOST + 3):
        read([tmp_path / f"{number}"], tmp_path / "s", data(tmp_path / f"{number}", number))
    assert len(list((tmp_path / "s").iterdir())) == kept.MOST
    close_all()
    assert list((tmp_path / "s").iterdir()) == []


def test_the_one_that_rested_longest_gives_way(tmp_path: Path) -> None:
    queries = [data(tmp_path / f"{number}", number) for number in range(kept.MOST + 1)]
    engines = [read([tmp_path / f"{at}"], tmp_path / "s", query)[1] for at, query in enumerate(queries)]
    last = kept.MOST
    assert read([tmp_path / f"{last}"], tmp_path / "s", queries[last])[1] == engines[last]
    assert {item.purpose.folders[0].name for item in kept._idle} == {f"{at}" for at in range(1, last + 1)}


def test_after_a_while_at_rest_it_is_closed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    query = data(tmp_path / "a", 1)
    read([tmp_path / "a"], tmp_path / "s", query)
    (old,) = (tmp_path / "s").iterdir()
    now = time.monotonic()
    monkeypatch.setattr(kept.time, "monotonic", lambda: now + kept.RESTS + 1)
    assert read([tmp_path / "a"], tmp_path / "s", query)[0] == 1
    assert not old.exists()


def test_when_its_folder_was_swept_away_another_is_opened(tmp_path: Path) -> None:
    query = data(tmp_path / "a", 1)
    read([tmp_path / "a"], tmp_path / "s", query)
    (old,) = (tmp_path / "s").iterdir()
    old.rmdir()
    assert read([tmp_path / "a"], tmp_path / "s", query)[0] == 1
    assert [place.exists() for place in (tmp_path / "s").iterdir()] == [True]


def test_after_an_error_it_is_closed(tmp_path: Path) -> None:
    query = data(tmp_path / "a", 1)
    (tmp_path / "a" / "n.parquet").unlink()
    with pytest.raises(FilesGone):
        read([tmp_path / "a"], tmp_path / "s", query)
    assert list((tmp_path / "s").iterdir()) == []
    assert kept._idle == []


def test_it_ends_after_its_seconds_and_with_the_work(tmp_path: Path) -> None:
    with pytest.raises(RunError, match="longer than 1 seconds"):
        read([tmp_path], tmp_path / "s", LONG, Limits(seconds=1))
    stop = Stop()
    threading.Timer(0.5, stop.now).start()
    with pytest.raises(Cancelled), stoppable(stop):
        read([tmp_path], tmp_path / "s", LONG)


def test_work_that_is_over_stops_nobody_else(tmp_path: Path) -> None:
    query, stop = data(tmp_path / "a", 1), Stop()
    with stoppable(stop):
        read([tmp_path / "a"], tmp_path / "s", query)
    begun, ended = threading.Event(), []

    def another() -> None:
        with kept_engine([tmp_path / "a"], tmp_path / "s") as con:
            begun.set()
            ended.append(con.execute("SELECT count(*) FROM range(30000) a, range(30000) b").fetchone())

    thread = threading.Thread(target=another)
    thread.start()
    begun.wait()
    for _ in range(5):
        stop.now()
        time.sleep(0.02)
    thread.join()
    assert ended == [(900_000_000,)]
