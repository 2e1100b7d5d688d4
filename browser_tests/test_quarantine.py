"""The analyst's weeks in Quarantine: cases from one delivery to the next, decided many at once, by mouse and by keyboard."""

from __future__ import annotations

import csv
import random
import re
from collections.abc import Callable
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from by_keyboard import download, enter, run_by_keyboard, take_in_by_keyboard
from playwright.sync_api import Page, expect
from test_journeys import add_rule, add_rule_by_keyboard, faults, press, tab_to, take_in

from demo.answering import answer_all

PATIENCE = 60  # looks at whether an answer was taken in
SignIn = Callable[[str], Page]
Row = tuple[str, str, str]


def write(path: Path, rows: list[Row]) -> Path:
    path.write_text("\n".join(["id|site|ph", *("|".join(row) for row in rows)]) + "\n")
    return path


def is_wrong(row: Row) -> bool:
    """Whether a record breaks a check, told from the file alone."""
    return not row[1] or "," in row[2]


def run(page: Page) -> None:
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.locator(".title")).to_contain_text("run of revision")
    expect(page.locator(".title .busy")).to_have_count(0)


def standings(page: Page, *told: str) -> None:
    expect(page.locator(".standings button")).to_have_text(list(told))


def publish(page: Page, records: int) -> None:
    page.get_by_role("link", name=re.compile("^Release (gates|1 gate|published)")).click()
    page.get_by_role("button", name=f"Publish {records:,} records").click()
    expect(page.get_by_role("heading", name="is published")).to_be_visible()


def mark(page: Page, records: int) -> None:
    """Mark the chosen record and those after it, by keys."""
    for _ in range(records):
        press(page, "x", "j")
    expect(page.locator("aside h2")).to_have_text(f"{records} marked records")


def answered(page: Page, folder: Path, book: dict[str, dict[str, str]]) -> None:
    """The stand-in for a supplier answers what lies there for it, from its own books; the answer is taken in by itself."""
    expect(page.get_by_text("where the supplier finds it since")).to_have_count(1)
    assert len(answer_all(folder, book, "id")) == 1
    arrived = page.get_by_text("An answer from the supplier arrived")
    for _ in range(PATIENCE):
        if arrived.count():
            return
        page.wait_for_timeout(1000)
        page.reload()
        page.locator(".quarantined").wait_for()
    raise AssertionError("the answer was not taken in")


def months(seed: int) -> tuple[list[Row], list[Row]]:
    """4,000 records of which 211 break a check; and the month after it: 100 of them filled, 5 not, 300 others."""
    drawn = random.Random(seed)
    first: list[Row] = [(f"R-{n:05}", "AB"[n % 2], f"{drawn.randint(50, 90) / 10}") for n in range(1, 4001)]
    bad = drawn.sample(range(4000), 211)
    for at in bad[:120]:
        first[at] = (first[at][0], "", first[at][2])
    for at in bad[120:]:
        first[at] = (first[at][0], first[at][1], "7,4")
    second: list[Row] = [(first[at][0], "C", "7.0") for at in bad[:100]]
    second += [(first[at][0], "", "7.0") for at in bad[100:105]]
    second += [(f"S-{n:05}", "D", "8.0") for n in range(300)]
    return first, second


