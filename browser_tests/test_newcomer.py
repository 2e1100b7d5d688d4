"""The first ten minutes of somebody new, without a mouse: a file of their own, conversions, a table to join, a column by example,
rules shared with other feeds, a run.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, expect
from test_journeys import faults, press, tab_to

from conftest import choose_column

SignIn = Callable[[str], Page]
TOWNS = ["Alder", "Weir", "Merrow"]
NAMES = ["Ann Moss", "Bo Reed", "Cy Marsh", "Di Heath", "Ed Fenn", "Flo Brook"]


def orders(folder: Path) -> tuple[Path, Path]:
    """Orders of a shop as its till writes them, with a few mistakes, and the table of its towns."""
    lines = ["order;customer;town;ordered;amount;pieces"]
    for at in range(1, 241):
        day = "31.02.2024" if at == 77 else f"{1 + at % 28:02}.{1 + at % 12:02}.2024"
        amount = "n/a" if at % 60 == 0 else f"€ {at % 9},{at % 10}0"
        lines.append(f"A-{at:04};{NAMES[at % 6]};t{1 + at % 4};{day};{amount};{at % 7}")
    towns = ["code,name", *(f"t{at},{town}" for at, town in enumerate(TOWNS, start=1))]
    (folder / "orders.csv").write_text("\n".join(lines) + "\n", encoding="utf-8")
    (folder / "towns.csv").write_text("\n".join(towns) + "\n", encoding="utf-8")
    return folder / "orders.csv", folder / "towns.csv"


def go_to(page: Page, words: str) -> None:
    """The box that goes anywhere, by its key."""
    page.keyboard.press("/")
    page.locator("dialog input, [role=dialog] input").first.wait_for()
    page.keyboard.type(words)
    press(page, "Enter")


def add_rule(page: Page, words: str) -> None:
    """A new rule by what it should do."""
    press(page, "n")
    page.get_by_label("What should it do?").wait_for()
    page.keyboard.type(words)
    page.locator(".editor button.on").wait_for()  # looking before Enter as a person does
    press(page, "Enter")
    expect(page.locator(".editor form :focus")).to_have_count(
        1
    )  # a new form takes the focus a moment after it is drawn


def save_rule(page: Page, count: int) -> None:
    expect(page.locator(".editor form :focus")).to_have_count(1)
    press(page, "Control+Enter")
    expect(page.locator(".rule")).to_have_count(count)
    expect(page.locator('.rule[aria-pressed="true"]')).to_have_count(1)


def pick(page: Page, label: str, option: str) -> None:
    """An option of a plain list, typed as a person types it."""
    tab_to(page, label)
    expect(page.locator(":focus option", has_text=option).first).to_be_attached()  # what it offers may come later
    page.keyboard.type(option)
    chosen = page.evaluate("() => document.activeElement.selectedOptions?.[0]?.text ?? ''")
    assert chosen.startswith(option), (label, option, chosen)


def test_the_first_ten_minutes_without_a_mouse(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("tessen")
    file, towns = orders(tmp_path)

    # a file of one's own
    tab_to(page, "New feed")
    press(page, "Enter")
    tab_to(page, "Name")
    page.keyboard.type("Shop orders")
    press(page, "Enter")
    page.get_by_label("Drop files here").set_input_files(file)  # the file dialog is the system's
    tab_to(page, "Add 1 file")
    press(page, "Enter")
    page.get_by_role("heading", name="What it becomes 240 records").wait_for()
    delivery = page.url

    # a table of towns for all feeds
    go_to(page, "library")
    page.get_by_role("button", name="New reference table").wait_for()
    tab_to(page, "New reference table")
    press(page, "Enter")
    tab_to(page, "Name")
    page.keyboard.type("Towns")
    page.get_by_label("File").set_input_files(towns)
    tab_to(page, "Save")
    press(page, "Enter")
    page.get_by_role("button", name=re.compile("Towns")).wait_for()

    # three conversions
    page.goto(re.sub(r"/intake.*", "/rules", delivery))
    page.get_by_text("No rules yet").wait_for()
    page.locator(".editor").focus()
    add_rule(page, "convert to number amount")
    pick(page, "Decimal mark", "comma")
    tab_to(page, "Units and currencies")
    page.keyboard.type("€")
    press(page, "Enter", "Escape")
    expect(page.get_by_role("region", name="Effect")).to_contain_text("All but 4 values read")
    save_rule(page, 1)
    page.locator(".editor").focus()
    add_rule(page, "convert to date ordered")
    tab_to(page, "Formats, in order")
    page.keyboard.type("%d.%m.%Y")
    press(page, "Enter", "Escape")
    expect(page.get_by_role("region", name="Effect")).to_contain_text("All but 1 value read")
    save_rule(page, 2)
    page.locator(".editor").focus()
    add_rule(page, "convert to number pieces")
    tab_to(page, "Whole numbers only")
    press(page, "Space")
    expect(page.get_by_role("region", name="Effect")).to_contain_text("All values read, as they are written")
    save_rule(page, 3)

    # the name of the town
    page.locator(".editor").focus()
    add_rule(page, "join columns")
    pick(page, "In the table", "Towns")
    tab_to(page, "Add a row: Where columns match")
    press(page, "Enter")
    pick(page, "Column 1", "town")
    pick(page, "Is its column 1", "code")
    tab_to(page, "Columns to add")
    choose_column(page, "name")
    pick(page, "Records without a match", "are quarantined")
    expect(page.get_by_role("region", name="Effect")).to_contain_text("60 without a match")
    save_rule(page, 4)
    assert faults(page) == []

    # the family name, by example
    page.locator(".editor").focus()
    press(page, "e")
    tab_to(page, "example-columns")
    choose_column(page, "customer")
    rows = page.get_by_role("table", name="Examples").locator("tbody tr")
    for at in range(2):
        name = rows.nth(at).locator("td").nth(1).inner_text()
        tab_to(page, f"Wanted for record {rows.nth(at).locator('td').first.inner_text().replace(',', '')}")
        page.keyboard.type(name.split()[-1])
    expect(page.get_by_role("table", name="Results")).to_contain_text("Heath")
    tab_to(page, "Add rule")
    press(page, "Enter")
    page.get_by_role("heading", name="New rule: Compute by a formula").wait_for()
    save_rule(page, 5)

    # rules shared with other feeds: the feed they come from is what they are for
    go_to(page, "library")
    tab_to(page, "New group of rules")
    press(page, "Enter")
    tab_to(page, "Name")
    page.keyboard.type("Tills")
    pick(page, "Copy rules from", "Shop orders")
    tab_to(page, "Convert pieces")
    press(page, "Enter")
    expect(page.locator("#shared-feeds")).to_have_value("shop-orders")
    expect(page.locator("#shared-fits")).to_have_text("Fits 1 feed: Shop orders.")
    tab_to(page, "Save")
    press(page, "Enter")
    page.get_by_role("button", name=re.compile("Tills")).wait_for()

    # run
    page.goto(re.sub(r"/intake.*", "/rules", delivery))
    page.get_by_text("Shared: Tills").wait_for()
    tab_to(page, "Run")
    press(page, "Enter")
    expect(page.locator(".title")).to_contain_text("run of revision")
    expect(page.locator(".title .busy")).to_have_count(0)
    # 60 of an unknown town, 4 others without an amount, 1 of a day that no calendar has
    expect(page.get_by_role("link", name=re.compile(r"Quarantine\s+65"))).to_be_visible()
    assert faults(page) == []
