"""Months that add up to one table: published, compared by key, corrected, withdrawn, as a person does it."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, expect
from test_journeys import add_rule, faults, take_in
from test_quarantine import publish, run

SignIn = Callable[[str], Page]
COLUMNS = "meter|litres|remark"


def write(path: Path, rows: list[tuple[str, str, str]]) -> Path:
    path.write_text("\n".join([COLUMNS, *("|".join(row) for row in rows)]) + "\n")
    return path


def deliver(page: Page, file: Path, records: int) -> None:
    page.goto("/feeds/meter-readings")
    page.get_by_role("button", name="Add delivery").click()
    page.get_by_label("Drop files here").set_input_files(file)
    page.get_by_role("button", name="Add 1 file").click()
    page.get_by_role("heading", name=re.compile(f"What it becomes {records} records")).wait_for()


def choose_way(page: Page, label: str) -> None:
    page.goto("/feeds/meter-readings/released")
    page.get_by_role("radio", name=label).check()
    page.get_by_role("button", name="Change what readers see").click()
    expect(page.get_by_role("button", name="Change what readers see")).to_have_count(0)


def test_months_that_add_up(sign_in: SignIn, reader: Callable[[str], list[Any]], tmp_path: Path) -> None:
    first = [(f"M-{n:03}", str(100 + n), "") for n in range(200)]
    second = [(f"M-{n:03}", str(100 + n + (n % 10 == 0)), "checked" if n % 25 == 0 else "") for n in range(150, 260)]
    changed = [row for row in second if row[0] < "M-200" and row not in first]
    page = sign_in("tessen")
    take_in(page, "Meter readings", write(tmp_path / "january.txt", first))
    page.get_by_role("link", name="Rules").click()
    add_rule(page, "read as number", "litres", {})
    run(page)
    page.get_by_role("link", name=re.compile("^Quarantine 0")).click()
    page.get_by_role("button", name="Agree a key").click()
    page.get_by_role("button", name="meter", exact=True).click()
    page.get_by_role("button", name="Agree", exact=True).click()
    expect(page.locator("div.key")).to_contain_text("Key meter")
    publish(page, 200)
    choose_way(page, "A delivery adds to the table")

    deliver(page, write(tmp_path / "february.txt", second), 110)
    run(page)
    page.get_by_role("link", name=re.compile("^Release (gates|1 gate|published)")).click()
    told = page.locator(".records")
    expect(told).to_contain_text(f"{len(changed)} changed, 60 added, 150 gone, {50 - len(changed)} the same")
    told.get_by_role("link", name="changed").click()
    expect(page.locator("tbody tr")).to_have_count(len(changed))
    expect(page.locator("tbody tr", has_text="M-150")).to_contain_text("litres 250 → 251")
    expect(page.locator("tbody tr", has_text="M-175")).to_contain_text("remark missing → checked")
    page.get_by_role("button", name=re.compile("^remark")).click()
    expect(page.locator("tbody tr")).to_have_count(sum(row[2] != "" for row in changed))
    assert faults(page) == []
    page.go_back()
    page.get_by_role("link", name=re.compile("^Release (gates|1 gate|published)")).click()
    publish(page, 110)

    count = "SELECT count(*), count(DISTINCT meter), sum(litres)::int FROM released.meter_readings"
    litres = [sum(int(row[1]) for row in month) for month in (first, second)]
    assert reader(count) == [(310, 260, sum(litres))]
    choose_way(page, "A delivery adds, and the newest record of a key stands")
    expect(page.locator("tbody tr").nth(1)).to_contain_text("150")
    expect(page.get_by_text("260 records of 2 deliveries")).to_be_visible()
    assert faults(page) == []
    newest = {row[0]: int(row[1]) for row in [*first, *second]}
    assert reader(count) == [(260, 260, sum(newest.values()))]
    assert reader("SELECT pravin_delivery, count(*) FROM released.meter_readings GROUP BY 1 ORDER BY 1") == [
        (1, 150),
        (2, 110),
    ]

    page.get_by_role("button", name="Withdraw").first.click()
    expect(page.get_by_role("dialog")).to_contain_text("shows 260 records now and 200 afterwards")
    page.get_by_label("Why").fill("read from the wrong meters")
    page.get_by_role("button", name="Withdraw release 2").click()
    expect(page.get_by_text("200 records of one delivery")).to_be_visible()
    assert reader(count) == [(200, 200, litres[0])]
    page.get_by_role("button", name="Withdraw").first.click()
    expect(page.get_by_role("dialog")).to_contain_text("The view released.meter_readings ends")
    page.get_by_label("Why").fill("all of them")
    page.get_by_role("checkbox", name="The view may end").check()
    page.get_by_role("button", name="Withdraw release 1").click()
    expect(page.get_by_text("Nothing is released, so readers find no view")).to_be_visible()
