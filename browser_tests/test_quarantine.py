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


def test_cases_from_one_delivery_to_the_next(
    sign_in: SignIn, reader: Callable[[str], list[Any]], tmp_path: Path
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
    tab_to(page, "one value for all")
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

    # 40 returned to the supplier; the file comes back with 30 of them filled in, is looked at, and applied
    mark(page, 40)
    page.get_by_text("Return to supplier", exact=True).click()
    page.get_by_role("button", name="Return 40").click()
    expect(page.locator(".reasons")).to_contain_text("with the supplier")
    with page.expect_download() as download:
        page.get_by_role("link", name="File for the supplier, CSV").click()
    with Path(download.value.path()).open() as file:
        sent = list(csv.DictReader(file))
    assert len(sent) == 40
    for row in sent[:30]:
        row["correct ph"] = row["ph"].replace(",", ".")
    with (tmp_path / "answer.csv").open("w") as out:
        writer = csv.DictWriter(out, list(sent[0]))
        writer.writeheader()
        writer.writerows(sent)
    page.get_by_label("What came back from the supplier").set_input_files(tmp_path / "answer.csv")
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
    expect(lines.nth(0)).to_contain_text("delivery 2")
    expect(lines.nth(1)).to_contain_text("46")
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
