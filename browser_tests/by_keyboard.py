"""What journeys by keyboard alone have in common: a press of what a name leads to, a delivery, a run, a file."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Download, Page, expect
from test_journeys import press, tab_to


def enter(page: Page, name: str, most: int = 300) -> None:
    tab_to(page, name, most)
    press(page, "Enter")


def take_in_by_keyboard(page: Page, file: Path, feed: str = "", records: str = "8[01]") -> None:
    """A delivery of a new feed, or another of the feed that is shown; `records`: a pattern of how many it holds."""
    if feed:
        enter(page, "New feed")
        page.get_by_label("Name", exact=True).wait_for()
        tab_to(page, "Name")
        page.keyboard.type(feed)
        press(page, "Enter")
    else:
        enter(page, "Add delivery")
    page.get_by_label("Drop files here").set_input_files(file)  # the file dialog is the system's
    enter(page, "Add 1 file")
    page.get_by_role("heading", name=re.compile(f"What it becomes {records} records")).wait_for()


def run_by_keyboard(page: Page) -> None:
    expect(page.locator(".title .busy")).to_have_count(0)
    enter(page, "Run")
    expect(page.locator(".title")).to_contain_text("run of revision")
    expect(page.locator(".title .busy")).to_have_count(0)


def download(page: Page, name: str) -> bytes:
    tab_to(page, name, 300)
    with page.expect_download() as taken:
        press(page, "Enter")
    file: Download = taken.value
    return Path(file.path()).read_bytes()