def test_cases_from_one_delivery_to_the_next(
    sign_in: SignIn, reader: Callable[[str], list[Any]], tmp_path: Path, drop_folder: Path
) -> None:
    first, second = months(29)
    page = sign_in("tessen")
    take_in(page, "Monthly stock", write(tmp_path / "january.txt", first))
    one = page.url.rsplit("/", 1)[0]
    page.get_by_role("link", name="Rules").click()
    add_rule(page, "read as number", "ph", {})
    add_rule(page, "is filled", "site", {})
    run(page)
    page.get_by_role("link", name=re.compile("^Quarantine 211")).click()
    page.get_by_role("button", name="Agree a key").click()
    page.get_by_role("button", name="id", exact=True).click()
    page.get_by_role("button", name="Agree", exact=True).click()
    expect(page.locator("div.key")).to_contain_text("Key id")
    assert faults(page) == []
    publish(page, 4000 - sum(map(is_wrong, first)))

    page.goto("/feeds/monthly-stock")
    page.get_by_role("button", name="Add delivery").click()
    page.get_by_label("Drop files here").set_input_files(write(tmp_path / "february.txt", second))
    page.get_by_role("button", name="Add 1 file").click()
    page.get_by_role("heading", name=re.compile(r"What it becomes 405 records")).wait_for()
    run(page)
    page.get_by_role("link", name=re.compile("^Quarantine 5")).click()
    expect(page.locator(".quarantined tbody tr")).to_have_count(5)
    publish(page, 400)

    page.goto(f"{one}/quarantine")
    standings(page, "106 waiting", "100 settled by a later delivery", "5 came again, waiting there")
    page.get_by_role("button", name="settled by a later delivery").click()
    expect(page.locator(".quarantined tbody").first).to_contain_text("of delivery 2")
    page.get_by_role("button", name=re.compile("106 waiting")).click()
    page.get_by_role("link", name=re.compile("ph could not be read")).click()
    expect(page.locator(".quarantined tbody tr")).to_have_count(91)

    # 20 amended by one formula, tried first; by keyboard
    mark(page, 20)
    press(page, "d")
    tab_to(page, "one value")
    press(page, "ArrowRight")
    tab_to(page, "Formula over the columns of each record")
    page.keyboard.type("replace(ph, ',', '.')")
    tab_to(page, "Try it")
    press(page, "Enter")
    expect(page.get_by_role("status").filter(has_text="Of 20 records 20 would be ready")).to_be_visible()
    assert faults(page) == []
    press(page, "Shift+Tab", "Shift+Tab", "Enter")
    standings(page, "86 waiting", "100 settled by a later delivery", "5 came again, waiting there")
    # 10 accepted until a day, 3 discarded; by mouse
    mark(page, 10)
    page.get_by_text("Accept as exception").click()
    page.get_by_label("Why").fill("Known event")
    page.get_by_label("Until").fill((date.today() + timedelta(days=30)).isoformat())
    page.get_by_role("button", name="Accept 10").click()
    standings(page, "76 waiting", "100 settled by a later delivery", "5 came again, waiting there")
    mark(page, 3)
    page.get_by_text("Discard", exact=True).click()
    page.get_by_label("Why").fill("Test record")
    page.get_by_role("button", name="Discard 3").click()
    standings(page, "73 waiting", "100 settled by a later delivery", "5 came again, waiting there")
    # one decision undone, as a whole
    page.get_by_role("button", name="Undo: 3 records discarded").click()
    standings(page, "76 waiting", "100 settled by a later delivery", "5 came again, waiting there")

    # 40 returned to the supplier, whose stand-in fills in 30 of them; looked at, and applied
    mark(page, 40)
    page.get_by_text("Return to supplier", exact=True).click()
    page.get_by_role("button", name="Return 40").click()
    expect(page.locator(".reasons")).to_contain_text("with the supplier")
    with page.expect_download() as download:
        page.get_by_role("link", name="File for the supplier, CSV").click()
    with Path(download.value.path()).open() as file:
        sent = list(csv.DictReader(file))
    assert len(sent) == 40
    answered(page, drop_folder / "monthly-stock", {row["id"]: row | {"ph": "7.4"} for row in sent[:30]})
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_role("status").filter(has_text="30 records filled in: 30 would be ready")).to_be_visible()
    assert faults(page) == []
    page.get_by_role("button", name="Amend 30 as the supplier wrote").click()
    standings(page, "46 waiting", "100 settled by a later delivery", "5 came again, waiting there")

    # all about one record, by a key
    press(page, "o")
    page.get_by_role("heading", name=re.compile("^Record ")).first.wait_for()
    expect(page.locator(".line")).to_contain_text("7,4")
    assert faults(page) == []
    page.go_back()
    publish(page, 4000 - sum(map(is_wrong, first)) + 60)
    page.goto("/releases")
    expect(page.locator("tbody tr", has_text="Monthly stock")).to_have_count(3)  # other tests release other feeds
    page.goto("/quarantine")
    lines = page.locator("tbody tr", has_text="Monthly stock")
    expect(lines.nth(0)).to_contain_text(re.compile("delivery 1.*46"))  # what waits the longest is first
    expect(lines.nth(1)).to_contain_text("delivery 2")
    # the feed's view shows the newest delivery still
    assert reader("SELECT count(*) FROM released.monthly_stock") == [(400,)]


def test_all_that_fit_wait_for_one_run(sign_in: SignIn, tmp_path: Path) -> None:
    rows: list[Row] = [(f"R-{n}", "" if n % 3 else "A", "7,5" if n % 2 else "7.5") for n in range(1, 301)]
    page = sign_in("tessen")
    take_in(page, "One run", write(tmp_path / "rows.txt", rows))
    page.get_by_role("link", name="Rules").click()
    add_rule(page, "read as number", "ph", {})
    add_rule(page, "is filled", "site", {})
    run(page)
    press(page, "4")
    expect(page.locator(".total")).to_have_text("250 records")
    page.get_by_role("link", name=re.compile("site is missing")).click()
    expect(page.locator(".total")).to_have_text("200 records")
    press(page, "a")
    expect(page.locator("aside h2")).to_have_text("All 200 that fit")
    expect(page.get_by_label("Column")).to_have_value("site")
    page.get_by_role("textbox", name="Value").fill("Z")
    page.get_by_role("button", name="Apply later").click()
    expect(page.locator(".pending")).to_contain_text("1 decision not applied yet")
    page.get_by_role("link", name=re.compile("ph could not be read")).click()
    page.get_by_label("Search in the quarantined records").fill("R-299")
    press(page, "Enter")
    expect(page.locator(".total")).to_have_text("1 record")
    page.get_by_label("ph", exact=True).fill("7.5")
    page.get_by_role("button", name="Apply later").first.click()
    expect(page.locator(".pending")).to_contain_text("2 decisions not applied yet")
    page.get_by_role("button", name="Apply now").click()
    expect(page.get_by_role("link", name=re.compile("^Quarantine 149"))).to_be_visible()
    expect(page.locator(".pending")).to_have_count(0)


