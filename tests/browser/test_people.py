"""A guest is invited, joins on a phone, and sees what is theirs; a new password."""

from __future__ import annotations

from typing import Any

from playwright.sync_api import Browser, Page, expect

from tests.house import PASSWORD, Joined, Service, description, let_in
from tests.house import PLUG as A_PLUG


def test_a_guest_joins_by_a_link_and_sees_their_rooms_only(
    console: Page, browser: Browser, service: Service, cellar: Joined
) -> None:
    lamp = let_in(service, description("Loft lamp", **A_PLUG), room="Loft")
    console.goto("/people")
    console.get_by_label("Role").select_option("guest")
    console.get_by_label("Loft").check()
    console.get_by_role("button", name="Make an invitation").click()
    link = console.get_by_role("status").locator("code").inner_text()
    phone = browser.new_context(viewport={"width": 390, "height": 844})
    page = phone.new_page()
    page.goto(link)
    expect(page.get_by_role("heading", level=1)).to_have_text("Welcome to Test house")
    page.get_by_label("Your name").fill("noor")
    page.get_by_label("A password").fill(PASSWORD)
    page.get_by_role("button", name="Join").click()
    expect(page.get_by_role("heading", name="Loft")).to_be_visible()
    expect(page.get_by_role("heading", name="Cheese cellar")).to_have_count(0)
    expect(page.get_by_role("navigation")).to_have_count(0)
    with lamp.connected():
        page.get_by_role("switch").click()
        expect(page.get_by_role("switch")).to_be_checked()
    page.goto(f"{service.url}/automations")
    expect(page.get_by_role("heading", name="Loft")).to_be_visible()
    # The link was used.
    other = browser.new_context()
    again = other.new_page()
    again.goto(link)
    expect(again.get_by_role("alert")).to_contain_text("was used")
    # The owner sees them, and shows them out.
    console.reload()
    members: Any = console.get_by_role("region", name="Who can sign in")
    expect(members.get_by_text("guest: loft")).to_be_visible()
    members.get_by_role("button", name="Remove noor").click()
    console.get_by_role("dialog").get_by_role("button", name="Remove").click()
    expect(members.get_by_text("noor")).to_have_count(0)
    page.goto(service.url)
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    phone.close()
    other.close()
