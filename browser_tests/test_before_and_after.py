"""The profile before and after the rules in a real browser: what is not of its type, dates by day, split and merge, compare."""

from __future__ import annotations

import re
from datetime import date, datetime, timedelta
from pathlib import Path

import xlsxwriter
from playwright.sync_api import Locator, Page, expect
from test_journeys import SignIn, choose_rule, faults, take_in

KINDS = ("reeds; ducks", "reeds; Ducks", "ducks; mud", "mud", "Reeds; mud")
WORDS = ("acid", "see note", "low", "2024-03-0x")
FIRST = date(2024, 3, 4)  # a Monday


def write(folder: Path) -> Path:
    """600 records: 44 words among numbers, 24 Sundays, 10 dates in the future, kinds as lists in cells."""
    rows = []
    for n in range(600):
        day = FIRST + timedelta(days=n % 5 + 7 * (n % 12))
        if n % 25 == 7:
            day = FIRST + timedelta(days=6)
        if n % 60 == 11:
            day = date(2031, 5, 5)  # a Monday, too
        depth = WORDS[n % 4] if n % 14 == 1 else f"{7 + n % 30 / 10:.1f}"
        rows.append(f"W-{n:04d},{day},{depth},{KINDS[n % 5]}")
    rows[0] = rows[0].replace(",7.0,", ",deep,")
    path = folder / "weirs.csv"
    path.write_text("id,day,depth,seen\n" + "\n".join(rows) + "\n")
    return path


def counted(page: Page, name: str) -> int:
    """How many records the panel says it shows, behind a door that says a count."""
    link = page.get_by_role("complementary").get_by_role("link", name=re.compile(name)).first
    result = int(re.sub(r"\D", "", (link.get_attribute("aria-label") or link.inner_text()).rsplit(":", 1)[-1]))
    link.click()
    expect(page.get_by_role("region", name="Records")).to_contain_text(f"{result} record")
    page.keyboard.press("Escape")
    return result


def views_of(page: Page) -> Locator:
    return page.get_by_role("navigation", name="Views of the profile")


def accept_and_run(page: Page, finding: str, records: int) -> None:
    """Open the records of a finding, accept its proposal, and run the rulebook."""
    views_of(page).get_by_role("link", name=re.compile("^Findings")).click()
    page.get_by_role("button", name=re.compile(f"^{finding}")).click()
    page.get_by_role("complementary").get_by_role("link", name=f"Open the {records} records").click()
    expect(page.get_by_role("region", name="Records")).to_contain_text(f"{records} records")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Accept").click()
    run(page)


def run(page: Page) -> None:
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.locator(".title")).to_contain_text("run of revision")


