"""The rulebook in a real browser: fifteen rules by keyboard alone, by example, undone and redone, exported and run."""

from __future__ import annotations

import json
import re
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, expect
from test_journeys import faults, press, tab_to

from conftest import choose_column
from demo.lab_results import write_harbour, write_north

SignIn = Callable[[str], Page]
SEED = 9202
HARBOUR = {
    "Sample no.": "sample_no", "Received": "taken_on", "Analyte": "analyte", "Result": "result",
    "Laboratory": "laboratory", "Analyst": "analyst", "Remark": "remark",
}  # fmt: skip
NORTH = {
    "Proben-Nr": "sample_no", "Jahr": "year", "Monat": "month", "Tag": "day", "Analyt": "analyte", "Messwert": "result",
    "Einheit": "unit", "Labor": "laboratory", "Bearbeitung": "analyst",
}  # fmt: skip


def ask(page: Page, method: str, path: str, body: Any = None) -> Any:
    """Ask the API as the page does."""
    sentence = """async ([method, path, body]) => {
      const csrf = /csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? ''
      const answer = await fetch('/api' + path, { method, body: body && JSON.stringify(body),
        headers: { 'X-CSRFToken': csrf, 'Content-Type': 'application/json' } })
      const text = await answer.text()
      return [answer.status, text && JSON.parse(text)]
    }"""
    status, answer = page.evaluate(sentence, [method, path, body])
    assert status < 300, answer
    return answer


def settled(page: Page, delivery: int) -> Any:
    """The delivery, when nothing is done to it any more."""
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        rows = ask(page, "GET", f"/deliveries/{delivery}")
        if rows["state"] == "read" and not rows["job"]:
            return rows
        time.sleep(0.3)
    raise AssertionError(f"the delivery is not read: {rows}")


def laboratories(page: Page, folder: Path, feed: str = "Lab results") -> tuple[int, list[Path]]:
    """A delivery of two laboratories, read into one table; gives its id and its files."""
    north, _ = write_north(folder, SEED, 2024, 3)
    files = [north, write_harbour(folder, SEED, 2024, 3)]
    page.get_by_role("button", name="New feed").click()
    page.get_by_label("Name", exact=True).fill(feed)
    page.get_by_role("button", name="Create feed").click()
    page.get_by_label("Drop files here").set_input_files(files)
    page.get_by_role("button", name="Add 2 files").click()
    page.wait_for_url(re.compile(r"/deliveries/(\d+)/intake"))
    match = re.search(r"/deliveries/(\d+)/", page.url)
    assert match
    delivery = int(match[1])
    settled(page, delivery)
    for source in ask(page, "GET", f"/deliveries/{delivery}/sources"):
        columns = HARBOUR if "harbour" in source["name"] else NORTH
        request = {"columns": columns, "source_column": "delivered_in"}
        ask(page, "PUT", f"/deliveries/{delivery}/sources/{source['id']}/settings", {"request": request})
        settled(page, delivery)
    changes = [
        change for change in ask(page, "GET", f"/deliveries/{delivery}/design")["changes"] if not change["choice"]
    ]
    if changes:
        choices = [{"change": change["id"], "choice": change["choices"][0]} for change in changes]
        ask(page, "POST", f"/deliveries/{delivery}/design", {"choices": choices})
    settled(page, delivery)
    return delivery, files


def new_rule(page: Page, words: str, **fields: str) -> None:
    """A rule by keyboard: words that say what and for which column, then fields by their label, then Ctrl+Enter."""
    before = page.locator(".rule").count()
    press(page, "n")
    page.get_by_label("What should it do?").wait_for()
    page.keyboard.type(words)
    press(page, "Enter")
    page.locator(".editor .form").wait_for()
    page.wait_for_timeout(150)  # the first field takes the focus
    for label, value in fields.items():
        tab_to(page, label.replace("_", " "))
        page.keyboard.type(value)
        if label in ("Tokens", "Units_and_currencies", "Formats,_in_order", "Columns,_in_order", "Values", "Key"):
            press(page, "Enter", "Escape")
    press(page, "Control+Enter")
    expect(page.locator(".rule")).to_have_count(before + 1)
    expect(page.locator('.rule[aria-pressed="true"]')).to_have_count(1)  # the rule that was saved is chosen


ANALYTES = (
    "no3 = nitrate\npo4 = phosphate\nnh4 = ammonium\ncl = chloride\nchla = chlorophyll a\nnitrat = nitrate\n"
    "phosphat = phosphate\namonium = ammonium\nchlorophyll-a = chlorophyll a\nchlorophyl a = chlorophyll a"
)
LABORATORIES = "Lab. North = Lab North\nLAB NORTH = Lab North\nLabor Nord = Lab North\nHarbour Lab = Lab Harbour\nLab harbour = Lab Harbour"


