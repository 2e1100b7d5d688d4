"""The analyst's weeks in Quarantine: cases from one delivery to the next, decided many at once, by mouse and by keyboard."""

from __future__ import annotations

import csv
import random
import re
from collections.abc import Callable
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, expect
from test_journeys import add_rule, faults, press, tab_to, take_in

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


def test_cases_from_one_delivery_to_the_next(
    sign_in: SignIn, reader: Callable[[str], list[Any]], tmp_path: Path, drop_folder: Path
) -> None:
    drawn = random.Random(29)
    first: list[Row] = [(f"R-{n:05}", "AB"[n % 2], f"{drawn.randint(50, 90) / 10}") for n in range(1, 4001)]
    bad = drawn.sample(range(4000), 211)
    for at in bad[:120]:
        first[at] = (first[at][0], "", first[at][2])
    for at in bad[120:]:
        first[at] = (first[at][0], first[at][1], "7,4")
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

    second: list[Row] = [(first[at][0], "C", "7.0") for at in bad[:100]]
    second += [(first[at][0], "", "7.0") for at in bad[100:105]]
    second += [(f"S-{n:05}", "D", "8.0") for n in range(300)]
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


def test_deciding_by_keyboard_alone(sign_in: SignIn, tmp_path: Path, drop_folder: Path) -> None:
    """From the place to the follow-up release without a mouse; the numbers are reckoned from the file."""
    rows: list[Row] = [(f"R-{n:03}", "" if n <= 30 else "A", "7,5" if 30 < n <= 60 else "7.5") for n in range(1, 401)]
    page = sign_in("tessen")
    take_in(page, "Keys only", write(tmp_path / "rows.txt", rows))
    page.get_by_role("link", name="Rules").click()
    add_rule(page, "read as number", "ph", {})
    add_rule(page, "is filled", "site", {})
    run(page)
    assert sum(map(is_wrong, rows)) == 60
    publish(page, 340)
    press(page, "4")
    expect(page.locator(".total")).to_have_text("60 records")
    tab_to(page, "Agree a key")
    press(page, "Enter")
    page.get_by_role("button", name="id", exact=True).wait_for()
    tab_to(page, "id")
    press(page, "Enter")
    tab_to(page, "Agree")
    press(page, "Enter")
    expect(page.locator("div.key")).to_contain_text("Key id")
    leave(page)

    # 10 with a value, 10 accepted until a day and for their keys, 3 discarded, which is undone
    mark(page, 10)
    press(page, "d")
    tab_to(page, "Value")
    page.keyboard.type("B")
    tab_to(page, "Try it")
    press(page, "Enter")
    expect(page.get_by_role("status").filter(has_text="Of 10 records 10 would be ready")).to_be_visible()
    press(page, "Shift+Tab", "Shift+Tab", "Enter")
    expect(page.locator(".total")).to_have_text("50 records")
    leave(page)
    mark(page, 10)
    press(page, "d", "ArrowRight")
    tab_to(page, "Why")
    page.keyboard.type("Known event")
    tab_to(page, "Until")
    page.keyboard.type((date.today() + timedelta(days=30)).strftime("%m%d%Y"))
    tab_to(page, "also in later deliveries")
    press(page, "Space")
    tab_to(page, "Accept 10")
    press(page, "Enter")
    expect(page.locator(".total")).to_have_text("40 records")
    expect(page.get_by_text("until " + (date.today() + timedelta(days=30)).isoformat())).to_be_visible()
    leave(page)
    mark(page, 3)
    press(page, "d", "ArrowRight", "ArrowRight")
    tab_to(page, "Why")
    page.keyboard.type("Test record")
    tab_to(page, "Discard 3")
    press(page, "Enter")
    expect(page.locator(".total")).to_have_text("37 records")
    tab_to(page, "Undo: 3 records discarded", most=200)
    press(page, "Enter")
    expect(page.locator(".total")).to_have_text("40 records")
    leave(page)

    # all that could not be read go back to the supplier, who knows half of them
    tab_to(page, "ph could not be read")
    press(page, "Enter")
    expect(page.locator(".total")).to_have_text("30 records")
    leave(page)
    press(page, "a", "d", "ArrowRight", "ArrowRight", "ArrowRight", "ArrowRight")
    tab_to(page, "Return 30")
    press(page, "Enter")
    answered(page, drop_folder / "keys-only", {row[0]: {"ph": "7.5"} for row in rows[30:45]})
    tab_to(page, "Look at it")
    press(page, "Enter")
    expect(page.get_by_role("status").filter(has_text="15 records filled in: 15 would be ready")).to_be_visible()
    tab_to(page, "Amend 15 as the supplier wrote")
    press(page, "Enter")
    expect(page.locator(".total")).to_have_text("15 records")
    assert faults(page) == []

    # the follow-up release
    leave(page)
    press(page, "5")
    tab_to(page, "Publish 375 records")
    press(page, "Enter")
    expect(page.get_by_role("heading", name="is published")).to_be_visible()
    expect(page.get_by_role("link", name=re.compile("^Quarantine 25"))).to_be_visible()


def leave(page: Page) -> None:
    """Leave the control that has the focus, as Escape does at the latest in the address bar; keys of the place work again."""
    page.evaluate("() => document.activeElement.blur()")
