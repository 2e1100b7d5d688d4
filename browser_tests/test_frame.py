"""What is loaded and asked for, and a session that ends while somebody types."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from playwright.sync_api import Page, Response, expect
from test_journeys import take_in

from conftest import choose_column

SignIn = Callable[[str], Page]
FIRST_LOAD = 150_000  # bytes of scripts and styles, as sent
DATA = b"id|site|ph\n1|A|7\n2|B|8\n3|C|x\n"


@contextmanager
def asked(page: Page) -> Iterator[list[str]]:
    """What the page asks of the API inside, as "GET /api/...", ids as #."""
    results: list[str] = []

    def note(response: Response) -> None:
        path = response.url.split("://")[1].split("/", 1)[1].split("?")[0]
        if path.startswith("api/"):
            results.append(f"{response.request.method} /{'/'.join('#' if p.isdigit() else p for p in path.split('/'))}")

    page.on("response", note)
    yield results
    page.remove_listener("response", note)


@pytest.fixture
def data(tmp_path: Path) -> Path:
    file = tmp_path / "samples.txt"
    file.write_bytes(DATA)
    return file


def test_the_board_loads_little(sign_in: SignIn) -> None:
    page = sign_in("tessen")
    sizes: dict[str, int] = {}

    def note(response: Response) -> None:
        if response.request.resource_type in ("script", "stylesheet"):
            sizes[response.url] = response.request.sizes()["responseBodySize"]

    page.context.new_cdp_session(page).send("Network.setCacheDisabled", {"cacheDisabled": True})
    page.on("response", note)
    page.goto(page.url)
    expect(page.get_by_role("heading", name="Feeds")).to_be_visible()
    page.wait_for_load_state("networkidle")
    assert sizes
    assert sum(sizes.values()) <= FIRST_LOAD, sizes


def test_pages_at_rest_ask_for_work_only(sign_in: SignIn, data: Path) -> None:
    page = sign_in("tessen")
    while page.request.get("/api/jobs").json()["jobs"]:
        page.wait_for_timeout(500)  # what other tests asked for goes on
    page.wait_for_timeout(2_500)  # and is heard of
    page.wait_for_load_state("networkidle")
    with asked(page) as on_the_board:
        page.wait_for_timeout(7_000)
    assert set(on_the_board) == {"GET /api/jobs"}
    take_in(page, "At rest", data)
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(1_500)
    with asked(page) as on_a_delivery:
        page.wait_for_timeout(7_000)
    assert set(on_a_delivery) == {"GET /api/jobs"}
    assert len(on_a_delivery) <= 4


def test_work_of_somebody_else_shows_by_itself(sign_in: SignIn, data: Path) -> None:
    watching, working = sign_in("viewer"), sign_in("tessen")
    take_in(working, "Watched", data)
    row = watching.get_by_role("row").filter(has_text="Watched")
    expect(row).to_be_visible()
    address = working.url.rsplit("/", 1)[0]
    watching.goto(f"{address}/quarantine")
    expect(watching.get_by_text("not run yet")).to_be_visible()
    working.get_by_role("button", name="Run", exact=True).click()
    expect(watching.get_by_text("run of revision 0, all records")).to_be_visible()


def test_a_session_that_ended_is_taken_up_over_the_page(sign_in: SignIn, data: Path) -> None:
    page = sign_in("tessen")
    take_in(page, "Interrupted", data)
    page.keyboard.press("3")
    page.get_by_role("button", name="Add a rule").click()
    page.get_by_label("What should it do?").fill("required")
    page.get_by_label("What should it do?").press("Enter")
    page.get_by_label("Columns", exact=True).focus()
    choose_column(page, "ph")
    page.get_by_label("Note").fill("half written")
    page.context.clear_cookies(name="sessionid")
    dialog = page.get_by_role("dialog", name="You were signed out")
    expect(dialog).to_be_visible()
    dialog.get_by_label("Password of R. Tessen").fill("wrong")
    dialog.get_by_role("button", name="Sign in", exact=True).click()
    expect(dialog.get_by_text("Name or password is wrong")).to_be_visible()
    dialog.get_by_label("Password of R. Tessen").fill("merrow-tessen")
    dialog.get_by_role("button", name="Sign in", exact=True).click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_label("Note")).to_have_value("half written")
    page.get_by_role("button", name="Save rule").click()
    expect(page.locator(".rule")).to_have_count(1)