def test_fifteen_rules_by_keyboard_alone_then_exported_and_run(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("tessen")
    delivery, files = laboratories(page, tmp_path)
    page.goto(f"/deliveries/{delivery}/rules")
    page.get_by_text("No rules yet").wait_for()
    page.locator(".editor").focus()
    new_rule(page, "trim spaces", Collapse_spaces_inside=" ")
    new_rule(page, "tokens as missing", Tokens="n/a")
    page.locator(".editor").focus()
    press(page, "j")
    tab_to(page, "Tokens")
    for token in ("-", "#N/A"):
        page.keyboard.type(token)
        press(page, "Enter")
    press(page, "Escape", "Control+Enter")
    expect(page.locator(".rule").nth(1)).to_contain_text("n/a, -, #N/A")
    page.locator(".editor").focus()
    new_rule(page, "letter case analyte")
    new_rule(page, "translate analyte", Code_list=ANALYTES)
    new_rule(page, "translate laboratory", Code_list=LABORATORIES)
    new_rule(page, "replace text result", Find=",", Replace_with=".")
    new_rule(page, "date from parts year", Month="mo", Day="d", Into_the_column="sampled")

    # by example: the family name of the analyst
    before = page.locator(".rule").count()
    press(page, "e")
    tab_to(page, "example-columns")
    choose_column(page, "analyst")
    page.get_by_role("table", name="Examples").wait_for()
    rows = page.get_by_role("table", name="Examples").locator("tbody tr")
    for at in range(2):
        name = rows.nth(at).locator("td").nth(1).inner_text()
        tab_to(page, f"Wanted for record {rows.nth(at).locator('td').first.inner_text().replace(',', '')}")
        page.keyboard.type(name.split()[-1])
    page.get_by_role("table", name="Results").wait_for()
    expect(page.get_by_role("table", name="Results")).to_contain_text("Lindqvist")
    assert faults(page) == []
    tab_to(page, "Add rule")
    press(page, "Enter")
    page.get_by_role("heading", name="New rule: Compute by a formula").wait_for()
    page.locator(".editor").focus()
    press(page, "Enter")
    expect(page.locator(".rule")).to_have_count(before + 1)

    new_rule(page, "fill missing taken_on", With="other", **{"Columns,_in_order": "sampled"})
    new_rule(page, "read as date taken_on", **{"Formats,_in_order": "%Y-%m-%d"})
    new_rule(page, "read as number result", Units_and_currencies="mg/L", **{"Limits": "half"})
    page.locator(".rule", has_text="Convert result to numbers").focus()
    press(page, "Enter")
    tab_to(page, "Units and currencies")
    page.keyboard.type("µg/L")
    press(page, "Enter", "Escape", "Control+Enter")
    expect(page.locator(".rule", has_text="Convert result to numbers")).to_contain_text("mg/L, µg/L")
    page.locator(".editor").focus()
    new_rule(page, "remove duplicates", Key="sample_no")
    new_rule(page, "is filled sample")
    new_rule(page, "lies between result", Not_below="0")
    new_rule(page, "has a length sample_no", At_least="8")
    expect(page.locator(".rule")).to_have_count(15)

    # undo, redo, reorder
    press(page, "Control+z")
    expect(page.locator(".rule")).to_have_count(14)
    press(page, "Control+Shift+Z")
    expect(page.locator(".rule")).to_have_count(15)
    third = page.locator(".rule").nth(2)
    third.focus()
    press(page, "Enter", "Alt+ArrowDown")
    expect(page.locator(".rule").nth(3)).to_contain_text("Write analyte")
    press(page, "Alt+ArrowUp")
    expect(page.locator(".rule").nth(2)).to_contain_text("Write analyte")
    expect(page.locator(".title")).to_contain_text("trial of revision")
    result = settled(page, delivery)
    balance = result["balance"]
    assert balance["quarantined"] < 0.02 * balance["delivered"], balance
    assert faults(page) == []

    # history and text, then the script is run on the same files
    page.locator(".editor").focus()
    press(page, "h")
    page.get_by_role("heading", name="History").wait_for()
    press(page, "t")
    page.get_by_role("heading", name="As text").wait_for()
    tab_to(page, "Script that cleans")
    with page.expect_download() as downloading:
        press(page, "Enter")
    script = tmp_path / "clean.py"
    downloading.value.save_as(script)
    done = subprocess.run([sys.executable, script, *files, "--out", tmp_path / "out"], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    counts = json.loads((tmp_path / "out" / "counts.json").read_text())
    results = {
        name: counts.get(name, 0) for name in ("delivered", "ready", "corrected", "quarantined", "removed", "rejected")
    }
    assert results == {name: balance[name] for name in results}
