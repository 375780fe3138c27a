"""Looking at the past: spans, zoom, limits, and several values in one chart."""

from __future__ import annotations

import re
import time
from urllib.parse import parse_qs, urlsplit

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import violations
from tests.house import CLIMATE, Joined, Service, description, let_in, until

HOUR = 3_600_000
RACK = "/readings/cellar-rack/humidity"


@pytest.fixture(scope="module", autouse=True)
def past(service: Service, rack: Joined, mister: Joined) -> int:
    """Ten hours of the cellar, with one short spike; when they begin."""
    start = round(time.time() * 1000) - 10 * HOUR
    for hour in range(10):
        pack = []
        for minute in range(0, 60, 5):
            at = (start + hour * HOUR) / 1000 + 60 * minute
            spike = (hour, minute) == (5, 25)
            pack.append({"n": "humidity", "v": 97.5 if spike else 80 + hour / 2, "t": at})
            pack.append({"n": "temperature", "v": 10 + hour / 4, "t": at})
        rack.post(pack)
    mister.post([{"n": "power", "v": 0.4}])
    with service.hub() as hub:
        until(lambda: sum(hub.entities.history("cellar-rack/humidity").count) >= 120)
    return start


def drag(page: Page, chart: Locator, begin: float, end: float) -> None:
    box = chart.locator(".u-over").bounding_box()
    assert box is not None
    y = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + begin * box["width"], y)
    page.mouse.down()
    page.mouse.move(box["x"] + end * box["width"], y, steps=8)
    page.mouse.up()


def shown(page: Page) -> tuple[int, int]:
    """The span in the page's address."""
    asked = parse_qs(urlsplit(page.url).query)
    return int(asked["from"][0]), int(asked["to"][0])


def test_a_spike_is_seen_from_afar_and_zoomed_to(console: Page, past: int) -> None:
    console.goto(f"{RACK}?span=year")
    chart = console.get_by_role("figure", name=re.compile("Chart"))
    expect(chart).to_have_attribute("aria-label", re.compile("and 97.5 %"))
    console.goto(RACK)
    expect(chart.locator("canvas")).to_be_visible()
    console.wait_for_timeout(300)
    # The last day is drawn; the spike was 5 h after the start, 4.6 h before now.
    spike, now = past + 5 * HOUR + 25 * 60_000, round(time.time() * 1000)
    part = 1 - (now - spike) / (24 * HOUR)
    drag(console, chart, part - 0.03, part + 0.03)
    expect(console).to_have_url(re.compile(r"from=\d+&to=\d+"))
    start, end = shown(console)
    assert start < spike < end
    assert 0.03 * 24 * HOUR < end - start < 0.1 * 24 * HOUR
    numbers = console.get_by_label("This span in numbers")
    expect(numbers).to_contain_text("highest97.5 %")
    expect(numbers).to_contain_text("median82.5 %")
    # The address can be shared, and Back is where one was before.
    console.reload()
    expect(numbers).to_contain_text("highest97.5 %")
    chart.locator(".u-over").dblclick()
    expect(console).to_have_url(re.compile("span=day"))
    assert violations(console) == []


def test_spans_by_wheel_buttons_and_keys(console: Page) -> None:
    console.goto(RACK)
    chart = console.get_by_role("figure", name=re.compile("Chart"))
    over = chart.locator(".u-over")
    over.hover()
    before = console.evaluate("scrollY")
    console.mouse.wheel(0, 300)
    until(lambda: console.evaluate("scrollY") > before)  # it scrolls the page
    expect(console).not_to_have_url(re.compile("from="))
    console.evaluate("scrollTo(0, 0)")
    over.hover()
    console.keyboard.down("Control")
    console.mouse.wheel(0, -400)
    console.keyboard.up("Control")
    expect(console).to_have_url(re.compile("from="))
    narrow = shown(console)
    assert narrow[1] - narrow[0] < 20 * HOUR
    console.get_by_role("button", name="Earlier").click()
    until(lambda: shown(console) != narrow)
    earlier = shown(console)
    assert earlier[1] < narrow[1]
    console.get_by_role("button", name="Further").click()
    until(lambda: shown(console) != earlier)
    chart.focus()
    wide = shown(console)
    console.keyboard.press("+")
    until(lambda: shown(console) != wide)
    assert shown(console)[1] - shown(console)[0] < wide[1] - wide[0]
    moved = shown(console)
    chart.focus()
    console.keyboard.press("Shift+ArrowLeft")
    until(lambda: shown(console) != moved)
    assert shown(console)[0] < moved[0]
    console.keyboard.press("0")
    expect(console).to_have_url(re.compile("span=day"))


