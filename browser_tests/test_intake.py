"""Intake in a real browser: two layouts combined, a detection overridden, a line repaired, totals that shut the gate."""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from pathlib import Path

import xlsxwriter
from playwright.sync_api import Page, expect
from test_journeys import faults

SignIn = Callable[[str], Page]
NORTH = [
    "Probe;Stoff;Messwert;Labor",
    *(f"WQ-{n:03d};{('Nitrat', 'Phosphat')[n % 2]};{n % 9},{n % 10}5;Nord-Süd" for n in range(1, 41)),
    "WQ-041;Nitrat;1,5;Nord;Süd",
    "Summe;;199,00;",
]
HEADS = ["sample", "substance", "value", "laboratory", "remark"]


def new_feed(page: Page, name: str, files: list[Path]) -> None:
    page.get_by_role("button", name="New feed").click()
    page.get_by_label("Name", exact=True).fill(name)
    page.get_by_role("button", name="Create feed").click()
    page.get_by_label("Drop files here").set_input_files(files)
    page.get_by_role("button", name=f"Add {len(files)} file").click()


def workbook(path: Path) -> Path:
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet("March")
    sheet.write(0, 0, "Lab Harbour, March")
    sheet.write_row(2, 0, HEADS)
    for n in range(30):
        sheet.write_row(n + 3, 0, [f"WQ-{100 + n}", ("Nitrat", "Phosphat")[n % 2], n % 9 + 0.45, "Harbour", "-"])
    book.close()
    return path


def read_again(page: Page) -> None:
    """Wait until the delivery that is being read again is read."""
    expect(page.locator(".title .busy")).to_have_count(0)
    expect(page.locator(".title")).to_contain_text("not run yet")


def test_two_layouts_become_one_table_that_is_released_when_its_totals_agree(sign_in: SignIn, tmp_path: Path) -> None:
    north = tmp_path / "north-03.csv"
    north.write_bytes("\r\n".join(NORTH).encode("latin-1"))
    page = sign_in("tessen")
    new_feed(page, "Two laboratories", [workbook(tmp_path / "harbour-03.xlsx"), north])
    sources = page.get_by_role("navigation", name="Sources and what they become")
    sources.get_by_role("link", name="harbour-03.xlsx 30 records").wait_for()
    grid = page.get_by_role("table", name="The beginning as it is")
    expect(grid.get_by_role("row", name="3 header sample substance")).to_be_visible()
    expect(grid.get_by_role("row", name="1 before header Lab Harbour, March")).to_be_visible()

    # the file is what it says, but for its last line: a word for a sum that is not known
    sources.get_by_role("link", name="north-03.csv 41 records").click()
    expect(page.get_by_text("semicolon: 42 of 43 records looked at have 4 fields")).to_be_visible()
    expect(page.get_by_label("Encoding")).to_have_attribute("placeholder", "cp1252")
    expect(page.locator(".raw")).to_contain_text("Nord-Süd←↵")
    page.get_by_role("button", name="All settings").click()
    page.get_by_label("Totals at the end").select_option("yes")
    expect(page.locator(".raw li.totals")).to_contain_text("Summe")
    page.get_by_role("button", name="Read with these settings").click()
    sources.get_by_role("link", name="north-03.csv 40 records").wait_for()
    read_again(page)

    # columns named otherwise: what is proposed is right but for one, which is chosen by hand
    sources.get_by_role("link", name=re.compile("One table")).click()
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("design changes are not settled")
    for name, column in (("Probe", "sample"), ("Stoff", "substance"), ("Messwert", "value"), ("Labor", "laboratory")):
        page.get_by_label(f"How {name} is settled").select_option("it is the column")
        page.get_by_label(f"Which column {name} is").select_option(column)
    row = page.get_by_role("row", name=re.compile("^Probe"))
    row.get_by_role("button", name="Settle", exact=True).click()
    expect(page.get_by_label("How Probe is settled")).to_have_count(0)
    read_again(page)
    for name, column in (("Stoff", "substance"), ("Messwert", "value"), ("Labor", "laboratory")):
        page.get_by_label(f"How {name} is settled").select_option("it is the column")
        page.get_by_label(f"Which column {name} is").select_option(column)
    page.get_by_role("button", name=re.compile("^Settle all")).click()
    expect(page.get_by_text("all are settled")).to_be_visible()
    expect(page.get_by_label("What north-03.csv puts in value")).to_have_value("Messwert")
    expect(sources.get_by_role("link", name="Columns 5")).to_be_visible()
    read_again(page)
    assert faults(page) == []

    sources.get_by_role("link", name="Rejected lines 1").click()
    page.get_by_role("button", name="Repair").click()
    text = page.get_by_label("What was meant, as one record")
    expect(page.get_by_text("Still no record: the line has 5 fields, the table has 4")).to_be_visible()
    text.fill("WQ-041;Nitrat;1,5;Nord-Süd")
    assert faults(page) == []
    page.get_by_role("button", name="Save repaired line").click()
    expect(page.get_by_role("heading", name="Repaired by hand")).to_be_visible()
    expect(page.locator(".sum")).to_contain_text(re.compile("71 delivered =\\s*71"))
    read_again(page)

    sources.get_by_role("link", name=re.compile("Control totals")).click()
    wrong = page.get_by_role("row", name=re.compile("sum of value in north-03.csv 199 "))
    expect(wrong).to_contain_text("differs: the release gate is not met")
    loaded = wrong.get_by_role("cell").nth(2).inner_text()
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.locator(".title")).to_contain_text("run of revision")
    page.get_by_role("link", name=re.compile("^Release (gates|[0-9])")).click()
    expect(page.get_by_text(f"199 stated, {loaded} loaded")).to_be_visible()
    publish = page.get_by_role("button", name=re.compile("^Publish"))
    expect(publish.or_(page.get_by_text("gate is shut")).first).to_be_visible()
    assert not publish.count() or publish.is_disabled()

    page.get_by_role("link", name="Intake").click()
    sources.get_by_role("link", name=re.compile("Control totals")).click()
    page.get_by_label("Records", exact=True).fill("71")
    page.get_by_role("button", name="Compare with these").click()
    expect(page.get_by_role("row", name=re.compile("records 71 71 0 agrees"))).to_be_visible()
    assert faults(page) == []
    page.get_by_role("link", name=re.compile("^Release (gates|[0-9])")).click()
    page.get_by_role("button", name="Publish 71 records").click()
    page.get_by_role("heading", name="Release 1 is published").wait_for()


