"""Every page: in light and dark, wide and narrow, by keyboard, and when things go
wrong."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import pytest
from playwright.sync_api import BrowserType, Page, Route, expect

from tests.browser.conftest import TextArea, violations
from tests.house import PLUG, Joined, Service, description, let_in, until

FITS = "document.documentElement.scrollWidth <= window.innerWidth"
PAGES = {
    "/": "Test house",
    "/rooms/cheese-cellar": "Cheese cellar",
    "/readings": "Readings",
    "/readings/cellar-rack/humidity": "Cellar rack humidity",
    "/readings/cellar-mister/switch": "Cellar mister",
    "/compare?of=cellar-rack/humidity&of=cellar-rack/temperature": "Compare",
    "/nodes": "Nodes",
    "/nodes/cellar-rack": "Cellar rack",
    "/messages": "Messages",
    "/admit": "Waiting for the node",
    "/automations": "Automations",
    "/automations/new": "New automation",
    "/automations/cellar-too-dry": "Cellar too dry",
    "/review": "Look back",
    "/journal": "Journal",
    "/settings": "Settings",
    "/nowhere": "There is no such page",
}


@pytest.mark.parametrize("path", PAGES)
def test_no_page_has_a_violation_or_scrolls_sideways(
    console: Page, cellar: Joined, path: str
) -> None:
    console.emulate_media(reduced_motion="reduce")
    console.goto(path)
    expect(console.get_by_role("heading", level=1)).to_have_text(PAGES[path])
    expect(console.get_by_role("status", name="Loading")).to_have_count(0)
    for width, height in ((1280, 800), (390, 844)):
        console.set_viewport_size({"width": width, "height": height})
        until(lambda: console.evaluate(FITS), within_s=3)  # charts follow a moment later
        for scheme in ("light", "dark") if width > height else ("light",):
            console.emulate_media(color_scheme=scheme)  # type: ignore[arg-type]
            assert violations(console) == [], f"{path} at {width} in the {scheme}"


@pytest.fixture(scope="module")
def large_text(
    browser_type: BrowserType,
    browser_type_launch_args: dict[str, Any],
    service: Service,
    cookies: list[dict[str, Any]],
) -> Iterator[Page]:
    """A narrow phone whose owner has set all text to twice its size."""
    words = browser_type_launch_args | {
        "args": [*browser_type_launch_args["args"], "--blink-settings=defaultFontSize=32"]
    }
    browser = browser_type.launch(**words)
    context = browser.new_context(
        base_url=service.url, viewport={"width": 360, "height": 740}, service_workers="block"
    )
    context.add_cookies(cookies)  # type: ignore[arg-type]
    yield context.new_page()
    browser.close()


@pytest.mark.parametrize("path", PAGES)
def test_text_of_twice_the_size_fits_a_narrow_phone(
    large_text: Page, cellar: Joined, path: str
) -> None:
    large_text.goto(path)
    expect(large_text.get_by_role("heading", level=1)).to_have_text(PAGES[path])
    expect(large_text.get_by_role("status", name="Loading")).to_have_count(0)
    assert large_text.evaluate("parseFloat(getComputedStyle(document.body).fontSize)") == 32
    until(lambda: large_text.evaluate(FITS), within_s=3)


def test_a_persons_own_colours_leave_dots_and_choices_to_be_seen(
    console: Page, cellar: Joined
) -> None:
    console.emulate_media(forced_colors="active")
    console.goto("/readings/cellar-rack/humidity")
    paper = console.evaluate("getComputedStyle(document.documentElement).backgroundColor")
    edge = "e => getComputedStyle(e).borderBottomColor"
    assert console.get_by_role("button", name="day", pressed=True).evaluate(edge) != paper
    assert console.get_by_role("button", name="hour", pressed=False).evaluate(edge) == paper
    console.goto("/")
    dot = console.get_by_role("link", name=re.compile(r"^\d\d:\d\d:\d\d: ")).first
    assert dot.evaluate("e => getComputedStyle(e).backgroundColor") != paper


def test_the_house_is_the_way_to_its_rooms(console: Page, cellar: Joined) -> None:
    console.goto("/")
    cell = console.get_by_role("region", name="The house in section").get_by_role(
        "link", name="Cheese cellar"
    )
    expect(cell).to_contain_text("11.3")
    expect(cell).to_contain_text("84.5")
    cell.click()
    expect(console).to_have_url("/rooms/cheese-cellar")
    expect(console).to_have_title("Cheese cellar · Test house")


def test_a_chart_for_each_span_with_an_address_that_can_be_shared(
    console: Page, cellar: Joined
) -> None:
    console.goto("/readings/cellar-rack/humidity")
    for span in ("hour", "week", "month", "day"):
        console.get_by_role("button", name=span).click()
        expect(console.get_by_role("button", name=span)).to_have_attribute("aria-pressed", "true")
        expect(console).to_have_url(f"/readings/cellar-rack/humidity?span={span}")
        expect(console.get_by_role("figure", name="Chart").locator("canvas")).to_be_visible()
    chart = console.get_by_role("figure", name="Chart")
    numbers = chart.locator(".u-legend")
    expect(numbers).not_to_be_visible()  # no row of dashes before one points at a time
    chart.locator(".u-over").hover()
    expect(numbers).to_be_visible()
    expect(numbers).to_contain_text("84.5 %")
    expect(console.get_by_text("sends “humidity” over Wi-Fi")).to_be_visible()
    expect(console.get_by_role("link", name="Cellar too dry")).to_be_visible()
    console.get_by_text("The latest readings, one by one").click()
    expect(console.get_by_role("row", name="84.5 %")).to_be_visible()


def test_anywhere_by_keyboard_alone(
    console: Page, service: Service, mister: Joined, cellar: Joined
) -> None:
    console.goto("/")
    console.get_by_role("navigation").wait_for()
    console.keyboard.press("Control+k")
    expect(console.get_by_role("combobox")).to_be_focused()
    assert violations(console) == []
    console.keyboard.type("rack humid")
    console.keyboard.press("Enter")
    expect(console.get_by_role("heading", level=1)).to_have_text("Cellar rack humidity")
    with mister.connected():
        console.keyboard.press("Control+k")
        console.keyboard.type("mister switch on")
        option = console.locator('[role="option"]').first
        expect(option).to_contain_text("Cellar mister: switch on")
        console.keyboard.press("Enter")
        expect(console.get_by_role("dialog")).to_have_count(0)
    with service.hub() as hub:
        assert hub.entities.get("cellar-mister/switch").value == 1.0
    console.keyboard.press("Control+k")
    console.keyboard.press("Escape")
    expect(console.get_by_role("dialog")).to_have_count(0)


def test_an_automation_from_the_form_then_by_its_text(
    console: Page, service: Service, cellar: Joined
) -> None:
    console.goto("/automations/new?entity=cellar-rack/temperature")
    expect(console.get_by_label("Watch")).to_have_value("cellar-rack/temperature")
    console.get_by_label("Name").fill("Cellar too warm")
    console.get_by_label("Limit", exact=True).fill("14 °C")
    console.get_by_label("Held for").fill("10 min")
    console.get_by_label("Tell").select_option("everyone")
    console.get_by_role("button", name="Write the text").click()
    expect(
        console.get_by_text("When Cellar rack temperature is over 14 °C for 10 min: tell everyone")
    ).to_be_visible()
    area = TextArea(console)
    text = area.text
    area.fill(text.replace("temperature", "temprature"))
    expect(console.get_by_text("no entity cellar-rack/temprature")).to_be_visible()
    expect(console.get_by_text("did you mean cellar-rack/temperature?")).to_be_visible()
    expect(console.get_by_role("button", name="Put on duty")).to_be_disabled()
    assert violations(console) == []
    area.fill("# by hand\n" + text)
    console.get_by_role("button", name="Put on duty").click()
    expect(console.get_by_role("heading", level=1)).to_have_text("Cellar too warm")
    with service.hub() as hub:
        assert hub.automations.get("cellar-too-warm").text == "# by hand\n" + text
    console.get_by_role("link", name="Automations").click()
    console.get_by_role("button", name="take off duty Cellar too warm").click()
    expect(console.get_by_role("button", name="put on duty Cellar too warm")).to_be_visible()
    console.get_by_role("link", name="Cellar too warm").click()
    console.get_by_role("button", name="Remove …").click()
    console.get_by_role("button", name="Remove it").click()
    expect(console.get_by_role("link", name="Cellar too dry")).to_be_visible()
    expect(console.get_by_role("link", name="Cellar too warm")).to_have_count(0)


def test_an_automation_that_starts_is_on_the_house_and_in_the_journal(
    console: Page, service: Service, cellar: Joined
) -> None:
    console.goto("/")
    expect(console.get_by_text("No automation has acted today.")).to_be_visible()
    cellar.post([{"n": "humidity", "v": 71.5}])
    expect(console.get_by_role("heading", name="On now")).to_be_visible()
    expect(console.get_by_role("list", name="Automations today")).to_contain_text("Cellar too dry")
    cellar.post([{"n": "humidity", "v": 88.5}])
    expect(console.get_by_role("heading", name="On now")).to_have_count(0)
    console.get_by_role("link", name="Journal").click()
    expect(console.get_by_text("Cellar too dry started: 71.5 % under 82 %")).to_be_visible()
    console.get_by_label("show").select_option("AutomationStarted")
    expect(console.get_by_text("Cellar too dry ended")).to_have_count(0)
    cellar.post([{"n": "humidity", "v": 84.5}])


def test_a_node_is_renamed_moved_and_taken_out(
    console: Page, service: Service, cellar: Joined
) -> None:
    let_in(service, description("Spare plug", **PLUG), "Loft")
    console.goto("/nodes/spare-plug")
    console.get_by_label("Name").fill("Kettle")
    console.get_by_label("Room").fill("Gallery")
    console.get_by_role("button", name="Save").click()
    expect(console.get_by_role("heading", level=1)).to_have_text("Kettle")
    console.get_by_role("button", name="Take it out …").click()
    assert violations(console) == []
    console.get_by_role("button", name="Remove and keep its history").click()
    expect(console.get_by_role("heading", level=1)).to_have_text("Nodes")
    expect(console.get_by_role("link", name="Kettle")).to_have_count(0)


def test_rooms_are_added_and_put_in_order(console: Page, service: Service, cellar: Joined) -> None:
    console.goto("/settings")
    expect(
        console.get_by_text("read without mistakes")
    ).to_be_visible()  # all of the page is there, and stands still
    for name in ("Alcove", "Pantry"):
        console.get_by_label("Add").fill(name)
        console.get_by_role("button", name="Add it").click()
        expect(console.get_by_role("button", name=f"Remove {name}")).to_be_visible()
    console.get_by_role("button", name="Move Pantry left").click()

    def names() -> list[str]:
        with service.hub() as hub:
            return [room.name for floor in hub.house().floors for room in floor.rooms]

    expect(console.get_by_role("button", name="Move Pantry right")).to_be_enabled()
    assert names().index("Pantry") < names().index("Alcove")
    for name in ("Alcove", "Pantry"):
        console.get_by_role("button", name=f"Remove {name}").click()
        console.get_by_role("dialog").get_by_role("button", name="Remove").click()
        expect(console.get_by_text(name, exact=True)).to_have_count(0)
    console.get_by_role("button", name="Remove Cheese cellar").click()
    console.get_by_role("dialog").get_by_role("button", name="Remove").click()
    expect(console.get_by_role("alert")).to_contain_text("not empty")
    console.get_by_role("button", name="Keep it").click()
    console.get_by_role("button", name="Rename Cheese cellar").click()
    console.get_by_role("dialog").get_by_role("textbox").fill("Cheese vault")
    console.get_by_role("dialog").get_by_role("button", name="Save").click()
    expect(console.get_by_text("Cheese vault", exact=True)).to_be_visible()
    with service.hub() as hub:
        hub.rooms.rename("cheese-cellar", "Cheese cellar")


def test_readings_are_found_by_typing(console: Page, cellar: Joined) -> None:
    console.goto("/readings")
    expect(console.get_by_role("row", name="Cellar rack Humidity")).to_be_visible()
    console.get_by_label("Find readings").fill("cheese power")
    expect(console.get_by_role("row")).to_have_count(2)
    console.get_by_label("Find readings").fill("zzz")
    expect(console.get_by_text("Nothing matches.")).to_be_visible()


def test_a_long_table_of_readings_makes_the_rows_on_the_screen(
    console: Page, cellar: Joined
) -> None:
    def many(route: Route) -> None:
        told = route.fetch()
        one = next(e for e in told.json() if e["entity"] == "cellar-rack/humidity")
        copies = [one | {"entity": f"rack-{at:03}/humidity"} for at in range(400)]
        route.fulfill(response=told, json=copies)

    console.route("**/api/entities", many)
    console.goto("/readings")
    table = console.get_by_role("table")
    expect(table).to_have_attribute("aria-rowcount", "401")
    expect(table.locator("[aria-rowindex='2']")).to_be_visible()
    assert console.get_by_role("row").count() < 80
    console.evaluate("window.scrollTo(0, document.body.scrollHeight)")
    expect(table.locator("[aria-rowindex='401']")).to_be_in_viewport()
    expect(table.locator("[aria-rowindex='401'] a")).to_have_attribute(
        "href", "/readings/rack-399/humidity"
    )
    expect(table.locator("[aria-rowindex='2']")).to_have_count(0)
    assert violations(console) == []
    # One that is still answered must not meet a page that is closed.
    console.unroute_all(behavior="wait")


def test_a_page_that_cannot_be_loaded_says_so_and_tries_again(
    console: Page, cellar: Joined
) -> None:
    def refuse(route: Route) -> None:
        route.fulfill(
            status=503,
            content_type="application/problem+json",
            body='{"title":"x","status":503,"detail":"the disk is full"}',
        )

    console.route("**/api/automations", refuse)
    console.goto("/automations")
    expect(console.get_by_role("alert")).to_contain_text("the disk is full")
    console.wait_for_timeout(500)
    expect(console.get_by_text("could not read all of this page")).to_have_count(0)
    assert violations(console) == []
    console.unroute("**/api/automations")
    console.get_by_role("button", name="Try again").click()
    expect(console.get_by_role("link", name="Cellar too dry")).to_be_visible()


def test_a_part_of_a_page_that_cannot_be_read_does_not_pass_for_nothing(
    console: Page, cellar: Joined
) -> None:
    console.route("**/api/entities", lambda route: route.fulfill(status=500, body=""))
    console.goto("/")
    said = console.get_by_text("could not read all of this page")
    expect(said).to_be_visible()
    expect(console.get_by_text("nothing heard yet")).to_have_count(0)
    assert violations(console) == []
    with console.expect_response("**/api/entities"):
        console.get_by_role("button", name="Read it again").click()
    expect(said).to_be_visible()
    # What comes in from the nodes makes the page read again too; nobody need click.
    console.unroute("**/api/entities")
    console.reload()
    expect(console.get_by_text("Cheese cellar").first).to_be_visible()
    expect(said).to_have_count(0)


def test_addresses_of_what_does_not_exist_say_so(console: Page, cellar: Joined) -> None:
    for path, said in (
        ("/rooms/attic", "There is no room attic"),
        ("/nodes/nobody", "There is no node nobody"),
        ("/automations/nothing", "There is no automation nothing"),
        ("/readings/cellar-rack/humidty", "did you mean cellar-rack/humidity?"),
    ):
        console.goto(path)
        expect(console.get_by_role("alert")).to_contain_text(said)