def test_the_time_over_a_limit_that_is_typed_moved_and_dragged(console: Page) -> None:
    console.goto(RACK)
    console.get_by_label("time over").fill("82.2 %")
    console.get_by_label("time over").press("Enter")
    said = console.get_by_role("status").filter(has_text="of the time")
    expect(said).to_contain_text(re.compile(r"^5 h, 50"))
    limit = console.get_by_role("slider", name="Limit")
    expect(limit).to_have_attribute("aria-valuetext", "82.2 %")
    limit.press("ArrowUp")
    expect(limit).to_have_attribute("aria-valuetext", "82.3 %")
    box = limit.bounding_box()
    assert box is not None
    console.mouse.move(box["x"] + 200, box["y"] + box["height"] / 2)
    console.mouse.down()
    console.mouse.move(box["x"] + 200, box["y"] - 60, steps=6)
    console.mouse.up()
    expect(limit).to_have_attribute("aria-valuetext", re.compile("^8[4-9]"), timeout=3_000)
    expect(console).to_have_url(re.compile("over=8[4-9]"))
    console.get_by_label("time over").fill("82 furlong")
    console.get_by_label("time over").press("Enter")
    expect(console.get_by_role("alert")).to_contain_text("over: '82 furlong' does not fit")
    assert violations(console) == []


def test_what_is_doubted_is_said_with_its_reason(console: Page, rack: Joined) -> None:
    rack.post([{"n": "temperature", "v": None}, {"n": "humidity", "v": 140}])
    console.goto("/readings/cellar-rack/humidity")
    expect(console.get_by_text("1 bad: out of range")).to_be_visible()
    expect(console.get_by_label("This span in numbers")).to_contain_text("highest97.5 %")
    rack.post([{"n": "temperature", "v": 12.25}, {"n": "humidity", "v": 84.5}])


def test_values_are_compared_in_one_chart(console: Page, service: Service) -> None:
    console.goto(RACK)
    console.get_by_role("link", name="Compare it").click()
    expect(console.get_by_role("heading", level=1)).to_have_text("Compare")
    chart = console.get_by_role("figure", name=re.compile("Chart"))
    console.get_by_label("Add a value").select_option("cellar-rack/temperature")
    expect(chart).to_have_attribute("aria-label", re.compile("humidity .*Cellar rack temperature "))
    rows = console.get_by_role("row")
    expect(rows.nth(1)).to_contain_text("Cellar rack humidity")
    expect(rows.nth(2)).to_contain_text("12.3 °C")
    console.get_by_label("With itself").select_option("week")
    expect(rows.nth(2)).to_contain_text("Cellar rack humidity, a week earlier")
    expect(console).to_have_url(re.compile("earlier=week"))
    assert violations(console) == []
    console.reload()
    expect(rows).to_have_count(5)
    console.get_by_label("Add a value").select_option("cellar-mister/power")
    expect(console.get_by_text("a chart has room for two. Take one out.")).to_be_visible()
    console.get_by_role("button", name="Take Cellar mister power out").click()
    expect(chart.locator("canvas")).to_be_visible()
    with service.hub() as hub:
        hub.rooms.add("Loft")
    console.goto("/compare")
    console.get_by_label("A room", exact=True).select_option("cheese-cellar")
    console.get_by_label("With the room").select_option("loft")
    expect(console.get_by_text("have no values of the same kind")).to_be_visible()
    node = let_in(service, description("Beam", humidity=CLIMATE["humidity"]), "Loft")
    assert node.post([{"n": "humidity", "v": 61}]).is_success
    # The page has heard of the new node once it can be added.
    added = console.get_by_label("Add a value").locator("option", has_text="Beam humidity")
    expect(added).to_have_count(1)
    console.get_by_label("With the room").select_option("loft")
    compared = console.get_by_role("list", name="Compared").get_by_role("listitem")
    expect(compared).to_have_text(["Cellar rack humidity", "Beam humidity"])
    assert violations(console) == []
    console.goto("/compare?of=cellar-rack/humidity&of=gone/away")
    expect(console.get_by_role("alert")).to_contain_text("There is no value gone/away any more.")


def test_a_value_is_corrected_over_its_past_seen_before_and_taken_back(
    console: Page, service: Service
) -> None:
    console.goto("/readings/cellar-rack/temperature")
    numbers = console.get_by_label("This span in numbers")
    expect(numbers).to_contain_text("highest12.3 °C")
    console.get_by_role("button", name="Correct or smooth it").click()
    being = console.get_by_role("list", name="Steps being changed")
    for sort in ("despike", "low-pass"):  # what was suggested
        being.get_by_role("button", name=f"Remove {sort}").click()
    console.get_by_label("Add a step").select_option("linear")
    tried = console.get_by_role("figure", name=re.compile("with the steps"))
    expect(tried).to_have_attribute("aria-label", re.compile("with the steps from .* and 12.3 °C"))
    being.get_by_label("offset (what is added)").fill("warm")
    expect(console.get_by_role("alert")).to_contain_text("offset: 'warm' is not a number")
    being.get_by_label("offset (what is added)").fill("-0.7")
    expect(tried).to_have_attribute("aria-label", re.compile("with the steps from .* and 11.6 °C"))
    being.get_by_label("offset of linear").press("ArrowLeft")
    expect(being.get_by_label("offset (what is added)")).to_have_value("-0.8")
    assert violations(console) == []
    expect(numbers).to_contain_text("highest12.3 °C")
    console.get_by_role("button", name="Save for the past too").click()
    steps = console.get_by_role("list", name="Steps", exact=True)
    expect(steps).to_contain_text("linear offset=-0.8 gain=1")
    expect(numbers).to_contain_text("highest11.4 °C")
    console.get_by_role("button", name="Undo the latest change of the steps").click()
    expect(console.get_by_role("dialog")).to_contain_text("to hold over the whole past")
    console.get_by_role("dialog").get_by_role("button", name="Undo").click()
    expect(numbers).to_contain_text("highest12.3 °C")
    expect(console.get_by_text("No steps. Each value")).to_be_visible()
    with service.hub() as hub:
        assert hub.conditioning.show("cellar-rack/temperature").versions == []