def test_the_same_by_keyboard_alone(
    sign_in: SignIn, reader: Callable[[str], list[Any]], tmp_path: Path, drop_folder: Path
) -> None:
    """From the file to the follow-up release without a mouse; the numbers are reckoned from the files."""
    first, second = months(31)
    ready = 4000 - sum(map(is_wrong, first))
    later = ("100 settled by a later delivery", "5 came again, waiting there")
    page = sign_in("tessen")
    take_in_by_keyboard(page, write(tmp_path / "january.txt", first), "Keys only", "4,000")
    one = page.url.rsplit("/", 1)[0]
    press(page, "3")
    page.get_by_role("region", name="Rulebook").wait_for()
    add_rule_by_keyboard(page, "read as number", "ph")
    add_rule_by_keyboard(page, "is filled", "site")
    run_by_keyboard(page)
    leave(page)
    press(page, "4")
    expect(page.locator(".total")).to_have_text(f"{4000 - ready} records")
    enter(page, "Agree a key")
    page.get_by_role("button", name="id", exact=True).wait_for()
    enter(page, "id")
    enter(page, "Agree")
    expect(page.locator("div.key")).to_contain_text("Key id")
    publish_by_keyboard(page, ready)

    page.goto("/feeds/keys-only")
    page.get_by_role("button", name="Add delivery").wait_for()
    take_in_by_keyboard(page, write(tmp_path / "february.txt", second), "", "405")
    run_by_keyboard(page)
    leave(page)
    press(page, "4")
    expect(page.locator(".total")).to_have_text("5 records")
    publish_by_keyboard(page, 400)
    page.goto(f"{one}/quarantine")
    standings(page, "106 waiting", *later)
    enter(page, "settled by a later delivery")
    expect(page.locator(".quarantined tbody").first).to_contain_text("of delivery 2")
    press(page, "Shift+Tab", "Enter")
    expect(page.get_by_role("button", name="106 waiting")).to_have_attribute("aria-pressed", "true")
    enter(page, "ph could not be read")
    expect(page.locator(".quarantined tbody tr")).to_have_count(91)
    leave(page)

    # 20 amended by one formula, 10 accepted until a day and for their keys, 3 discarded, which is undone
    mark(page, 20)
    press(page, "d")
    tab_to(page, "one value")
    press(page, "ArrowRight")
    tab_to(page, "Formula over the columns of each record")
    page.keyboard.type("replace(ph, ',', '.')")
    enter(page, "Try it")
    expect(page.get_by_role("status").filter(has_text="Of 20 records 20 would be ready")).to_be_visible()
    press(page, "Shift+Tab", "Shift+Tab", "Enter")
    standings(page, "86 waiting", *later)
    leave(page)
    mark(page, 10)
    press(page, "d", "ArrowRight")
    tab_to(page, "Why")
    page.keyboard.type("Known event")
    tab_to(page, "Until")
    page.keyboard.type((date.today() + timedelta(days=30)).strftime("%m%d%Y"))
    tab_to(page, "also in later deliveries")
    press(page, "Space")
    enter(page, "Accept 10")
    standings(page, "76 waiting", *later)
    expect(page.get_by_text("until " + (date.today() + timedelta(days=30)).isoformat())).to_be_visible()
    leave(page)
    mark(page, 3)
    press(page, "d", "ArrowRight", "ArrowRight")
    tab_to(page, "Why")
    page.keyboard.type("Test record")
    enter(page, "Discard 3")
    standings(page, "73 waiting", *later)
    enter(page, "Undo: 3 records discarded")
    standings(page, "76 waiting", *later)
    leave(page)

    # 40 go back to the supplier, who knows 30 of them
    mark(page, 40)
    press(page, "d", "ArrowRight", "ArrowRight", "ArrowRight", "ArrowRight")
    enter(page, "Return 40")
    expect(page.locator(".reasons")).to_contain_text("with the supplier")
    sent = list(csv.DictReader(download(page, "File for the supplier, CSV").decode().splitlines()))
    assert len(sent) == 40
    answered(page, drop_folder / "keys-only", {row["id"]: row | {"ph": "7.4"} for row in sent[:30]})
    enter(page, "Look at it")
    expect(page.get_by_role("status").filter(has_text="30 records filled in: 30 would be ready")).to_be_visible()
    enter(page, "Amend 30 as the supplier wrote")
    standings(page, "46 waiting", *later)
    assert faults(page) == []
    publish_by_keyboard(page, ready + 60)
    assert reader("SELECT count(*) FROM released.keys_only") == [(400,)]  # of the newest delivery still


def publish_by_keyboard(page: Page, records: int) -> None:
    leave(page)
    press(page, "5")
    enter(page, f"Publish {records:,} records")
    expect(page.get_by_role("heading", name="is published")).to_be_visible()
    leave(page)


def leave(page: Page) -> None:
    """Leave the control that has the focus, as Escape does at the latest in the address bar; keys of the place work again."""
    page.evaluate("() => document.activeElement.blur()")
