"""From a start without anybody to three people who work, in the browser."""

from __future__ import annotations

from collections.abc import Callable

from playwright.sync_api import Page, expect

PASSWORD = "a long way to the sea {}"


def join(page: Page, name: str) -> None:
    """Choose a password at a one-time address."""
    page.get_by_label("Password", exact=True).fill(PASSWORD.format(name))
    page.get_by_label("Repeat the password").fill(PASSWORD.format(name))
    page.get_by_role("button", name="Sign in").click()


def add(page: Page, username: str, name: str, *roles: str) -> str:
    """Add a person; the one-time address that is shown."""
    page.get_by_role("button", name="Add person").click()
    page.get_by_label("Signs in as").fill(username)
    page.get_by_label("Name", exact=True).fill(name)
    for role in roles:
        page.locator("form.add").get_by_role("checkbox", name=role).check()
    page.locator("form.add").get_by_role("button", name="Add person").click()
    result = page.locator("code")
    expect(result).to_contain_text("/join/")
    address = result.inner_text()
    page.get_by_role("button", name="Done").click()
    return address


def test_from_nobody_to_an_administrator_an_analyst_and_an_approver(
    fresh: tuple[str, str], open_page: Callable[[str], Page]
) -> None:
    address, first = fresh
    admin = open_page(address)
    admin.goto(first)
    admin.get_by_label("Name to sign in with").fill("keeper")
    admin.get_by_label("Name as colleagues see it").fill("A. Keeper")
    admin.get_by_label("Password", exact=True).fill("short")
    admin.get_by_label("Repeat the password").fill("other")
    expect(admin.get_by_text("The passwords differ.")).to_be_visible()
    join(admin, "keeper")
    expect(admin.get_by_role("heading", name="People")).to_be_visible()
    at_analyst = add(admin, "dana", "D. Analyst", "analyst")
    at_approver = add(admin, "ruth", "R. Approver", "approver")
    expect(admin.get_by_text("not joined yet")).to_have_count(2)

    analyst = open_page(address)
    analyst.goto(at_analyst)
    expect(analyst.get_by_text("You sign in as dana.")).to_be_visible()
    join(analyst, "dana")
    expect(analyst.get_by_role("heading", name="Feeds")).to_be_visible()
    analyst.get_by_role("button", name="New feed").click()
    analyst.get_by_label("Name", exact=True).fill("Harbour readings")
    analyst.get_by_role("button", name="Create feed").click()
    analyst.keyboard.press("Escape")
    expect(analyst.get_by_role("link", name="Harbour readings").first).to_be_visible()

    approver = open_page(address)
    approver.goto(at_approver)
    join(approver, "ruth")
    expect(approver.get_by_role("link", name="Harbour readings").first).to_be_visible()
    again = approver.request.get(f"{address}/api/invitations/{at_approver.rsplit('/', 1)[1]}")
    assert again.status == 404  # it worked once

    admin.reload()
    admin.get_by_role("button", name="Sign-ins of D. Analyst").click()
    expect(admin.get_by_role("listitem").filter(has_text=":")).to_have_count(1)
    admin.get_by_role("row").filter(has_text="dana").get_by_role("button", name="Disable").click()
    admin.get_by_role("dialog").get_by_role("button", name="Disable").click()
    expect(admin.get_by_role("button", name="Enable")).to_be_visible()
    analyst.reload()
    expect(analyst.get_by_role("button", name="Sign in")).to_be_visible()

    admin.get_by_role("link", name="Activity").click()
    expect(admin.get_by_text("added", exact=False).first).to_be_visible()
    expect(admin.get_by_text("Harbour readings").first).to_be_visible()
