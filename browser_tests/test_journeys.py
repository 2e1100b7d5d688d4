"""The analyst's journeys in a real browser."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from conftest import choose_column
from demo.faults import write

ROOT = Path(__file__).resolve().parent.parent
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
DATA = "id|site|ph\n" + "".join(f"{n}|S{n % 7}|{6 + n % 3}.{n % 10}\n" for n in range(1, 301)) + (
    "301||7.1\n302|S1|74\n303|S2| n/a\n304|S3|acid\nbroken line\n"
)  # fmt: skip

SignIn = Callable[[str], Page]


@pytest.fixture
def data(tmp_path: Path) -> Path:
    path = tmp_path / "field.txt"
    path.write_text(DATA)
    return path


def take_in(page: Page, feed: str, data: Path) -> None:
    """Make a feed and upload its first delivery; ends at the intake."""
    page.get_by_role("button", name="New feed").click()
    page.get_by_label("Name", exact=True).fill(feed)
    page.get_by_role("button", name="Create feed").click()
    page.get_by_label("Drop files here").set_input_files(data)
    page.get_by_role("button", name="Add 1 file").click()
    page.get_by_role("heading", name=re.compile(r"What it becomes [\d,]+ records")).wait_for()


def choose_rule(page: Page, words: str) -> None:
    """Open the form of the first kind of rule that some words find."""
    page.get_by_role("button", name="Add a rule").click()
    page.get_by_label("What should it do?").fill(words)
    page.get_by_label("What should it do?").press("Enter")


def add_rule(page: Page, words: str, column: str, fill: dict[str, str]) -> None:
    """Add a rule through its form."""
    choose_rule(page, words)
    pick = page.get_by_label("Columns", exact=True)
    pick.focus()
    choose_column(page, column)
    for label, value in fill.items():
        page.get_by_label(label, exact=True).focus()
        page.keyboard.type(value)
        if label == "Tokens":
            page.keyboard.press("Enter")
    before = page.locator(".rule").count()
    page.get_by_role("button", name="Save rule").click()
    expect(page.locator(".rule")).to_have_count(before + 1)


def test_from_upload_to_released_table(
    sign_in: SignIn, data: Path, reader: Callable[[str], list[Any]], tmp_path: Path
) -> None:
    page = sign_in("tessen")
    take_in(page, "River samples", data)
    expect(page.locator(".raw")).to_contain_text(
        "broken line" if page.locator(".raw li").count() > 300 else "id|site|ph"
    )
    page.get_by_role("link", name="Profile").click()
    register = page.get_by_role("region", name="Columns", exact=True)
    expect(register.get_by_role("row", name=re.compile("ph decimal, quantity"))).to_be_visible()
    page.get_by_role("button", name="ph", exact=True).click()
    page.get_by_role("complementary").locator("dt:has-text('do not fit') + dd a").click()
    expect(page.get_by_role("grid", name="Records")).to_contain_text("acid")
    page.keyboard.press("Escape")

    page.get_by_role("link", name="Rules").click()
    add_rule(page, "missing token", "ph", {"Tokens": "n/a"})
    add_rule(page, "read as number", "ph", {})
    add_rule(page, "lies between", "ph", {"Not below": "0", "Not above": "14"})
    add_rule(page, "is filled", "site", {})
    expect(page.locator(".rule", has_text="site is filled")).to_contain_text("1 quarantined")
    expect(page.locator(".sum")).to_contain_text("3 quarantined")
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.locator(".title")).to_contain_text("run of revision 4")

    page.get_by_role("link", name=re.compile("^Quarantine 3")).click()
    expect(page.locator(".quarantined")).to_contain_text("ph 74 is outside 0 to 14")
    expect(page.locator(".quarantined")).to_contain_text("ph acid could not be read")
    expect(page.locator(".quarantined")).to_contain_text("site missing is missing")
    page.get_by_role("button", name="302", exact=True).click()
    page.get_by_label("ph", exact=True).fill("7.4")
    expect(page.get_by_role("status").filter(has_text="It would be ready")).to_be_visible()
    page.get_by_role("button", name="Amend").click()
    expect(page.locator(".quarantined")).to_contain_text("amended")
    expect(page.locator(".sum")).to_contain_text("2 quarantined")

    page.get_by_role("link", name=re.compile("^Release (gates|1 gate)")).click()
    page.get_by_role("button", name="Publish 302 records").click()
    page.get_by_role("heading", name="Release 1 is published").wait_for()
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV").click()
    lines = Path(download.value.path()).read_text().splitlines()
    assert (lines[0], len(lines)) == ("id,site,ph", 303)
    assert "302,S1,7.4" in lines
    assert reader("SELECT count(*), max(ph)::text FROM released.river_samples") == [(302, "8.9")]
    page.goto("/activity")
    expect(page.get_by_text("published release 1 of River samples with 302 records")).to_be_visible()


def press(page: Page, *keys: str) -> None:
    for key in keys:
        page.keyboard.press(key)


def tab_to(page: Page, name: str, most: int = 60) -> None:
    """Press Tab until the control of a name has the focus; none when it has it already."""
    for _ in range(most):
        result = page.evaluate(
            "() => { const e = document.activeElement; if (!e.matches('a, button, input, select, textarea')) return ''; return [e.innerText, e.getAttribute('aria-label'), e.labels?.[0]?.innerText, e.id].join(' ') }"
        )
        if name in result:
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab does not reach {name!r}")


def add_rule_by_keyboard(page: Page, words: str, column: str, *fill: str) -> None:
    """Add a rule through its form by keyboard alone; `fill` is labels and what is typed, in turn."""
    before = page.locator(".rule").count()
    page.get_by_text("revision").first.wait_for()
    press(page, "n")
    page.get_by_label("What should it do?").wait_for()
    page.keyboard.type(words)
    press(page, "Enter")
    page.get_by_label("Columns", exact=True).wait_for()
    tab_to(page, "Columns")
    choose_column(page, column)
    for label, value in zip(fill[::2], fill[1::2], strict=True):
        tab_to(page, label)
        page.keyboard.type(value)
    tab_to(page, "Save rule")
    press(page, "Enter")
    expect(page.locator(".rule")).to_have_count(before + 1)


def test_the_same_by_keyboard_alone(sign_in: SignIn, data: Path) -> None:
    page = sign_in("tessen")
    tab_to(page, "New feed")
    press(page, "Enter")
    page.get_by_label("Name", exact=True).wait_for()
    tab_to(page, "Name")
    page.keyboard.type("By keyboard")
    press(page, "Enter")
    page.get_by_label("Drop files here").set_input_files(data)  # the file dialog is the system's
    tab_to(page, "Add 1 file")
    press(page, "Enter")
    page.get_by_role("heading", name="What it becomes 304 records").wait_for()
    press(page, "2")
    page.get_by_role("heading", name="id", exact=True).wait_for()
    measured = page.get_by_role("region", name="Columns", exact=True).locator("tbody tr")
    expect(measured).to_have_count(3)  # they come one by one, as they are measured
    press(page, "j", "j")
    page.get_by_role("heading", name="ph", exact=True).wait_for()
    press(page, "3")
    page.get_by_role("region", name="Rulebook").wait_for()
    for words, column, rest in (
        ("read as number", "ph", ()),
        ("lies between", "ph", ("Not below", "0", "Not above", "14")),
        ("is filled", "site", ()),
    ):
        add_rule_by_keyboard(page, words, column, *rest)
    press(page, "Control+z")
    expect(page.locator(".rule")).to_have_count(2)
    press(page, "Control+Shift+Z")
    expect(page.locator(".rule")).to_have_count(3)
    expect(page.locator(".title .busy")).to_have_count(0)
    tab_to(page, "Run")
    press(page, "Enter")
    expect(page.locator(".title")).to_contain_text("run of revision")
    press(page, "4")
    page.get_by_role("heading", name="Record 301").wait_for()
    press(page, "j")
    page.get_by_role("heading", name="Record 302").wait_for()
    press(page, "Enter", "Control+a")
    page.keyboard.type("7.4")
    page.get_by_text("It would be ready").wait_for()
    press(page, "Enter")
    expect(page.locator(".quarantined")).to_contain_text("amended")
    expect(page.locator(".title .busy")).to_have_count(0)
    tab_to(page, "Go to")
    press(page, "Escape", "5")
    page.get_by_role("heading", name="Gates").wait_for()
    tab_to(page, "Publish")
    press(page, "Enter")
    page.get_by_role("heading", name="is published").wait_for()


def test_twelve_findings_become_rules_by_keyboard_alone(sign_in: SignIn, tmp_path: Path) -> None:
    path, _ = write(tmp_path, 11, 0, 600, faults=True)
    page = sign_in("tessen")
    take_in(page, "Findings", path)
    press(page, "2")
    page.get_by_role("heading", name="sample_id", exact=True).wait_for()
    press(page, "w")
    listed = page.get_by_role("region", name="Findings", exact=True).locator("tbody tr")
    listed.first.wait_for()
    rules = page.get_by_role("link", name=re.compile(r"^Rules \d+$"))
    for accepted in range(1, 13):
        sheet = page.get_by_role("complementary", name="Finding")
        while not sheet.get_by_role("button", name="Accept").count():
            press(page, "j")
        press(page, "a")
        expect(rules).to_have_text(re.compile(rf"{accepted}$"))
    press(page, "x")
    page.keyboard.type("it is right as it is")
    page.wait_for_load_state("networkidle")  # the list without the finding accepted last
    before = listed.count()
    press(page, "Enter")
    expect(listed).to_have_count(before - 1)
    press(page, "Control+z")
    expect(listed).to_have_count(before)
    press(page, "Enter")
    page.get_by_role("grid", name="Records").wait_for()
    press(page, "Escape", "3")
    expect(page.locator(".rule")).to_have_count(12)
    expect(page.locator(".title")).to_contain_text("trial of revision 12")


def test_no_view_has_serious_accessibility_faults(sign_in: SignIn, data: Path) -> None:
    page = sign_in("tessen")
    take_in(page, "Checked", data)
    delivery = re.search(r"deliveries/(\d+)", page.url)[1]  # type: ignore[index]
    page.goto(f"/deliveries/{delivery}/rules")
    add_rule(page, "is filled", "site", {})
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.locator(".title")).to_contain_text("run of revision")
    base = f"/deliveries/{delivery}"
    views = [
        "/", "/quarantine", "/releases", "/activity", "/nowhere", f"{base}/intake", f"{base}/intake?rejected=1",
        f"{base}/profile?column=ph", f"{base}/rules", f"{base}/rules?add=ph", f"{base}/quarantine", f"{base}/release",
        f"{base}/profile?records=delivered", f"{base}/rules?rule=required-1", f"{base}/rules?view=history", f"{base}/rules?view=text",
        "/calendar", "/suppliers", "/library", "/library?sort=codes&name=", "/library?sort=shared&name=", "/library?sort=references&name=",
    ]  # fmt: skip
    results = {}
    for view in views:
        page.goto(view)
        page.wait_for_load_state("networkidle")
        results[view] = faults(page)
    page.keyboard.press("?")
    page.get_by_role("dialog").wait_for()
    page.wait_for_timeout(400)
    results["keys"] = faults(page)
    page.goto("/sign-in")
    results["/sign-in"] = faults(page)
    assert [f"{view}: {fault}" for view, result in results.items() for fault in result] == []


def faults(page: Page) -> list[str]:
    """What axe finds serious or critical."""
    page.evaluate(AXE.read_text())
    result = page.evaluate("async () => (await axe.run()).violations")
    return [
        f"{fault['id']}: {node['html'][:400]} {node.get('failureSummary', '')}"
        for fault in result
        if fault["impact"] in ("serious", "critical")
        for node in fault["nodes"][:3]
    ]


def test_the_grid_reaches_the_last_record(sign_in: SignIn, tmp_path: Path) -> None:
    path = tmp_path / "long.txt"
    count = 60_000
    path.write_text("n|v\n" + "".join(f"{n}|x{n}\n" for n in range(1, count + 1)))
    page = sign_in("marlo")
    page.get_by_role("button", name="New feed").click()
    page.get_by_label("Name", exact=True).fill("Long")
    page.get_by_role("button", name="Create feed").click()
    page.get_by_label("Drop files here").set_input_files(path)
    page.get_by_role("button", name="Add 1 file").click()
    page.get_by_role("heading", name="What it becomes 60,000 records").wait_for()
    page.keyboard.press("r")
    grid = page.get_by_role("grid", name="Records")
    grid.focus()
    page.keyboard.press("Control+End")
    last = grid.get_by_text(f"x{count}", exact=True)
    expect(last).to_be_visible()
    box, frame = last.bounding_box(), grid.bounding_box()
    assert box is not None
    assert frame is not None
    assert box["y"] + box["height"] <= frame["y"] + frame["height"]
    assert grid.locator(".row").count() < 120


def test_what_cannot_be_read_says_why_and_loses_nothing(sign_in: SignIn, tmp_path: Path) -> None:
    path = tmp_path / "empty.txt"
    path.write_bytes(b"\n\n")
    page = sign_in("marlo")
    page.get_by_role("button", name="New feed").click()
    page.get_by_label("Name", exact=True).fill("Empty")
    page.get_by_role("button", name="Create feed").click()
    page.get_by_label("Drop files here").set_input_files(path)
    page.get_by_role("button", name="Add 1 file").click()
    expect(page.get_by_role("alert").first).to_contain_text("holds no line with text")
    page.get_by_role("link", name="Profile").click()
    expect(page.get_by_text("could not be read, so there is nothing to profile")).to_be_visible()


def test_a_viewer_sees_and_changes_nothing(sign_in: SignIn) -> None:
    page = sign_in("viewer")
    expect(page.get_by_role("button", name="New feed")).to_have_count(0)
    page.get_by_role("link", name=re.compile("delivery 1")).first.click()
    page.get_by_role("link", name="Rules").click()
    expect(page.get_by_text("revision").first).to_be_visible()
    for name in ("Add a rule", "Run", "Save rule", "Publish"):
        expect(page.get_by_role("button", name=name, exact=True)).to_have_count(0)