def test_what_is_no_number_is_found_opened_and_held_back(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("marlo")
    take_in(page, "Misfits", write(tmp_path))
    page.keyboard.press("2")
    accept_and_run(page, "44 cells are not a number", 44)
    expect(page.get_by_role("img", name=re.compile("44 quarantined"))).to_be_visible()


def test_each_day_of_the_week_and_the_future_open_what_they_count(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("marlo")
    take_in(page, "Days", write(tmp_path))
    page.keyboard.press("2")
    page.get_by_role("button", name="day", exact=True).click()
    page.get_by_role("heading", name="day", exact=True).wait_for()
    assert counted(page, "^Sun: ") == 24
    assert counted(page, "^May: ") > 0
    future = page.locator("dt", has_text="in the future").locator("+ dd").get_by_role("link")
    expect(future).to_have_text("10")
    future.click()
    expect(page.get_by_role("region", name="Records")).to_contain_text("10 records")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="depth", exact=True).click()
    bars = page.get_by_role("group", name=re.compile("^Histogram of numbers"))
    bars.get_by_role("link").nth(3).click()
    page.get_by_role("region", name="Records").wait_for()
    page.keyboard.press("Escape")
    assert faults(page) == []


def test_lists_are_split_their_spellings_merged_and_compared_before_and_after(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("marlo")
    take_in(page, "Lists", write(tmp_path))
    delivery = re.search(r"deliveries/(\d+)", page.url)[1]  # type: ignore[index]
    page.goto(f"/deliveries/{delivery}/rules")
    choose_rule(page, "break cells")
    page.get_by_label("Column", exact=True).select_option("seen")
    page.get_by_label("Mark between items").fill(";")
    page.get_by_role("button", name="Save rule").click()
    expect(page.locator(".rule")).to_have_count(1)
    page.goto(f"/deliveries/{delivery}/profile?column=seen")
    page.get_by_label("Table").select_option(index=1)
    expect(page.get_by_label("Table").locator("option").nth(1)).to_contain_text("after rule 1: Split seen")
    page.get_by_text("as the rules leave them").wait_for()
    assert "after=" in page.url
    values = page.get_by_role("complementary")
    expect(values.get_by_role("row", name=re.compile(r"^reeds 240"))).to_be_visible()
    page.get_by_role("link", name="Variants").click()
    page.get_by_label("Spellings in").select_option("seen")
    page.get_by_role("checkbox", name=re.compile(r"^all 2 group")).check()
    page.get_by_role("button", name=re.compile("^Make a code list of")).click()
    page.get_by_text("The code list is a rule now").wait_for()
    assert faults(page) == []

    page.get_by_label("Table").select_option("end")
    page.get_by_role("link", name=re.compile("^Columns")).click()
    expect(page.get_by_role("complementary").get_by_role("row", name=re.compile("^reeds 360"))).to_be_visible()
    page.get_by_role("link", name="Compare").click()
    expect(page.get_by_role("region", name="Compare")).to_contain_text("after rule 2")
    first = page.get_by_role("table").first.locator("tbody tr").first
    expect(first).to_contain_text("seen")
    page.reload()  # the address carries it
    expect(page.get_by_role("region", name="Compare")).to_contain_text("after rule 2")
    page.get_by_label("Table").select_option("")
    page.get_by_role("link", name=re.compile("^Columns")).click()
    expect(page.get_by_role("complementary").get_by_role("row", name=re.compile("^reeds; ducks 120"))).to_be_visible()
    assert faults(page) == []


def test_split_cells_are_joined_again(sign_in: SignIn, tmp_path: Path) -> None:
    """Found by the word a database person would use, with what stands in the form already; the lists are what they were."""
    page = sign_in("marlo")
    take_in(page, "Joined", write(tmp_path))
    delivery = re.search(r"deliveries/(\d+)", page.url)[1]  # type: ignore[index]
    page.goto(f"/deliveries/{delivery}/rules")
    titles = {"explode": "Split cells into records", "string_agg": "Join records into lists"}
    for number, (words, title) in enumerate(titles.items(), start=1):
        choose_rule(page, words)
        expect(page.get_by_role("heading", name=title)).to_be_visible()
        page.get_by_label("Column", exact=True).select_option("seen")
        page.get_by_label("Mark between items").fill("; ")
        page.get_by_role("button", name="Save rule").click()
        expect(page.locator(".rule")).to_have_count(number)
    run(page)
    page.goto(f"/deliveries/{delivery}/profile?column=seen&after=end")
    values = page.get_by_role("complementary")
    for kind in KINDS:
        expect(values.get_by_role("row", name=re.compile(f"^{kind} 120"))).to_be_visible()
    assert faults(page) == []


RANGES = ("1-2", "3-5", "6-10", "8-12", "15-20", "21-30")


def half_damaged(path: Path) -> dict[str, int]:
    """A workbook whose spreadsheet read every other range that could be a day as one; how often each range was there."""
    book = xlsxwriter.Workbook(path)
    sheet, as_day = book.add_worksheet("Bands"), book.add_format({"num_format": "d-mmm"})
    sheet.write_row(0, 0, ["id", "band", "count"])
    for n in range(240):
        band = RANGES[n % 6]
        month, day = (int(part) for part in band.split("-"))
        sheet.write(n + 1, 0, f"B-{n:04d}")
        if day <= 12 and n // 6 % 2:
            sheet.write_datetime(n + 1, 1, datetime(2024, day, month), as_day)
        else:
            sheet.write(n + 1, 1, band)
        sheet.write(n + 1, 2, n % 17)
    book.close()
    return dict.fromkeys(RANGES, 40)


def test_ranges_of_a_workbook_half_of_them_turned_into_dates_are_restored(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("marlo")
    were = half_damaged(tmp_path / "bands.xlsx")
    take_in(page, "Bands", tmp_path / "bands.xlsx")
    page.keyboard.press("2")
    accept_and_run(page, "80 cells turned into dates", 80)
    views_of(page).get_by_role("link", name=re.compile("^Columns")).click()
    page.get_by_role("button", name="band", exact=True).click()
    page.get_by_label("Table").select_option("end")
    values = page.get_by_role("complementary")
    for band, count in were.items():
        expect(values.get_by_role("row", name=re.compile(f"^{band} {count}"))).to_be_visible()
    assert faults(page) == []