def test_a_computed_value_is_added_to_a_room_and_removed(console: Page) -> None:
    console.goto("/rooms/cheese-cellar")
    console.get_by_role("button", name="Add a computed value").click()
    sheet = console.get_by_role("dialog")
    expect(sheet.get_by_label("What")).to_have_value("dew-point")
    assert violations(console) == []
    sheet.get_by_label("From the temperature").select_option("cellar-rack/temperature")
    sheet.get_by_label("From the humidity").select_option("cellar-rack/humidity")
    sheet.get_by_role("button", name="Add it").click()
    expect(console).to_have_url(re.compile("/readings/cellar-rack/dew-point"))
    expect(console.get_by_role("heading", level=1)).to_have_text("Cellar rack dew point")
    expect(console.locator("[data-value]")).to_contain_text("9.7 °C")
    sources = console.get_by_role("list", name="Computed from").get_by_role("listitem")
    expect(sources).to_have_text(["Cellar rack temperature", "Cellar rack humidity"])
    expect(console.get_by_label("This span in numbers")).to_contain_text("readings12")
    assert violations(console) == []
    console.goto("/rooms/cheese-cellar")
    tile = console.locator('[data-entity="cellar-rack/dew-point"]')
    expect(tile).to_contain_text("computed")
    console.get_by_role("button", name="Add a computed value").click()
    sheet.get_by_label("From the temperature").select_option("cellar-rack/temperature")
    sheet.get_by_label("From the humidity").select_option("cellar-rack/humidity")
    sheet.get_by_role("button", name="Add it").click()
    expect(sheet.get_by_role("alert")).to_contain_text("is there already; give this one another")
    sheet.get_by_label("What").select_option("mean")
    sheet.get_by_label("Value 1").select_option("cellar-rack/temperature")
    kinds = sheet.get_by_label("Value 2").locator("option")
    expect(kinds).to_have_text(["choose a value …", "Cellar rack dew point"])
    sheet.get_by_role("button", name="Leave it").click()
    tile.get_by_role("link").click()
    console.get_by_role("button", name="Remove Cellar rack dew point").click()
    console.get_by_role("dialog").get_by_role("button", name="Remove").click()
    expect(console).to_have_url(re.compile("/rooms/cheese-cellar"))
    expect(tile).to_have_count(0)


def test_a_sensor_is_compared_with_a_reference_and_corrected(
    console: Page, service: Service, past: int
) -> None:
    degrees = {"type": "number", "unit": "Cel", "readOnly": True}
    for title, first in (("Glass", 9.5), ("Flask", 10.25)):
        beside = let_in(service, description(title, temperature=degrees), "Loft")
        pack = [
            {
                "n": "temperature",
                "v": first + hour / 4,
                "t": (past + hour * HOUR) / 1000 + 60 * minute,
            }
            for hour in range(10)
            for minute in range(0, 60, 5)
        ]
        assert beside.post(pack).is_success
    console.goto("/readings/cellar-rack/temperature")
    console.get_by_role("button", name="Compare with a reference").click()
    sheet = console.get_by_role("dialog")
    sheet.get_by_label("Reference").select_option("glass/temperature")
    expect(sheet.get_by_text("a gain needs 24 hours, and")).to_be_visible()
    expect(sheet.get_by_text("95 % between −0.500 and −0.500")).to_be_visible()
    expect(sheet.get_by_role("figure")).to_have_attribute("aria-label", re.compile("the reference"))
    assert violations(console) == []
    # A second sensor lies beside the same reference.
    sheet.get_by_text("More sensors beside this reference").click()
    sheet.get_by_role("checkbox", name="Flask temperature").check()
    flask = sheet.get_by_role("row", name="Flask temperature")
    expect(flask).to_contain_text("−0.750 °C")
    flask.get_by_role("button", name="Correct").click()
    expect(flask).to_contain_text("corrected")
    with service.hub() as hub:
        until(lambda: hub.conditioning.show("flask/temperature").progress is None)
        assert hub.conditioning.show("flask/temperature").steps[0]["offset"] == -0.75
    assert violations(console) == []
    sheet.get_by_role("button", name="Correct by the offset").click()
    steps = console.get_by_role("list", name="Steps", exact=True)
    expect(steps).to_contain_text("linear offset=-0.5 gain=1")
    expect(console.get_by_label("This span in numbers")).to_contain_text("highest11.8 °C")
    with service.hub() as hub:
        hub.conditioning.undo("cellar-rack/temperature")
