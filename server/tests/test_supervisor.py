"""What keeps the application running: PostgreSQL is started again, and when it cannot be, everything stops in one line."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tools import supervisor
from tools.supervisor import Supervisor

ROOT = Path(__file__).resolve().parents[2]
KILLED = """
import json, os, signal, sys
from tools import postgres
state = postgres.start()
try:
    before = int((postgres.data_dir() / "postmaster.pid").read_text().splitlines()[0])
    os.kill(before, signal.SIGKILL)
    revived = postgres.revive()
    after = int((postgres.data_dir() / "postmaster.pid").read_text().splitlines()[0])
    print(json.dumps([revived, before != after, postgres._psql(state, "select 7"), postgres.revive()]))
finally:
    postgres.drop()
"""


def test_a_killed_postgresql_is_started_again_on_its_port(tmp_path: Path) -> None:
    env = {**os.environ, "PRAVIN_VAR": str(tmp_path), "PYTHONPATH": str(ROOT)}
    done = subprocess.run([sys.executable, "-c", KILLED], env=env, capture_output=True, text=True, cwd=ROOT)
    assert json.loads(done.stdout.splitlines()[-1]) == [True, True, "7", True], done.stderr


def test_when_it_does_not_start_everything_stops_with_one_line(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(supervisor, "LOOK", 0.0)
    tries: list[bool] = []

    def revive() -> bool:
        tries.append(len(tries) == 1)  # it answers once in between
        return tries[-1]

    kept = {number: signal.getsignal(number) for number in (signal.SIGINT, signal.SIGTERM)}
    keeper = Supervisor(revive)
    keeper.add("sleeper", ["sleep", "60"], dict(os.environ))
    keeper.start()
    begun = time.monotonic()
    try:
        keeper.watch()
    finally:
        keeper.end()
        for number, handler in kept.items():
            signal.signal(number, handler)
    assert tries == [False, True, False, False, False]
    assert time.monotonic() - begun < 10
    assert capsys.readouterr().out.count("PostgreSQL does not start (3 tries)") == 1
