"""The views of the profile in a real browser: narrowing, relations, suitability, variants, side by side, the document."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect
from test_journeys import SignIn, faults, take_in

from demo.catchment import write_catchment
from demo.field_samples import write_month


def fitting(page: Page) -> int:
    """How many records fit what is chosen in the panels."""
    text = page.get_by_role("status").filter(has_text="records fit").inner_text()
    return int(text.split(" of ")[0].replace(",", ""))


def test_unsuitable_columns_fall_out_and_panels_narrow_each_other(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("marlo")
    take_in(page, "Features", write_catchment(tmp_path, 5, weeks=30, sites=20))
    page.keyboard.press("2")
    page.get_by_role("heading", name="row_key", exact=True).wait_for()

    page.get_by_role("link", name="Relations").click()
    page.get_by_label("Predictors of").select_option("bloom_next_week")
    page.get_by_role("cell", name="closure_days").first.wait_for()
    assert faults(page) == []

    page.get_by_role("link", name="Suitability").click()
    verdict = page.get_by_role("row", name=re.compile("^water_temp_f "))
    expect(verdict).to_contain_text("repeats water_temp")
    filter_ = page.get_by_role("status").filter(has_text="are excluded")
    before = int(re.search(r"(\d+)\s*are excluded", filter_.inner_text())[1])  # type: ignore[index]
    page.get_by_label("Missing at most").focus()
    page.keyboard.press("Home")
    expect(page.get_by_role("row", name=re.compile("^water_temp "))).to_contain_text("% missing")
    after = int(re.search(r"(\d+)\s*are excluded", filter_.inner_text())[1])  # type: ignore[index]
    assert after > before
    page.get_by_label("By hand: water_temp", exact=True).select_option("input")
    expect(filter_).to_contain_text(re.compile(rf"{after - 1}\s*are excluded"))
    assert faults(page) == []
    page.get_by_role("button", name="Add the rule that drops").click()
    expect(page.get_by_role("link", name=re.compile(r"^Rules \d+$"))).to_have_text(re.compile("1$"))

    page.get_by_role("link", name="Cross-filter").click()
    for name in ("water_temp", "crew"):
        page.get_by_label("Add a column").select_option(name)
        page.get_by_role("article", name=f"Panel of {name}").wait_for()
    everything = fitting(page)
    bars = page.get_by_role("article", name="Panel of water_temp").locator(".bars")
    bars.locator("i").first.wait_for()
    box = bars.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.9, box["y"] + 40, steps=4)
    page.mouse.up()
    page.get_by_role("button", name="all of it").wait_for()
    south = page.get_by_role("article", name="Panel of crew").get_by_role("listitem").filter(has_text="South")
    expect(page.get_by_role("status").filter(has_text="records fit")).not_to_contain_text(f"{everything} of")
    warm = fitting(page)
    narrowed = int(south.get_by_role("link").inner_text())
    assert 0 < narrowed < warm < everything
    south.get_by_role("button").click()
    expect(page.get_by_role("status").filter(has_text="records fit")).to_contain_text(f"{narrowed} of")
    assert faults(page) == []
    page.reload()
    expect(page.get_by_role("status").filter(has_text="records fit")).to_contain_text(f"{narrowed} of")
    page.get_by_role("status").filter(has_text="records fit").get_by_role("link").click()
    expect(page.get_by_role("region", name="Records")).to_contain_text(f"{narrowed} records")
    grid = page.get_by_role("grid", name="Records")
    grid.focus()
    page.keyboard.press("End")
    last = grid.get_by_role("columnheader", name=re.compile("^band_20"))
    expect(last).to_be_visible()
    frame, pinned = grid.bounding_box(), grid.locator(".row .pin").first.bounding_box()
    assert frame is not None
    assert pinned is not None
    assert abs(pinned["x"] - frame["x"]) < 2  # record and line stay in view
    page.get_by_role("button", name="Save filter").click()
    page.get_by_label("Name of the filters").fill("warm in the south")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_label("Saved filters")).to_have_value(re.compile(r"\d+"))
    assert faults(page) == []


def test_variants_become_one_list_and_the_change_by_the_rules_a_document(sign_in: SignIn, tmp_path: Path) -> None:
    page = sign_in("marlo")
    take_in(page, "Variants", write_month(tmp_path, 3, 2024, 5, 1200)[0])
    page.keyboard.press("2")
    page.get_by_role("link", name="Variants").click()
    page.get_by_label("Spellings in").select_option("sampler")
    page.get_by_role("checkbox", name=re.compile(r"^all \d+ group")).check()
    page.get_by_role("button", name=re.compile("^Make a code list of")).click()
    page.get_by_text("The code list is a rule now").wait_for()

    page.get_by_role("link", name="Propose checks").click()
    page.get_by_role("checkbox", name="sample_id is filled.").check()
    page.get_by_role("button", name="Put 1 check into the rulebook").click()
    expect(page.get_by_role("row", name=re.compile("sample_id is filled"))).to_contain_text("in the rulebook")
    assert faults(page) == []

    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.locator(".title")).to_contain_text("run of revision")
    page.get_by_role("link", name="Compare").click()
    expect(page.get_by_role("complementary")).to_contain_text("after the rules")
    first = page.get_by_role("table").first.locator("tbody tr").first
    expect(first).to_contain_text("sampler")
    assert faults(page) == []
    with page.expect_popup() as opened:
        page.get_by_role("link", name="As a report").click()
    document = opened.value
    expect(document.get_by_role("heading", name="As delivered and after the rules")).to_be_visible()
    expect(document.get_by_role("heading", name="sampler", exact=True)).to_be_visible()
    assert faults(document) == []

    page.get_by_role("link", name="Columns").click()
    page.get_by_role("button", name="depth_band", exact=True).click()
    page.get_by_label("Role of depth_band").select_option("identifier")
    expect(page.get_by_role("complementary")).to_contain_text("by hand")
    page.get_by_role("button", name="mean words").click()
    expect(page.get_by_role("complementary")).to_contain_text("Runs of characters between spaces")
    assert faults(page) == []
