"""A feed that runs itself, by keyboard alone: a quiet month, a month with news that are answered, the policy over the past."""

from __future__ import annotations

import random
import re
from pathlib import Path
from typing import Any

from by_keyboard import enter, take_in_by_keyboard
from playwright.sync_api import Page, expect
from test_journeys import SignIn, faults, press, tab_to

MONTHS, RECORDS = 5, 400
# the months before arrive as a program delivers them
DELIVER = """async ([name, text]) => {
    const csrf = /csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? ''
    const body = new FormData()
    body.append('files', new File([text], name))
    const answer = await fetch('/api/feeds/quiet-stations/deliveries', { method: 'POST', headers: { 'X-CSRFToken': csrf }, body })
    return answer.status
}"""


def month(number: int, level: float = 7.2, states: tuple[str, ...] = ("ok", "cleaned")) -> str:
    draw = random.Random(f"stations {number}")
    lines = [f"{number}-{place},{draw.gauss(level, 0.3):.2f},{states[place % len(states)]}" for place in range(RECORDS)]
    return "\n".join(["id,ph,state", *lines, ""])


def at_rest(page: Page) -> None:
    while page.request.get("/api/jobs").json()["jobs"]:
        page.wait_for_timeout(300)


def news(page: Page) -> Any:
    return page.locator(".news .choices tbody tr")


def test_a_feed_runs_itself_and_calls_when_something_is_new(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("tessen")
    file = tmp_path / "month.csv"
    file.write_text(month(0))
    take_in_by_keyboard(page, file, "Quiet stations", str(RECORDS))
    for number in range(1, MONTHS):
        assert page.evaluate(DELIVER, [f"month{number}.csv", month(number)]) == 201
        at_rest(page)

    page.goto("/feeds/quiet-stations")
    expect(page.get_by_text("This feed waits for a person")).to_be_visible()
    tab_to(page, "Then", 200)
    press(page, "ArrowDown", "ArrowDown")
    enter(page, "Try it over the past")
    expect(page.get_by_text("there is no past to try it over")).to_be_visible()
    enter(page, "Let it run itself")
    expect(page.get_by_text("This feed runs itself")).to_be_visible()
    assert faults(page) == []

    # a quiet month needs nobody
    file.write_text(month(MONTHS))
    take_in_by_keyboard(page, file, records=str(RECORDS))
    at_rest(page)
    press(page, "Escape", "0")
    expect(page.get_by_text("Nothing to answer")).to_be_visible()
    expect(page.locator(".steps")).to_contain_text("published the release")
    expect(page.locator(".quiet")).to_contain_text(f"{MONTHS} deliveries before")
    assert faults(page) == []

    # a month with three news calls somebody
    page.goto("/feeds/quiet-stations")
    file.write_text(month(MONTHS + 1, level=8.1, states=("ok", "cleaned", "flooded")))
    take_in_by_keyboard(page, file, records=str(RECORDS))
    at_rest(page)
    press(page, "Escape", "0")
    expect(page.locator(".steps")).to_contain_text("called a person")
    told = news(page)
    expect(told.filter(has_text="value never seen")).to_have_count(1)
    expect(told.filter(has_text="on average")).to_have_count(1)
    count = told.count()
    assert count >= 3
    expect(page.get_by_role("link", name=re.compile(f"^New {count}$"))).to_be_visible()
    press(page, *["j"] * count, *["k"] * count)
    assert faults(page) == []
    for place in range(count):
        expect(page.locator(".tools")).to_contain_text(f"{count - place} to answer")
        press(page, "e" if place else "i")
    expect(page.locator(".tools")).to_contain_text("Nothing to answer")
    expect(told.filter(has_text="ignored this time")).to_have_count(1)
    expect(told.filter(has_text="expected from now on")).to_have_count(count - 1)
    press(page, "u")
    expect(page.locator(".tools")).to_contain_text("1 to answer")

    page.goto("/feeds/quiet-stations")
    expect(page.get_by_text("called a person once")).to_be_visible()
    enter(page, "Try it over the past")
    expect(page.get_by_text(re.compile("It would have published 1 of 2 deliveries that ran"))).to_be_visible()
    enter(page, f"delivery {MONTHS + 2}")
    expect(news(page)).to_have_count(count)
