"""Arranging pages by mouse and by keyboard, one's own dashboards, and the wall."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from hombi.lab.camera import png
from hombi.wire.dashboards import TileRequest
from tests.browser.conftest import violations
from tests.cameras import camera, says
from tests.house import Joined, Service, until

ROOM = "/rooms/cheese-cellar"


@pytest.fixture(autouse=True)
def values(service: Service, rack: Joined, mister: Joined) -> None:
    rack.post([{"n": "humidity", "v": 84.5}, {"n": "temperature", "v": 11}])
    mister.post([{"n": "power", "v": 0.4}, {"n": "switch", "v": False}])
    with service.hub() as hub:
        until(lambda: hub.entities.get("cellar-rack/humidity").value == 84.5)
        for one in hub.dashboards.list():
            hub.dashboards.remove(one.dashboard)


def tiles(page: Page) -> list[str]:
    """The names of the tiles while they are arranged, in their order."""
    handles = page.get_by_role("list", name="Tiles").get_by_role("button", name="Move ")
    return [str(one).removeprefix("Move ") for one in handles.evaluate_all(
        "all => all.map(one => one.getAttribute('aria-label'))")]  # fmt: skip


def shown(page: Page) -> list[str]:
    """The entities of the tiles, in their order."""
    result: list[str] = page.locator("[data-entity]").evaluate_all(
        "all => all.map(one => one.dataset.entity)"
    )
    return result


def test_a_room_is_arranged_by_mouse_and_goes_back(console: Page, service: Service) -> None:
    console.goto(ROOM)
    expect(console.locator("[data-entity]").first).to_be_visible()
    before = shown(console)
    console.get_by_role("button", name="Arrange").click()
    expect(console.get_by_role("button", name="Save")).to_be_visible()
    first, last = tiles(console)[0], tiles(console)[-1]
    a = console.get_by_role("button", name=f"Move {first}", exact=True).bounding_box()
    b = console.get_by_role("button", name=f"Move {last}", exact=True).bounding_box()
    assert a is not None
    assert b is not None
    console.mouse.move(a["x"] + 8, a["y"] + 8)
    console.mouse.down()
    console.mouse.move(b["x"] + 10, b["y"] + 10, steps=12)
    console.mouse.up()
    until(lambda: tiles(console)[-1] == first)
    console.get_by_label(f"Size of {first}", exact=True).select_option("wide")
    console.get_by_role("button", name=f"Take {last} off", exact=True).click()
    console.get_by_role("button", name="Undo").click()
    assert last in tiles(console)
    console.get_by_role("button", name=f"Take {last} off", exact=True).click()
    assert violations(console) == []
    console.get_by_role("button", name="Save").click()
    expect(console.get_by_role("button", name="Arrange")).to_be_visible()
    after = shown(console)
    assert after[-1] == before[0]
    assert len(after) == len(before) - 1
    expect(console.get_by_text("One value of this room is not on it")).to_be_visible()
    with service.hub() as hub:
        assert hub.dashboards.get("room-cheese-cellar").tiles[-1].size == "wide"
    console.reload()
    expect(console.get_by_role("button", name="Show all values again")).to_be_visible()
    assert shown(console) == after
    console.get_by_role("button", name="Show all values again").click()
    expect(console.locator("[data-entity]")).to_have_count(len(before))
    assert shown(console) == before


def test_a_room_is_arranged_by_keyboard_and_left_as_it_was(console: Page) -> None:
    console.goto(ROOM)
    console.get_by_role("button", name="Arrange").click()
    expect(console.get_by_role("button", name="Save")).to_be_visible()
    first, second = tiles(console)[:2]
    console.get_by_role("button", name=f"Move {first}", exact=True).focus()
    console.keyboard.press("Space")
    console.wait_for_timeout(300)
    console.keyboard.press("ArrowRight")
    console.wait_for_timeout(300)
    console.keyboard.press("Space")
    until(lambda: tiles(console)[:2] == [second, first])
    expect(console.get_by_text(re.compile("Put down at"))).to_be_attached()
    console.get_by_role("button", name="Leave it as it was").click()
    console.get_by_role("button", name="Arrange").click()
    until(lambda: tiles(console)[:2] == [first, second])


def test_a_dashboard_of_all_sorts_of_tiles(console: Page) -> None:
    console.goto("/")
    console.get_by_label("Name of a new dashboard").fill("Evening round")
    console.get_by_role("button", name="Make it").click()
    expect(console.get_by_role("heading", name="Evening round")).to_be_visible()
    console.get_by_role("button", name="Arrange").click()
    console.get_by_role("button", name="Put Cellar rack humidity there").click()
    console.get_by_role("button", name="A text", exact=True).click()
    console.get_by_label("Text", exact=True).fill("Turn the wheels.\nEvery Monday.")
    console.keyboard.press("Tab")
    console.get_by_role("button", name="Several values").click()
    console.get_by_label("Add a value to Several values").select_option(
        label="Cellar rack temperature"
    )
    console.get_by_role("button", name="A comparison").click()
    console.get_by_label("Add a value to A comparison").select_option(label="Cellar rack humidity")
    console.get_by_role("button", name="Save").click()
    expect(console.get_by_role("alert")).to_contain_text("shows 2 to 8 values, not 1")
    console.get_by_label("Add a value to Cellar rack humidity").last.select_option(
        label="Cellar rack temperature"
    )
    console.get_by_role("button", name="Save").click()
    expect(console.get_by_role("button", name="Arrange")).to_be_visible()
    expect(console.get_by_text("Turn the wheels.")).to_be_visible()
    expect(console.get_by_role("figure", name=re.compile("Chart"))).to_be_visible()
    assert violations(console) == []
    console.set_viewport_size({"width": 360, "height": 800})
    assert console.evaluate("document.documentElement.scrollWidth") == 360
    console.goto("/")
    console.get_by_role("link", name="Evening round", exact=True).click()
    console.get_by_role("button", name="Remove Evening round").click()
    console.get_by_role("dialog").get_by_role("button", name="Remove", exact=True).click()
    expect(console.get_by_role("heading", name="Dashboards")).to_be_visible()
    expect(console.get_by_role("link", name="Evening round", exact=True)).to_have_count(0)


def test_a_scene_is_recorded_and_recalled_from_a_tile(
    console: Page, service: Service, mister: Joined
) -> None:
    mister.post([{"n": "switch", "vb": False}])
    with service.hub() as hub:
        until(lambda: hub.entities.get("cellar-mister/switch").value == 0)
    console.goto("/automations")
    console.get_by_text("Record a scene").click()
    console.get_by_label("What to call it").fill("All quiet")
    console.get_by_label(re.compile("Cellar mister off")).check()
    assert violations(console) == []
    console.get_by_role("button", name="Record it").click()
    expect(console.get_by_role("button", name="All quiet", exact=True)).to_be_visible()
    with service.hub() as hub:
        hub.dashboards.add("Evening round", [TileRequest(sort="scene", text="all-quiet")])
    mister.post([{"n": "switch", "vb": True}])
    with mister.connected():
        console.goto("/dashboards/evening-round")
        console.get_by_role("button", name="All quiet").click()
        expect(console.get_by_text("recalled", exact=True)).to_be_visible()
    with service.hub() as hub:
        assert hub.entities.get("cellar-mister/switch").value == 0
    console.get_by_role("button", name="All quiet").click()
    expect(console.get_by_text("not confirmed: Cellar mister")).to_be_visible(timeout=30_000)
    assert violations(console) == []
    with service.hub() as hub:
        hub.scenes.remove("all-quiet")
    expect(console.get_by_text("The scene all-quiet is not there any more.")).to_be_visible()


def test_a_picture_on_the_wall(console: Page, service: Service) -> None:
    shown = png([bytes((90, 120, 60)) * 64] * 48, 64)
    with camera(says("200 OK", "Content-Type: image/png", shown)) as address, service.hub() as hub:
        tile = TileRequest(
            sort="picture", of=["cellar-rack/humidity"], text="Rinds", address=address
        )
        hub.dashboards.add("Evening round", [tile])
        console.goto("/wall/evening-round")
        picture = console.get_by_role("img", name="Rinds")
        expect(picture).to_be_visible()
        expect(picture).to_have_js_property("naturalWidth", 64)
        rinds = console.get_by_role("listitem").filter(has_text="Rinds")
        expect(rinds).to_contain_text("Humidity 84.5 %")
        expect(rinds.get_by_role("link")).to_have_count(0)
        assert violations(console) == []


def test_the_wall_shows_the_house_and_goes_on_while_the_hub_is_away(
    console: Page, service: Service, rack: Joined
) -> None:
    console.goto(ROOM)
    console.get_by_role("link", name="On the wall").click()
    expect(console.get_by_role("heading")).to_have_text(re.compile(r"^\d\d:\d\d$"))
    expect(console.get_by_role("navigation")).to_have_count(0)
    humidity = console.get_by_role("listitem").filter(has_text="Cellar rack humidity")
    expect(humidity).to_contain_text("84.5 %")
    size = humidity.locator("[data-value]").evaluate(
        "one => parseFloat(getComputedStyle(one).fontSize)"
    )
    assert size > 60, "it is read from three metres"
    assert violations(console) == []
    rack.post([{"n": "humidity", "v": 85.5}])
    expect(humidity).to_contain_text("85.5 %")
    assert console.evaluate("document.documentElement.scrollHeight") <= 800
    service.stop()
    expect(console.get_by_text(re.compile(r"as of \d\d:\d\d"))).to_be_visible()
    expect(humidity).to_contain_text("85.5 %")
    service.start()
    rack.post([{"n": "humidity", "v": 86.5}])
    expect(humidity).to_contain_text("86.5 %")
    expect(console.get_by_text(re.compile(r"as of \d\d:\d\d"))).to_have_count(0)
    console.get_by_role("link", name="Leave the wall").click()
    expect(console.get_by_role("heading", name="Cheese cellar")).to_be_visible()
