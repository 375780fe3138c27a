"""The first day with a hub: sign in first, let a node in, see it, switch it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import sign_in, violations
from tests.conftest import make_service
from tests.house import (
    CLIMATE,
    OWNER,
    PASSWORD,
    PLUG,
    Joined,
    Service,
    ask,
    collect,
    description,
    let_in,
)


@pytest.fixture(scope="module")
def service(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    """A hub that nobody has owned."""
    result = make_service(
        Path(tmp_path_factory.mktemp("new")), HOMBI_ACTUATION_ANSWER_WITHIN="4 s"
    ).start()
    yield result
    result.stop()


def test_sign_in_let_in_see_and_switch(page: Page, service: Service) -> None:
    # Whatever the address, a new hub asks to be owned.
    page.goto("/nodes")
    expect(page.get_by_role("heading", name="This hub is new")).to_be_visible()
    assert violations(page) == []
    page.get_by_label("Code").fill("WRNG-WRNG")
    page.get_by_label("Your name").fill(OWNER)
    page.get_by_label("A password").fill(PASSWORD)
    page.get_by_role("button", name="Make it mine").click()
    expect(page.get_by_role("alert")).to_contain_text("not the hub's code")
    page.get_by_label("Code").fill(service.code)
    page.get_by_role("button", name="Make it mine").click()

    # An empty house asks for what it needs, a step at a time; each may be skipped.
    expect(page.get_by_text("Nothing. All is well.")).to_be_visible()
    expect(page.get_by_label("Which time zone")).to_have_value("UTC")
    assert violations(page) == []
    page.get_by_label("What is the house called?").fill("Heron Mill")
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_role("alert")).to_contain_text("HOMBI_HOUSE_NAME sets it")
    page.get_by_role("button", name="Skip this").click()
    page.reload()  # the steps go on where they were, before and after the house has floors
    page.get_by_label("One line per floor").fill("Loft: Loft\nMill floor: Workshop, Drying room")
    expect(page.get_by_role("heading", name="Drying room")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("button", name="Build it").click()
    expect(page.get_by_role("button", name="Open pairing")).to_be_visible()
    page.reload()
    expect(page.get_by_role("button", name="Open pairing")).to_be_visible()
    with service.hub() as hub:
        assert [
            (floor.name, [room.name for room in floor.rooms]) for floor in hub.house().floors
        ] == [("Mill floor", ["Workshop", "Drying room"]), ("Loft", ["Loft"])]
    page.get_by_role("button", name="4. Notices").click()
    expect(page.get_by_role("button", name="Take notifications here")).to_be_visible()
    page.get_by_role("button", name="Go on").click()
    expect(page.get_by_text("these steps stay under Settings")).to_be_visible()
    page.get_by_role("link", name="Nodes").first.click()
    expect(page.get_by_text("No node is in the house yet.")).to_be_visible()

    # The window opens and counts down; a node that asks is seen at once.
    page.get_by_role("button", name="Open pairing").click()
    expect(page.get_by_role("timer")).to_have_text(re.compile(r"^1[01]\d s$"))
    asked = ask(service, description("Cellar rack", **CLIMATE)).json()
    expect(page.get_by_role("list", name="Arrivals")).to_contain_text(
        "has temperature (°C), humidity (%)"
    )
    page.get_by_role("button", name="Let it in").click()
    page.get_by_label("Setup code").fill("0000-0000")
    page.get_by_label("Room").fill("Cheese cellar")
    page.get_by_role("dialog").get_by_role("button", name="Let it in").click()
    expect(page.get_by_role("alert")).to_contain_text("wrong setup code; 4 more tries")
    assert violations(page) == []
    page.get_by_label("Setup code").fill("1234-5678")
    page.get_by_role("dialog").get_by_role("button", name="Let it in").click()
    expect(page.get_by_role("row", name="Cellar rack Cheese cellar Wi-Fi")).to_be_visible()
    page.get_by_role("button", name="Close it").click()
    expect(page.get_by_role("button", name="Open pairing")).to_be_visible()

    # Its values are on the room's page as they come, without loading it again.
    said = collect(service, asked)
    rack = Joined(service, said["node"], said["key"], said["mqtt"])
    page.get_by_role("link", name="House", exact=True).click()
    page.get_by_role("region", name="The house in section").get_by_role(
        "link", name="Cheese cellar"
    ).click()
    tile = page.locator('[data-entity="cellar-rack/humidity"]')
    expect(tile).to_contain_text("nothing heard yet")
    with rack.connected() as client:
        for value in (84.5, 79.3):
            rack.publish(client, [{"n": "humidity", "v": value}])
            expect(tile).to_contain_text(f"{value}%")
        expect(tile).to_contain_text("just now")
        rack.publish(client, [{"n": "humidity", "v": 179.3}])
        expect(tile).to_contain_text("out of range")


def test_a_switch_waits_for_its_node(page: Page, service: Service) -> None:
    plug = let_in(service, description("Cellar mister", **PLUG))
    plug.post([{"n": "switch", "vb": False}])
    sign_in(page)
    page.goto("/rooms/cheese-cellar")
    tile = page.locator('[data-entity="cellar-mister/switch"]')
    control = page.get_by_role("switch", name="Cellar mister")
    with plug.connected():
        control.click()
        expect(tile).to_contain_text("confirmed")
        expect(control).to_be_checked()
        control.press("Space")
        expect(control).not_to_be_checked()
    with plug.connected(obey=False):
        control.click()
        expect(tile).to_contain_text("asked to be on")
        expect(tile).to_contain_text(re.compile(r"wanted on for \d+ s, not confirmed"))
        expect(control).not_to_be_checked()
    with plug.connected():
        # It is asked again by itself.
        expect(control).to_be_checked()
        expect(tile).not_to_contain_text("not confirmed")


def test_a_stranger_is_sent_to_the_door_and_back_to_where_they_wanted(
    page: Page, service: Service
) -> None:
    page.goto("/journal")
    expect(page.get_by_role("heading", name="Come in")).to_be_visible()
    assert violations(page) == []
    page.get_by_label("Name").fill(OWNER)
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("wrong name or password")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="Journal")).to_be_visible()
