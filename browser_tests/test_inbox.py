"""What waits for a person, by keyboard alone: a late feed and a delivery that is new; and when she wants mail of it."""

from __future__ import annotations

import json
import re
from pathlib import Path

import psycopg
from by_keyboard import enter, take_in_by_keyboard
from playwright.sync_api import Page, expect
from test_journeys import SignIn, faults, press, tab_to

from conftest import DATABASE, VAR


def four_days_later() -> None:
    """As if the plan and the last delivery of the feed were four days old: the clock of the machine cannot be set."""
    state = json.loads((VAR / "postgres.json").read_text())
    where = {name: state[name] for name in ("port", "user", "password")}
    with psycopg.connect(dbname=DATABASE, host="127.0.0.1", **where) as con:
        feed = con.execute("SELECT id FROM feeds_feed WHERE slug = 'tide-gauges'").fetchone()
        con.execute("UPDATE deliveries_delivery SET received = received - interval '4 days' WHERE feed_id = %s", feed)
        con.execute("UPDATE monitoring_arrivalplan SET begun = begun - interval '4 days' WHERE feed_id = %s", feed)


def lines(page: Page) -> list[str]:
    return page.get_by_role("table", name="What waits").locator("tbody tr").all_inner_texts()


def test_what_is_late_and_what_is_new_wait_in_the_inbox(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("marlo")
    file = tmp_path / "gauges.csv"
    file.write_text("\n".join(["id,level", *(f"{number},{number % 7}" for number in range(81)), ""]))
    take_in_by_keyboard(page, file, "Tide gauges")
    page.goto("/feeds/tide-gauges")
    tab_to(page, "How often", 200)
    page.keyboard.type("every day")
    enter(page, "Save plan")
    expect(page.get_by_text("The next is expected by")).to_be_visible()
    four_days_later()

    page.goto("/")
    expect(page.locator("tr, li", has_text="Tide gauges").first).to_contain_text("late")
    enter(page, "Calendar", 60)
    tab_to(page, "Find a feed")
    page.keyboard.type("tide")
    days = page.locator("td.day button")
    expect(days.first).to_be_visible()
    page.get_by_role("heading", name="Calendar").click()
    press(page, "ArrowRight")
    expect(page.locator("aside tr.on")).to_have_count(1)
    press(page, "[", "]")
    expect(page.locator("aside tr").filter(has_text=re.compile("is (missing|expected)")).first).to_be_visible()
    expect(page.get_by_role("link", name="Tide gauges")).to_be_visible()
    assert faults(page) == []

    page.goto("/")
    enter(page, "Inbox", 60)
    expect(page.get_by_role("heading", name="Inbox")).to_be_visible()
    tab_to(page, "Find")
    page.keyboard.type("tide")
    expect(page.get_by_role("table", name="What waits").locator("tbody tr")).to_have_count(2)
    assert any("late" in line and "its next release" in line for line in lines(page)), lines(page)
    assert any("delivery 1 is new" in line for line in lines(page)), lines(page)
    assert faults(page) == []

    # mail: an address that is none is refused in our words, and what was typed stays
    tab_to(page, "When")
    page.keyboard.type("one mail a day")
    tab_to(page, "Mail address")
    page.keyboard.type("marlo at agency")
    press(page, "Enter")
    expect(page.get_by_text("is no mail address such as")).to_be_visible()
    expect(page.get_by_label("Mail address")).to_have_value("marlo at agency")
    page.get_by_label("Mail address").press("Control+a")
    page.keyboard.type("marlo@agency.example")
    press(page, "Enter")
    expect(page.get_by_text("Saved.")).to_be_visible()

    # the door leads to where she goes on
    page.get_by_role("heading", name="Inbox").click()
    press(page, "j", "Enter")
    # the address on the way back holds what was searched, so "another address than /inbox" would already hold
    expect(page).to_have_url(re.compile(r"/(feeds|deliveries)/"))
    page.go_back()
    expect(page.get_by_label("Find")).to_have_value("tide")
