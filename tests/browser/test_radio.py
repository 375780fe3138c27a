"""A Zigbee node is paired in the console: the window, a press, the interview, the room;
and what its pages show."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.air import Air, hub_in, let_in
from tests.browser.conftest import TextArea, violations
from tests.house import Service, until


@pytest.fixture(scope="module")
def both(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Service, Air]]:
    with hub_in(tmp_path_factory.mktemp("radio")) as result:
        yield result


@pytest.fixture(scope="module")
def service(both: tuple[Service, Air]) -> Service:
    return both[0]


@pytest.fixture(scope="module")
def air(both: tuple[Service, Air]) -> Air:
    return both[1]


def test_window_press_interview_admit_and_its_value_in_the_room(
    console: Page, service: Service, air: Air
) -> None:
    node = air.nodes["loft-climate"]
    node.thinks_s = 0.4
    with service.hub() as hub:
        until(lambda: hub.zigbee.info().state == "up")
    console.goto("/nodes")
    console.get_by_role("button", name="Open pairing").click()
    console.get_by_text("Where the hub listens").click()
    expect(console.get_by_text("Zigbee on channel")).to_be_visible()
    until(lambda: air.do(lambda: air.stick.permits))
    air.press("loft-climate")
    arrivals = console.get_by_role("list", name="Arrivals")
    row = arrivals.get_by_role("listitem").filter(has_text="zigbee")
    expect(row.get_by_role("status")).to_contain_text("asking what it has")
    expect(row.get_by_role("button", name="Let it in")).to_have_count(0)
    expect(row).to_contain_text("Alder & Finch Climate C3", timeout=30_000)
    row.get_by_role("button", name="Let it in").click(timeout=30_000)
    dialog = console.get_by_role("dialog")
    expect(dialog.get_by_label("Setup code")).to_have_count(0)
    dialog.locator("input[name=name]").fill("Loft climate")
    dialog.get_by_label("Room").fill("Loft")
    expect(dialog.locator('input[name="shown link-quality"]')).not_to_be_checked()
    assert violations(console) == []
    dialog.get_by_role("button", name="Let it in").click()
    console.get_by_role("button", name="Close it").click()
    console.get_by_role("link", name="Loft climate").click()
    expect(
        console.get_by_text("Alder & Finch Climate C3, sleeps, software 1.4.2, on a battery")
    ).to_be_visible()
    console.goto("/rooms/loft")
    tile = console.get_by_role("listitem").filter(has_text="Temperature")
    expect(tile).to_contain_text(f"{air.mill.rooms['loft'].temperature:.0f}"[:1])
    expect(console.get_by_text("Link quality")).to_have_count(0)


def test_a_lamp_is_set_to_a_level_with_the_keyboard(
    console: Page, service: Service, air: Air
) -> None:
    with service.hub() as hub:
        let_in(hub, air, "loft-lamp", "Loft")
        until(lambda: hub.entities.get("loft-lamp/level").value == 100)
    console.goto("/rooms/loft")
    slider = console.get_by_role("slider", name="Loft lamp level")
    slider.focus()
    slider.press("ArrowLeft")
    expect(console.get_by_role("listitem").filter(has=slider)).to_contain_text("99")
    until(lambda: air.do(lambda: air.nodes["loft-lamp"].level) == 251)
    assert violations(console) == []


def test_a_value_without_a_name_is_named_in_the_nodes_profile(
    console: Page, service: Service, air: Air
) -> None:
    with service.hub() as hub:
        let_in(hub, air, "herb-probe", "Terrace")
        until(lambda: hub.messages.list(via="zigbee", topic="herb-probe/1/FC52"))
    console.goto("/messages?via=zigbee")
    expect(console.get_by_label("Came in by")).to_have_value("zigbee")
    row = (
        console.get_by_role("list", name="Messages")
        .get_by_role("listitem")
        .filter(has_text="herb-probe/1/FC52")
    )
    row.get_by_role("link", name="Name its values").click()
    dialog = console.get_by_role("dialog")
    area = TextArea(console)
    area.has(re.compile("tunnelled 33"))
    assert violations(console) == []
    draft = area.text
    area.fill(draft.replace('"tunnelled 33"\nkind = "number"', '"salt"\nkind = "slat"'))
    dialog.get_by_role("button", name="Use it").click()
    expect(dialog.get_by_text("kind is 'slat'")).to_be_visible()
    area.fill(draft.replace('"tunnelled 33"\nkind = "number"', '"salt"\nkind = "conductivity"'))
    dialog.get_by_role("button", name="Use it").click()
    expect(dialog).to_have_count(0)
    expect(console.get_by_role("listitem").filter(has_text="Salt")).to_contain_text("µS/cm")
    expect(console.get_by_text("Everything that it says has a name.")).to_be_visible()


def test_a_node_that_has_left_is_marked(console: Page, service: Service, air: Air) -> None:
    with service.hub() as hub:
        hub.pairing.close()
        until(lambda: not air.do(lambda: air.stick.permits))
    air.press("loft-lamp")
    console.goto("/")
    expect(
        console.get_by_text("Loft lamp has left; let it join again, or remove it")
    ).to_be_visible()
    console.goto("/nodes")
    expect(console.get_by_role("row", name="Loft lamp")).to_contain_text("has left")


def test_a_foreign_network_waits_for_a_word(console: Page, service: Service, air: Air) -> None:
    air.do(air.stick.unplug)
    air.stick.store[0x002D] = bytes(range(8))
    air.do(air.stick.plug)
    console.goto("/nodes")
    expect(
        console.get_by_role("heading", name="The Zigbee stick carries another network")
    ).to_be_visible(timeout=60_000)
    assert violations(console) == []
    console.get_by_role("button", name="Wipe the network …").click()
    console.get_by_role("button", name="Wipe it").click()
    expect(
        console.get_by_role("heading", name="The Zigbee stick carries another network")
    ).to_have_count(0, timeout=60_000)


def test_what_a_household_operates_is_one_tile_each_and_works_by_keys(
    console: Page, service: Service, air: Air
) -> None:
    with service.hub() as hub:
        for node in ("loft-reading-lamp", "drying-room-radiator", "workshop-lock", "loft-dial"):
            let_in(hub, air, node, "Workshop")
        until(lambda: hub.entities.get("loft-reading-lamp/white").value == 2703)
        until(lambda: hub.entities.get("drying-room-radiator/mode").value is not None)
        until(lambda: hub.entities.get("workshop-lock/lock").value == 1)
        until(lambda: (1, 6) in air.do(lambda: air.nodes["loft-dial"].bound))
    console.goto("/rooms/workshop")
    lamp = console.get_by_role("listitem").filter(has_text="Loft reading lamp")
    expect(lamp).to_have_count(1)
    switch = lamp.get_by_role("switch")
    switch.focus()
    switch.press("Space")
    until(lambda: air.do(lambda: air.nodes["loft-reading-lamp"].on))
    expect(lamp.locator('[data-value="loft-reading-lamp/switch"]')).to_have_text("on")
    white = lamp.get_by_role("slider", name="Loft reading lamp white")
    white.focus()
    white.press("ArrowRight")
    expect(lamp.locator('[data-value="loft-reading-lamp/white"]')).to_have_text("2747 K")

    # Its own page operates it too, and says since when it is on.
    console.goto("/nodes/loft-reading-lamp")
    row = console.get_by_role("listitem").filter(has_text="Switch")
    expect(row).to_contain_text("since")
    row.get_by_role("switch").click()
    until(lambda: not air.do(lambda: air.nodes["loft-reading-lamp"].on))
    expect(row).to_contain_text("off")
    assert violations(console) == []
    console.goto("/rooms/workshop")

    radiator = console.get_by_role("listitem").filter(has_text="thermostat")
    radiator.get_by_role("radio", name="heat").focus()
    radiator.get_by_role("radio", name="heat").press("ArrowLeft")
    until(
        lambda: air.do(lambda: air.nodes["drying-room-radiator"]._read(1, 0x201, 0x1C).value) == 0
    )
    expect(radiator.locator('[data-value="drying-room-radiator/mode"]')).to_have_text("off")
    radiator.get_by_role("button", name="Drying room radiator target: lower").click()
    expect(radiator.locator('[data-value="drying-room-radiator/target"]')).to_have_text("25.5 °C")

    console.get_by_role("button", name="Unlock …").click()
    console.get_by_role("dialog").get_by_role("button", name="Unlock", exact=True).click()
    until(lambda: air.do(lambda: air.nodes["workshop-lock"]._read(1, 0x101, 0).value) == 2)
    expect(console.get_by_role("button", name="Lock", exact=True)).to_be_visible()

    air.do(lambda: air.nodes["loft-dial"].tap("tap"))
    dial = console.get_by_role("listitem").filter(has_text="Loft dial").filter(has_text="remote")
    expect(dial.locator("[data-value]").first).to_have_text("toggle")
    assert violations(console) == []


def test_a_press_has_its_moments_and_an_automation_from_the_form(
    console: Page, service: Service, air: Air
) -> None:
    console.goto("/readings/loft-dial/button")
    expect(console.get_by_text("toggle ×1")).to_be_visible()
    assert violations(console) == []
    console.get_by_role("link", name="Write one").click()
    expect(console.get_by_label("When it sends")).to_be_visible()
    expect(console.get_by_label("Held for")).to_have_count(0)
    console.get_by_label("Name").fill("Dial works the lamp")
    console.get_by_label("When it sends").select_option("toggle")
    console.get_by_label("Switch to its other state").select_option("loft-reading-lamp/switch")
    console.get_by_role("button", name="Write the text").click()
    console.get_by_role("button", name="Put on duty").click()
    expect(console.get_by_role("heading", name="Dial works the lamp")).to_be_visible()
    on = air.do(lambda: air.nodes["loft-reading-lamp"].on)
    air.do(lambda: air.nodes["loft-dial"].tap("tap"))
    until(lambda: air.do(lambda: air.nodes["loft-reading-lamp"].on) is not on)
    console.goto("/readings/drying-room-radiator/mode")
    expect(console.get_by_role("img", name=re.compile("Its words as strips"))).to_be_visible()
    assert violations(console) == []
