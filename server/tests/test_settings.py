"""Settings: nothing unsafe by default, everything documented, engines bounded."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import Any

import duckdb
import pytest
from django.test import Client

from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect
from pravin_core.errors import RunError
from pravin_server.common.engines import Busy, turn

ROOT = Path(__file__).resolve().parents[2]
ASKED = """
import json
from django.conf import settings as s
print(json.dumps({n: str(getattr(s, n)) for n in ("SECRET_KEY", "HAS_SECRET", "ALLOWED_HOSTS", "SESSION_COOKIE_SECURE", "CSRF_COOKIE_SECURE",
    "SECURE_HSTS_SECONDS", "SECURE_PROXY_SSL_HEADER", "USE_X_FORWARDED_HOST", "DEBUG", "SECURE_SSL_REDIRECT")}))
"""


def asked(tmp_path: Path, code: str = ASKED, **more: str) -> subprocess.CompletedProcess[str]:
    kept = {name: value for name, value in os.environ.items() if not name.startswith("PRAVIN_")}
    paths = os.pathsep.join(str(ROOT / item) for item in ("core", "server", "."))
    env = {
        **kept,
        "PYTHONPATH": paths,
        "DJANGO_SETTINGS_MODULE": "pravin_server.config.settings",
        "PRAVIN_VAR": str(tmp_path),
        **more,
    }
    return subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True)


def test_without_a_secret_nothing_is_served_and_none_is_known_beforehand(tmp_path: Path) -> None:
    first, second = (json.loads(asked(tmp_path).stdout) for _ in range(2))
    assert first["HAS_SECRET"] == "False"
    assert first["SECRET_KEY"] != second["SECRET_KEY"]
    refused = asked(tmp_path, "import pravin_server.config.wsgi")
    assert "There is no secret" in refused.stderr
    served = asked(tmp_path, "import pravin_server.config.wsgi; print('served')", PRAVIN_SECRET_KEY="x" * 60)
    assert "served" in served.stdout, served.stderr


def test_hosts_cookies_and_headers_are_safe_by_default_and_by_setting(tmp_path: Path) -> None:
    plain = json.loads(asked(tmp_path).stdout)
    assert (plain["ALLOWED_HOSTS"], plain["DEBUG"], plain["SECURE_PROXY_SSL_HEADER"]) == (
        "['127.0.0.1', 'localhost']",
        "False",
        "None",
    )
    content = json.loads(asked(tmp_path, PRAVIN_HTTPS="1", PRAVIN_PROXY="1", PRAVIN_HOSTS="data.example").stdout)
    assert content["ALLOWED_HOSTS"] == "['data.example']"
    assert [
        content[name]
        for name in ("SESSION_COOKIE_SECURE", "CSRF_COOKIE_SECURE", "SECURE_SSL_REDIRECT", "USE_X_FORWARDED_HOST")
    ] == ["True"] * 4
    assert int(content["SECURE_HSTS_SECONDS"]) > 10_000_000


def test_the_page_allows_no_script_but_our_own(db: None) -> None:
    policy = Client().get("/api/session")["Content-Security-Policy"]
    assert "script-src 'self'" in policy
    assert "unsafe-eval" not in policy
    assert re.search(r"script-src[^;]*unsafe-inline", policy) is None


def test_every_setting_of_the_environment_is_documented() -> None:
    read = (ROOT / "server/pravin_server/config/settings.py").read_text()
    named = set(re.findall(r"PRAVIN_[A-Z_]*[A-Z]", read)) - {"PRAVIN_TESTING", "PRAVIN_DATABASE_"}
    page = (ROOT / "docs/operating.md").read_text()
    assert [name for name in sorted(named) if f"`{name}`" not in page] == []


def test_engines_are_opened_in_one_place_only() -> None:
    for file in [*(ROOT / "core/pravin_core").rglob("*.py"), *(ROOT / "server/pravin_server").rglob("*.py")]:
        if file.name == "standalone.py":  # runs without us
            continue
        opens = file.read_text().count("duckdb.connect(")
        assert opens == (1 if file.match("engines/duckdb.py") else 0), file


def test_an_engine_that_computes_too_long_is_stopped_in_words(tmp_path: Path) -> None:
    with (
        pytest.raises(RunError, match=r"longer than 0|longer than 1"),
        connect([tmp_path], tmp_path / "s", Limits(seconds=0.6)) as con,
    ):
        con.execute("SELECT count(*) FROM range(100000000) a, range(1000000) b WHERE a.range + b.range = 3").fetchall()
    with connect([tmp_path], tmp_path / "s", Limits(seconds=60)) as con, pytest.raises(duckdb.Error):
        con.execute("SELECT * FROM read_text('/etc/passwd')").fetchall()


def test_only_so_many_engines_compute_at_once_and_the_next_is_told(settings: Any, tmp_path: Path) -> None:
    settings.ENGINES, settings.ENGINE_WAIT, settings.VAR = 2, 0.3, tmp_path
    inside, leave = threading.Semaphore(0), threading.Event()

    def hold() -> None:
        with turn(), turn():  # one place serves what is opened within
            inside.release()
            leave.wait(10)

    holders = [threading.Thread(target=hold) for _ in range(2)]
    for holder in holders:
        holder.start()
    for _ in holders:
        assert inside.acquire(timeout=5)
    refused: list[BaseException] = []

    def ask() -> None:
        try:
            with turn():
                pass
        except Busy as error:
            refused.append(error)

    asker = threading.Thread(target=ask)
    asker.start()
    asker.join(5)
    assert ["2 other computations" in str(error) for error in refused] == [True]
    leave.set()
    for each_holder in holders:
        each_holder.join()
    begun = time.monotonic()
    ask()
    assert len(refused) == 1
    assert time.monotonic() - begun < 5


def test_a_forged_change_is_refused_as_a_problem_not_as_a_page(db: None) -> None:
    client = Client(enforce_csrf_checks=True)
    answer = client.post("/api/session", {"username": "x", "password": "y"}, content_type="application/json")
    assert (answer.status_code, answer["Content-Type"]) == (403, "application/problem+json")
    assert answer.json()["title"] == "The change was not made"


def test_who_asks_first_computes_first(settings: Any, tmp_path: Path) -> None:
    settings.ENGINES, settings.ENGINE_WAIT, settings.VAR = 1, 30, tmp_path
    order: list[int] = []

    def ask(number: int) -> None:
        with turn():
            order.append(number)

    with turn():
        waiting = [threading.Thread(target=ask, args=(number,)) for number in range(8)]
        for item in waiting:
            item.start()
            time.sleep(0.05)
        assert order == []
    for item in waiting:
        item.join(10)
    assert order == list(range(8))
