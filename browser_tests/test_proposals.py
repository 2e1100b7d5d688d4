"""Propose, compare, decline, correct, propose, approve, download, divide, withdraw: two people, by keyboard alone."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import openpyxl
import pyarrow.parquet as pq
from by_keyboard import download, enter, run_by_keyboard, take_in_by_keyboard
from playwright.sync_api import Page, expect
from test_contract import to_page
from test_journeys import add_rule_by_keyboard, faults, press, tab_to

SignIn = Callable[[str], Page]
MONTHS = ([f"B-{n:03}|{n}" for n in range(80)], [f"B-{n:03}|{n + (n % 20 == 0)}" for n in range(20, 100)])


def say(page: Page, label: str, words: str, button: str) -> None:
    tab_to(page, label, 120)
    page.keyboard.type(words)
    enter(page, button)


def test_two_people_release_by_keyboard_alone(
    sign_in: SignIn, reader: Callable[[str], list[Any]], tmp_path: Path
) -> None:
    files = [tmp_path / "may.txt", tmp_path / "june.txt"]
    for file, rows in zip(files, MONTHS, strict=True):
        lost = ["B-999|777"] if file.stem == "june" else []
        file.write_text("\n".join(["buoy|metres", *rows, *lost]) + "\n")
    analyst, approver = sign_in("marlo"), sign_in("tessen")

    take_in_by_keyboard(analyst, files[0], "Harbour buoys")
    press(analyst, "3")
    analyst.get_by_role("region", name="Rulebook").wait_for()
    add_rule_by_keyboard(analyst, "read as number", "metres")
    add_rule_by_keyboard(analyst, "lies between", "metres", "Not below", "0", "Not above", "500")
    run_by_keyboard(analyst)
    tab_to(analyst, "Go to")
    press(analyst, "5")
    analyst.get_by_role("heading", name="Gates").wait_for()
    say(analyst, "A word to the approver", "May, all buoys", "Propose the release")
    expect(analyst.get_by_text("It waits for an approver.")).to_be_visible()

    approver.reload()
    expect(approver.get_by_role("link", name=re.compile(r"^Releases *1$"))).to_be_visible()
    enter(approver, "Releases")
    expect(approver.get_by_text("May, all buoys")).to_be_visible()
    enter(approver, "delivery 1")
    say(approver, "Your reason, question or word", "How many are out at sea?", "Ask")
    expect(approver.get_by_text("How many are out at sea?")).to_be_visible()
    enter(approver, "Publish 80 records")
    expect(approver.get_by_role("heading", name="Release 1 is published")).to_be_visible()
    tab_to(approver, "Go to")
    press(approver, "4")
    enter(approver, "Agree a key")
    tab_to(approver, "Columns of the key")
    press(approver, "ArrowDown")
    enter(approver, "Agree")
    expect(approver.locator("div.key")).to_contain_text("Key buoy")

    to_page(analyst, "/feeds/harbour-buoys", "Harbour buoys")
    take_in_by_keyboard(analyst, files[1])
    second = analyst.url.replace("/intake", "/release")
    run_by_keyboard(analyst)
    tab_to(analyst, "Go to")
    press(analyst, "5")
    analyst.get_by_role("heading", name="Columns then and now").wait_for()
    say(analyst, "A word to the approver", "June", "Propose the release")
    expect(analyst.get_by_text("It waits for an approver.")).to_be_visible()

    to_page(approver, second, "From delivered to ready")
    expect(approver.locator(".records")).to_contain_text("3 changed, 20 added, 20 gone, 57 the same")
    expect(approver.get_by_text("The rules are the same.")).to_be_visible()
    assert faults(approver) == []
    enter(approver, "3 changed")
    expect(approver.locator("tbody tr", has_text="B-040")).to_contain_text("metres 40 → 41")
    to_page(approver, second, "From delivered to ready")
    say(approver, "Your reason, question or word", "B-999 reads 77.7, says its keeper", "Decline")
    expect(approver.get_by_text("declined by")).to_be_visible()

    analyst.reload()
    expect(analyst.get_by_text("B-999 reads 77.7")).to_be_visible()
    press(analyst, "4")
    analyst.get_by_role("heading", name="Record 81").wait_for()
    press(analyst, "Enter", "Control+a")
    analyst.keyboard.type("77.7")
    analyst.get_by_text("It would be ready").wait_for()
    press(analyst, "Enter")
    expect(analyst.locator(".quarantined")).to_contain_text("amended")
    expect(analyst.locator(".title .busy")).to_have_count(0)
    tab_to(analyst, "Go to")
    press(analyst, "Escape", "5")
    expect(analyst.get_by_text("1 record amended")).to_be_visible()
    say(analyst, "A word to the approver", "June, B-999 corrected", "Propose the release")
    expect(analyst.get_by_text("It waits for an approver.")).to_be_visible()

    to_page(approver, second, "From delivered to ready")
    expect(approver.get_by_text("June, B-999 corrected")).to_be_visible()
    enter(approver, "Publish 81 records")
    expect(approver.get_by_role("heading", name="Release 2 is published")).to_be_visible()

    archive = zipfile.ZipFile(io.BytesIO(download(approver, "Package")))
    assert json.loads(archive.read("manifest.json"))["release"] == 2
    sheet = openpyxl.load_workbook(io.BytesIO(download(approver, "XLSX"))).active
    assert sheet is not None
    expected = [
        ("buoy", "metres"),
        *((name, float(n)) for name, n in (row.split("|") for row in MONTHS[1])),
        ("B-999", 77.7),
    ]
    assert list(sheet.iter_rows(values_only=True)) == expected
    enter(approver, "Another form")
    tab_to(approver, "Between columns")
    approver.keyboard.type("semi")
    assert faults(approver) == []
    text = download(approver, "Take the file").decode()
    assert list(csv.reader(io.StringIO(text), delimiter=";"))[81] == ["B-999", "77.7"]
    press(approver, "Escape")

    to_page(approver, "/feeds/harbour-buoys/parts", "Divide the table")
    tab_to(approver, "Seed")
    approver.keyboard.type("tides")
    enter(approver, "Divide the table")
    expect(approver.get_by_role("heading", name="Division 1")).to_be_visible()
    assert faults(approver) == []
    parts = {}
    for place, name in enumerate(("training", "validation", "test")):
        row = approver.locator("tbody tr").nth(place)
        expect(row).to_contain_text(name)
        with approver.expect_download() as taken:
            row.get_by_role("link", name="Parquet").focus()
            press(approver, "Enter")
        parts[name] = pq.read_table(taken.value.path()).column("buoy").to_pylist()
        expect(row.locator("td").nth(1)).to_have_text(str(len(parts[name])))
    assert sorted(buoy for part in parts.values() for buoy in part) == sorted(row[0] for row in expected[1:])

    to_page(approver, "/feeds/harbour-buoys/history", "Harbour buoys history of releases")
    for number in (1, 2):
        tab_to(approver, f"Compare release {number}")
        press(approver, "Space")
    assert faults(approver) == []
    tab_to(approver, "Withdraw")
    press(approver, "Enter")
    expect(approver.get_by_text("release 1 shows again")).to_be_visible()
    tab_to(approver, "Why")
    approver.keyboard.type("the tide table was wrong")
    press(approver, "Enter")
    expect(approver.get_by_text("the tide table was wrong")).to_be_visible()
    assert reader("SELECT count(*), max(metres) FROM released.harbour_buoys") == [(80, 79)]
