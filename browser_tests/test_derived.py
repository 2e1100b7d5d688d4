"""A feed made from the releases of others: planned, made anew with the next release, traced to the files, as a person does it."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, expect
from test_journeys import faults, take_in
from test_quarantine import publish, run

from conftest import choose_column

SignIn = Callable[[str], Page]
HIVES = {"H1": "Orchard", "H2": "Orchard", "H3": "Heath"}


def write(path: Path, head: str, rows: list[tuple[str, str]]) -> Path:
    path.write_text("\n".join([head, *("|".join(row) for row in rows)]) + "\n")
    return path


def release(page: Page, records: int) -> None:
    page.get_by_role("link", name="Rules").click()
    run(page)
    publish(page, records)


def plan(page: Page) -> None:
    """The combs of each place: counts joined with the register, then summed up."""
    page.goto("/")
    page.get_by_role("button", name="New feed").click()
    page.get_by_label("Name", exact=True).fill("Combs by place")
    page.get_by_label("are made from released tables of other feeds").check()
    page.get_by_role("button", name="Create feed").click()
    page.get_by_label("Begin with the released records of").select_option(label="Hive visits")
    expect(page.get_by_role("heading", name="What they make now")).to_contain_text("3 records, 2 columns")
    page.get_by_label("Add a step").select_option(label="Look up columns")
    expect(page.get_by_role("alert")).to_be_visible()
    expect(page.get_by_role("button", name="Save", exact=True)).to_be_disabled()
    page.get_by_label("In the table").select_option(label="Hive register")
    page.get_by_role("button", name="Add a row").click()
    page.get_by_label("Column 1", exact=True).select_option("hive")
    page.get_by_label("Is its column 1").select_option("no")
    page.locator("#rule-take").focus()
    choose_column(page, "place")
    page.keyboard.press("Escape")
    expect(page.locator("li").first).to_contain_text("Look up place in Hive register where hive is its no.")
    page.get_by_label("Add a step").select_option(label="Group and summarise")
    page.locator("#rule-groups").focus()
    choose_column(page, "place")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Add a row").click()
    page.get_by_label("What 1", exact=True).select_option("list")
    page.get_by_label("Of the column 1").select_option("combs")
    page.get_by_label("Into 1").fill("combs")
    expect(page.locator("tbody tr")).to_have_text([re.compile("Orchard.*4, 6"), re.compile("Heath.*9")])
    assert faults(page) == []
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("button", name="Save", exact=True)).to_be_disabled()


def test_a_table_made_from_two_others(sign_in: SignIn, reader: Callable[[str], list[Any]], tmp_path: Path) -> None:
    page = sign_in("tessen")
    take_in(page, "Hive register", write(tmp_path / "register.txt", "no|place", list(HIVES.items())))
    release(page, 3)
    visits = [("H1", "4"), ("H3", "9"), ("H2", "6")]
    page.goto("/")
    take_in(page, "Hive visits", write(tmp_path / "visits-may.txt", "hive|combs", visits))
    release(page, 3)
    plan(page)
    page.goto("/feeds/combs-by-place")
    expect(page.get_by_text("delivery 1 was made, 2 records")).to_be_visible()
    page.get_by_role("row", name=re.compile("^1 ")).get_by_role("link").click()
    page.get_by_role("heading", name=re.compile("What it becomes 2 records")).wait_for()
    release(page, 2)
    assert reader("SELECT place, combs FROM released.combs_by_place ORDER BY 1") == [
        ("Heath", "9"),
        ("Orchard", "4, 6"),
    ]

    page.goto("/feeds/combs-by-place/released")
    page.get_by_role("link", name="Lineage").click()
    drawing = page.get_by_role("region", name="From files to releases")
    expect(drawing.locator("article")).to_have_count(5)  # files of two feeds, three feeds
    expect(drawing.locator("path")).to_have_count(4)
    page.get_by_label("Trace a column").select_option("combs")
    expect(drawing.locator("path:not(.off)")).to_have_count(2)
    expect(page.locator(".tree li").last).to_have_text("combs head in visits-may.txt")
    assert faults(page) == []

    page.goto("/feeds/hive-visits")
    page.get_by_role("button", name="Add delivery").click()
    page.get_by_label("Drop files here").set_input_files(
        write(tmp_path / "visits-june.txt", "hive|combs", [("H3", "2"), ("H3", "3")])
    )
    page.get_by_role("button", name="Add 1 file").click()
    page.get_by_role("heading", name=re.compile("What it becomes 2 records")).wait_for()
    release(page, 2)
    page.goto("/feeds/combs-by-place/lineage")
    expect(drawing).to_contain_text("Older than its sources or steps")
    page.goto("/feeds/combs-by-place")
    expect(page.get_by_text("delivery 2 was made, 1 record")).to_be_visible()
    assert reader("SELECT place, combs FROM released.combs_by_place ORDER BY 1")[0] == (
        "Heath",
        "9",
    )  # until it is released
