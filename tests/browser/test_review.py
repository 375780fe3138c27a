"""Looking back at a week in the console."""

from __future__ import annotations

import re
from datetime import UTC, datetime

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import violations
from tests.house import Service
from tests.past import fill, last_week


@pytest.fixture(scope="module", autouse=True)
def week(service: Service) -> str:
    fill(service)
    return last_week().date().isoformat()


def test_the_room_that_is_damp_at_night_is_found(console: Page, week: str) -> None:
    console.goto("/readings")
    console.get_by_role("link", name="Look back").click()
    expect(console.get_by_role("heading", name="Look back")).to_be_visible()
    # On its first days the month before is shown; there is none after this one.
    console.goto(f"/review?on={datetime.now(UTC).date().isoformat()}")
    expect(console.get_by_role("button", name="The month after")).to_be_disabled()
    console.get_by_role("button", name="The month before").click()
    expect(console.get_by_role("button", name="The month after")).to_be_enabled()
    console.goto(f"/review?span=week&on={week}")
    told = console.get_by_role("region", name="What stands out")
    expect(told).to_contain_text("Loft is damper at night: 15.0 % more than by day")
    humidity = console.get_by_role("region", name="Humidity")
    loft = humidity.get_by_role("row", name=re.compile("^Loft"))
    expect(loft.get_by_role("img")).to_have_attribute(
        "aria-label", re.compile(r"highest at 0:00, usually 70\.0 %; lowest at 6:00")
    )
    expect(loft).to_contain_text("42 h over 65 %")
    expect(console.get_by_role("region", name="Longest silence")).to_contain_text("Cellar rack")
    assert violations(console) == []
    href = console.get_by_role("link", name="as CSV").get_attribute("href")
    assert href == f"/api/review/table?span=week&on={week}"
    assert "loft,loft-beam/humidity" in console.request.get(href).text()
    console.set_viewport_size({"width": 360, "height": 800})
    assert console.evaluate("document.documentElement.scrollWidth") == 360
    told.get_by_role("link", name="See the chart").click()
    expect(console).to_have_url(re.compile(r"loft-beam/humidity\?from=\d+&to=\d+"))


def test_on_paper_it_is_the_page_without_what_is_pressed(console: Page, week: str) -> None:
    console.goto(f"/review?span=week&on={week}")
    expect(console.get_by_role("region", name="Humidity")).to_be_visible()
    console.emulate_media(media="print")
    expect(console.get_by_role("navigation", name="Places")).to_be_hidden()
    expect(console.get_by_role("button", name="Print")).to_be_hidden()
    expect(console.get_by_role("region", name="What stands out")).to_be_visible()
    console.emulate_media(media="screen")
    console.get_by_role("button", name="The week before").click()
    expect(console.get_by_text("Nothing was measured in this time")).to_be_visible()
