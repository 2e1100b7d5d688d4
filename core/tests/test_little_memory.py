"""Too little memory: what can be judged is, what cannot is told, and nobody reads the engine's own words."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import datetime
from pathlib import Path

import pytest

from pravin_core import cli
from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import NO_MEMORY, connect
from pravin_core.errors import NoMemory
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.findings.base import Finding
from pravin_core.profiling.findings.tables import duplicates, shifted
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.profiling.table import TableStudy

Table = Callable[[dict[str, list[str | None]]], Snapshot]
NOW = datetime(2024, 6, 1)


@pytest.fixture
def repeated(table: Table) -> Snapshot:
    """A table of which two records repeat others."""
    return table({"site": ["A", "B", "C", "B", "A", "D"], "level": ["1", "2", "3", "2", "1", "9"]})


def running_out(times: int) -> Callable[[TableStudy], Iterator[Finding]]:
    """A finding that needs more memory than there is, so many times."""
    asked: list[int] = []

    def find(_: TableStudy) -> Iterator[Finding]:
        asked.append(1)
        if len(asked) <= times:
            raise NO_MEMORY("Out of Memory Error: failed to allocate data of size 32.0 KiB")
        yield from ()

    return find


def test_what_needs_more_memory_is_told_and_the_rest_is_judged(
    repeated: Snapshot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(shifted, "find", running_out(2))
    profile = profile_snapshot(repeated, tmp_path / "s", NOW)
    assert profile.unjudged == ("shifted (it needs more memory than is allowed)",)
    assert [finding.kind for finding in profile.findings if finding.columns == ()] == ["duplicate records"]
    assert profile.duplicate_records == 2


def test_what_had_to_share_the_memory_is_judged_again_alone(
    repeated: Snapshot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = duplicates.find
    asked: list[int] = []

    def find(table: TableStudy) -> Iterator[Finding]:
        asked.append(1)
        if len(asked) == 1:
            raise NO_MEMORY("Out of Memory Error")
        yield from first(table)

    monkeypatch.setattr(duplicates, "find", find)
    profile = profile_snapshot(repeated, tmp_path / "s", NOW)
    assert profile.unjudged == ()
    assert "duplicate records" in [finding.kind for finding in profile.findings]
    assert len(asked) == 2


def test_the_command_line_says_what_could_not_be_looked_for(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    file = tmp_path / "t.csv"
    file.write_text("a,b\n1,x\n2,y\n")
    assert cli.main(["profile", str(file)]) == cli.DONE
    assert "looked for" not in capsys.readouterr().out
    monkeypatch.setattr(shifted, "find", running_out(2))
    assert cli.main(["profile", str(file)]) == cli.DONE
    assert "Could not be looked for: shifted (it needs more memory than is allowed)" in capsys.readouterr().out


def test_the_engine_running_out_is_an_error_of_ours(tmp_path: Path) -> None:
    with pytest.raises(NoMemory) as raised, connect([], tmp_path / "s", Limits("20MB", 1)) as con:
        con.execute("SELECT list(i ORDER BY hash(i)) FROM range(20_000_000) t(i)")
    assert raised.value.message == "The table needs more memory than is allowed."
    assert "memory limit" in raised.value.advice
    assert "MiB" not in str(raised.value)


def test_the_command_line_says_it_in_our_words(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    file = tmp_path / "t.csv"
    file.write_text("a,b\n1,x\n2,y\n")

    def repeats(_: TableStudy) -> int:
        raise NO_MEMORY("Out of Memory Error: failed to allocate data of size 32.0 KiB")

    monkeypatch.setattr(TableStudy, "repeated", property(repeats))
    assert cli.main(["profile", str(file)]) == cli.WRONG_INPUT
    said = capsys.readouterr().err
    assert "needs more memory than is allowed" in said
    assert "KiB" not in said
