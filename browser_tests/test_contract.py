"""The contract of a released table: agreed, broken, widened, and the package taken, by keyboard alone."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, expect
from test_journeys import add_rule, faults, press, tab_to, take_in
from test_quarantine import run

SignIn = Callable[[str], Page]


def to_page(page: Page, address: str, ready: str) -> None:
    """Open a view as from a message by a colleague."""
    page.goto(address)
    expect(page.get_by_role("heading", name=ready)).to_be_visible()


def test_a_contract_by_keyboard_alone(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("tessen")
    rows = "".join(f"P-{n:03}|{n}.25|{'open' if n % 3 else 'shut'}\n" for n in range(1, 121))
    file = tmp_path / "gates.txt"
    file.write_text(f"gate|height|state\n{rows}")
    take_in(page, "Weir gates", file)
    page.get_by_role("link", name="Rules").click()
    add_rule(page, "read as number", "height", {})
    run(page)
    release = re.sub(r"/rules.*", "/release", page.url)

    to_page(page, "/feeds/weir-gates/released", "Contract")
    expect(page.get_by_role("region", name="Contract")).to_be_visible()
    assert faults(page) == []
    tab_to(page, "Size of gate: most characters", 90)
    page.keyboard.type("5")
    tab_to(page, "Key: gate")
    press(page, "Space")
    tab_to(page, "Size of height: digits, decimals")
    page.keyboard.type("4, 2")
    tab_to(page, "Unit of height")
    page.keyboard.type("m")
    tab_to(page, "What changed", 90)
    page.keyboard.type("heights below 100 m")
    tab_to(page, "Agree version 1")
    press(page, "Enter")
    expect(page.get_by_text("Version 1, heights below 100 m")).to_be_visible()

    to_page(page, release, "From delivered to ready")
    broken = page.locator(".breaches").filter(has_text="The contract is broken")
    expect(broken).to_contain_text(
        "height has more than 2 digits before the point: 21 records, the first 100, 101, 102, 103, 104"
    )
    expect(page.get_by_role("button", name="Publish 120 records")).to_be_disabled()
    assert faults(page) == []
    tab_to(page, "The contract")
    press(page, "Enter")
    tab_to(page, "Size of height: digits, decimals", 90)
    press(page, "Control+a")
    page.keyboard.type("5, 2")
    tab_to(page, "Agree version 2", 120)
    press(page, "Enter")
    expect(page.get_by_text("Version 2, agreed")).to_be_visible()

    to_page(page, release, "From delivered to ready")
    expect(page.locator(".breaches")).to_have_count(0)
    tab_to(page, "Publish 120 records", 90)
    press(page, "Enter")
    expect(page.get_by_role("heading", name="Release 1 is published")).to_be_visible()
    tab_to(page, "Package", 60)
    with page.expect_download() as download:
        press(page, "Enter")
    archive = zipfile.ZipFile(io.BytesIO(Path(download.value.path()).read_bytes()))
    fields = json.loads(archive.read("datapackage.json"))["resources"][0]["schema"]["fields"]
    assert [(field["name"], field["type"]) for field in fields[:3]] == [
        ("gate", "string"),
        ("height", "number"),
        ("state", "string"),
    ]
    assert b"numeric(5,2) NOT NULL" in archive.read("table.sql")
    assert len(archive.read("data/weir-gates-release-1.csv").splitlines()) == 121