def test_borders_of_fixed_width_columns_are_moved_and_the_feed_remembers(sign_in: SignIn, tmp_path: Path) -> None:
    lines = ["site  temp  note"] + [f"{n:04d}  {n % 30 / 10:4.1f}  clear water {n}" for n in range(1, 30)]
    path = tmp_path / "gauge-01.txt"
    path.write_text("\n".join(lines) + "\n")
    page = sign_in("marlo")
    new_feed(page, "Fixed", [path])
    page.get_by_role("heading", name="What it becomes 29 records").wait_for()
    border = page.get_by_role("button", name=re.compile("^Border before character 7"))
    border.focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("button", name=re.compile("^Border before character 8"))).to_be_visible()
    expect(page.get_by_role("button", name="Read with these settings")).to_be_visible()
    assert faults(page) == []
    page.get_by_role("button", name="Discard changes").click()
    page.get_by_role("link", name=re.compile("^Columns")).click()
    page.get_by_label("Type of site").select_option("text")
    page.get_by_label("Texts for missing in note").fill("n/a, -")
    page.get_by_label("Texts for missing in note").press("Tab")
    page.get_by_role("button", name="Save for the feed").click()
    page.get_by_role("button", name="Create rules from these").click()
    expect(page.get_by_text("1 rules from the columns as described")).to_be_visible()
    assert faults(page) == []
    page.goto("/feeds/fixed")
    expect(page.get_by_text("/fixed is checked every")).to_be_visible()
    page.get_by_label("A token for").fill("nightly")
    page.get_by_role("button", name="Create token").click()
    expect(page.get_by_text("The token, shown only once: pravin-")).to_be_visible()
    assert faults(page) == []
    page.get_by_role("button", name="Add delivery").click()
    page.get_by_label("Drop files here").set_input_files(path)
    page.get_by_role("button", name="Add 1 file").click()
    expect(page.get_by_role("alert")).to_contain_text("The same bytes were delivered before: delivery 1")


def test_what_a_supplier_drops_arrives_by_itself(sign_in: SignIn, drop_folder: Path) -> None:
    page = sign_in("marlo")
    page.get_by_role("button", name="New feed").click()
    page.get_by_label("Name", exact=True).fill("Dropped")
    page.get_by_role("button", name="Create feed").click()
    page.get_by_text("Add a delivery to Dropped").wait_for()
    page.goto("/feeds/dropped")
    page.get_by_text("/dropped is checked every").wait_for()
    part = drop_folder / "dropped" / "march.csv.part"
    part.write_text("a,b\n1,2\n")
    time.sleep(1)
    part.rename(part.with_name("march.csv"))
    expect(page.get_by_role("link", name="1", exact=True)).to_be_visible()
    page.get_by_role("link", name="1", exact=True).click()
    page.get_by_role("heading", name="What it becomes 1 record").wait_for()
