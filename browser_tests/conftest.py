"""The whole application for browser tests: own database, web server, worker and Chromium."""

from __future__ import annotations

import json
import os
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import psycopg
import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

ROOT = Path(__file__).resolve().parent.parent
VAR = Path(os.environ["PRAVIN_VAR"])
DATABASE = "pravin_browser"
PATIENCE = 60  # seconds: how fast the application is, the benchmarks say; here a busy machine may be slow
expect.set_options(timeout=1000 * PATIENCE)
FLAGS = [
    "--no-sandbox", "--disable-dev-shm-usage", "--disable-background-networking", "--disable-component-update",
    "--disable-sync", "--no-first-run",
]  # fmt: skip


@pytest.fixture(scope="session")
def drop_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where suppliers put files."""
    return tmp_path_factory.mktemp("drop")


@pytest.fixture(scope="session")
def address(tmp_path_factory: pytest.TempPathFactory, drop_folder: Path) -> Iterator[str]:
    """The address of a running application with the demo people and no data."""
    with running(DATABASE, tmp_path_factory.mktemp("cache"), drop_folder, "demo") as (result, _):
        yield result


@pytest.fixture
def fresh(tmp_path: Path) -> Iterator[tuple[str, str]]:
    """The address of an application without anybody, and the one-time address that its start prints."""
    with running(f"{DATABASE}_fresh", tmp_path / "cache", tmp_path / "drop", "first") as (result, own_result):
        yield result, own_result.strip()


@contextmanager
def running(database: str, cache: Path, drop: Path, people: str) -> Iterator[tuple[str, str]]:
    """A web server and a worker on a new database; with what the command about `people` says."""
    state = json.loads((VAR / "postgres.json").read_text())
    where = {"host": "127.0.0.1", "port": state["port"], "user": state["user"], "password": state["password"]}
    with psycopg.connect(dbname="postgres", autocommit=True, **where) as con:
        con.execute(f"DROP DATABASE IF EXISTS {database} WITH (FORCE)")
        con.execute(f"CREATE DATABASE {database}")
    (VAR / "reader.json").unlink(missing_ok=True)
    environment = {**os.environ, "PRAVIN_DATABASE": database, "PRAVIN_CACHE": str(cache), "PRAVIN_DROP": str(drop)}
    manage = [sys.executable, str(ROOT / "server" / "manage.py")]
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        address = f"127.0.0.1:{free.getsockname()[1]}"
    subprocess.run([*manage, "prepare"], env=environment, check=True)
    command = [*manage, "people", people, "--address", f"http://{address}"]
    result = subprocess.run(command, env=environment, check=True, stdout=subprocess.PIPE, text=True).stdout
    gunicorn = [
        str(Path(sys.executable).parent / "gunicorn"), "pravin_server.config.wsgi:application", "--bind", address,
        "--worker-class", "gthread", "--workers", "1", "--threads", "6", "--log-level", "warning",
    ]  # fmt: skip
    worker = [*manage, "procrastinate", "--verbosity", "0", "worker"]
    processes = [subprocess.Popen(c, env=environment, start_new_session=True, cwd=ROOT) for c in (gunicorn, worker)]
    try:
        _wait(f"http://{address}/")
        yield f"http://{address}", result
    finally:
        for process in processes:
            os.killpg(process.pid, signal.SIGTERM)
        for process in processes:
            process.wait(timeout=PATIENCE)


def _wait(address: str) -> None:
    deadline = time.monotonic() + PATIENCE
    while time.monotonic() < deadline:
        try:
            urllib.request.urlopen(address, timeout=2)
        except OSError:  # also when it is too slow while it starts
            time.sleep(0.1)
        else:
            return
    raise RuntimeError("the web server does not answer")


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def open_page(chromium: Browser) -> Iterator[Callable[[str], Page]]:
    """Open a page of an application in a window of its own. Errors on the console fail the test."""
    results: list[str] = []
    contexts = []

    def _open(address: str) -> Page:
        context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=address)
        context.set_default_timeout(1000 * PATIENCE)
        contexts.append(context)
        page = context.new_page()
        page.on("pageerror", lambda error: results.append(str(error)))
        page.on(
            "console",
            lambda m: results.append(m.text) if m.type == "error" and not re.search("401|409", m.text) else None,
        )
        return page

    yield _open
    for context in contexts:
        context.close()
    assert not results


@pytest.fixture
def sign_in(open_page: Callable[[str], Page], address: str) -> Callable[[str], Page]:
    """Open a page signed in as someone of the demo."""

    def _sign_in(name: str) -> Page:
        page = open_page(address)
        page.goto("/")
        page.get_by_label("Name").fill(name)
        page.get_by_label("Password").fill(f"merrow-{name}")
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("heading", name="Feeds").wait_for()
        return page

    return _sign_in


@pytest.fixture
def reader() -> Callable[[str], list[tuple[Any, ...]]]:
    """Ask the database as the read-only role does."""

    def _ask(query: str) -> list[tuple[Any, ...]]:
        who = json.loads((VAR / "reader.json").read_text())
        port = json.loads((VAR / "postgres.json").read_text())["port"]
        fields = {"host": who["host"], "port": port, "user": who["user"], "password": who["password"]}
        with psycopg.connect(dbname=DATABASE, **fields) as con:  # `who` may be of a test with a database of its own
            return con.execute(query).fetchall()

    return _ask


def choose_column(page: Page, name: str) -> None:
    """In a list of columns that has the focus, choose one by keys, looking before Enter as a person does."""
    page.keyboard.press("ArrowDown")
    page.keyboard.type(name)
    expect(page.locator(".ant-select-item-option-active").last).to_contain_text(name)
    page.keyboard.press("Enter")
    expect(page.locator(".ant-select-selection-item").filter(has_text=name).last).to_be_visible()
    page.keyboard.press("Escape")
