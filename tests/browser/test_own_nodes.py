"""Nodes that people really have, in the console: picked out of live messages, found by
their address, posting; and mqtt_accounts."""

from __future__ import annotations

import json
from collections.abc import Iterator

import httpx
import paho.mqtt.client as paho
import pytest
from playwright.sync_api import Page, expect

from hombi.wire.people import MqttAccount
from tests.browser.conftest import violations
from tests.house import CLIMATE, Joined, Service, ask, description, until
from tests.things import PASSWORD, USER, Vane


@pytest.fixture(scope="module")
def account(service: Service) -> MqttAccount:
    with service.hub() as hub:
        return hub.mqtt_accounts.add("boards", publish=["mill/#"], subscribe=["mill/#"])


@pytest.fixture
def board(service: Service, account: MqttAccount) -> Iterator[paho.Client]:
    client = paho.Client(paho.CallbackAPIVersion.VERSION2, "board")
    client.username_pw_set(account.account, account.key)
    client.connect("127.0.0.1", service.mqtt_port)
    client.loop_start()
    yield client
    client.disconnect()
    client.loop_stop()


def say(board: paho.Client, topic: str, content: object) -> None:
    board.publish(topic, json.dumps(content), qos=1).wait_for_publish(30)


def test_a_value_is_picked_out_of_a_live_message_and_seen_in_a_room(
    console: Page, service: Service, board: paho.Client
) -> None:
    console.goto("/")
    console.get_by_role("link", name="Messages").click()
    expect(console.get_by_role("heading", level=1)).to_have_text("Messages")
    for n in range(3):
        say(
            board,
            "mill/herb-bed/state",
            {"soil": {"moisture": 40 + n, "temp_c": 11.5}, "bat_mv": 2987},
        )
    say(board, "mill/fern-bed/state", {"soil": {"moisture": 61, "temp_c": 12}, "bat_mv": 2990})
    say(board, "mill/quiet/state", {"on": True})
    row = console.get_by_role("listitem").filter(has_text="mill/herb-bed/state")
    expect(row).to_contain_text('"moisture": 42')
    console.get_by_label("Topic").fill("mill/+/state")
    console.get_by_label("With this in it").fill("soil")
    expect(console.get_by_role("list", name="Messages").get_by_role("listitem")).to_have_count(2)
    row.get_by_role("button", name="Pick a value").click()
    sheet = console.get_by_role("dialog")
    sheet.get_by_role("radio", name="/soil/moisture").check()
    expect(sheet.get_by_label("Kind")).to_have_value("moisture")
    expect(sheet.get_by_role("button", name="herb-bed")).to_have_attribute("aria-pressed", "true")
    outlook = sheet.get_by_role("region", name="What the last messages would have given")
    expect(outlook.get_by_role("row", name="herb-bed 42")).to_be_visible()
    say(board, "mill/herb-bed/state", {"soil": {"moisture": 55, "temp_c": 11}})
    expect(outlook.get_by_role("row", name="herb-bed 55")).to_be_visible()
    sheet.get_by_label("fern-bed").check()
    sheet.get_by_label("Name of the value").fill("Soil")
    sheet.get_by_label("Room").fill("Terrace")
    assert violations(console) == []
    sheet.get_by_role("button", name="Make it an entity").click()
    expect(console.get_by_role("heading", level=1)).to_have_text("Terrace")
    tile = console.locator('[data-entity="herb-bed/soil"]')
    for value in (33, 34.5):
        say(board, "mill/herb-bed/state", {"soil": {"moisture": value}})
        expect(tile).to_contain_text(f"{value}")
    say(board, "mill/fern-bed/state", {"soil": {"moisture": 77}})
    expect(console.locator('[data-entity="fern-bed/soil"]')).to_contain_text("77")


def test_a_node_at_an_address_is_let_in_named_and_set(console: Page, service: Service) -> None:
    vane = Vane().start()
    console.goto("/nodes")
    console.get_by_role("button", name="It has an address").click()
    console.get_by_role("textbox", name="Address").fill("127.0.0.1:9")
    console.get_by_role("button", name="Look").click()
    expect(console.get_by_role("alert")).to_contain_text("nothing answers at")
    console.get_by_role("textbox", name="Address").fill(f"127.0.0.1:{vane.port}")
    console.get_by_role("button", name="Look").click()
    sheet = console.get_by_role("dialog")
    expect(sheet).to_contain_text("settings of its own: Interval")
    expect(sheet).to_contain_text("can be asked to: Park")
    expect(sheet).to_contain_text(
        "property picture: a text without a list of choices is neither a reading nor a setting"
    )
    sheet.get_by_label("Its user and password").fill(f"{USER}:{PASSWORD}")
    sheet.get_by_label("Room").fill("Boathouse")
    sheet.get_by_label("Name of wind").fill("Wind over the weir")
    sheet.locator('input[name="shown rain"]').uncheck()
    assert violations(console) == []
    sheet.get_by_role("button", name="Let it in").click()
    console.get_by_role("row", name="Boathouse vane").get_by_role(
        "link", name="Boathouse vane"
    ).click()
    expect(console.get_by_text("Wind over the weir")).to_be_visible()
    expect(console.get_by_text("hidden", exact=True)).to_be_visible()
    expect(console.get_by_role("textbox", name="Interval")).to_have_value("10")
    console.get_by_role("textbox", name="Interval").fill("3")
    console.get_by_role("button", name="Set Interval").click()
    expect(console.get_by_role("alert")).to_contain_text("Interval is 5 to 60 s, not 3")
    console.get_by_role("textbox", name="Interval").fill("30")
    console.get_by_role("button", name="Set Interval").click()
    expect(console.get_by_role("alert")).to_have_count(0)
    expect(console.get_by_role("textbox", name="Interval")).to_have_value("30")
    expect(console.get_by_text("Interval is set to 30 s.")).to_have_attribute("aria-live", "polite")
    until(lambda: vane.values["interval"] == 30)
    console.get_by_label("minutes").fill("15")
    console.get_by_role("button", name="Park").click()
    expect(console.get_by_text("It answers")).to_be_visible()
    assert vane.parked == [{"minutes": 15}]
    assert violations(console) == []
    console.goto("/rooms/boathouse")
    expect(console.locator('[data-entity="boathouse-vane/wind"]')).to_contain_text("4.5")
    expect(console.locator('[data-entity="boathouse-vane/rain"]')).to_have_count(0)
    vane.stop()


def test_the_address_in_a_setup_code_lets_the_node_in(console: Page, service: Service) -> None:
    thing = description("Loft beam", "urn:test:beam", **CLIMATE)
    console.goto("/admit?thing=urn%3Atest%3Abeam&code=1234-5678")
    expect(console.get_by_role("heading", level=1)).to_have_text("Waiting for the node")
    assert violations(console) == []
    console.get_by_role("button", name="Open pairing").click()
    expect(console.get_by_role("timer")).to_be_visible()
    ask(service, thing)
    expect(console.get_by_role("heading", level=1)).to_have_text("Let Loft beam in")
    expect(console.get_by_label("Setup code")).to_have_value("1234-5678")
    console.get_by_label("Room").fill("Loft")
    console.get_by_role("button", name="Let it in").click()
    expect(console.get_by_role("heading", level=1)).to_have_text("Loft")
    expect(console.locator('[data-entity="loft-beam/temperature"]')).to_contain_text(
        "nothing heard yet"
    )
    with service.hub() as hub:
        hub.pairing.close()


def test_a_setup_code_is_drawn(console: Page) -> None:
    console.goto("/nodes")
    console.get_by_role("button", name="It needs a setup code").click()
    console.get_by_label("The node’s id").fill("urn:test:mast")
    console.get_by_role("button", name="Draw it").click()
    drawn = console.get_by_role("img", name="QR code of")
    expect(drawn).to_be_visible()
    assert "/admit?thing=urn%3Atest%3Amast&code=" in (drawn.get_attribute("alt") or "")
    assert violations(console) == []


def test_a_node_that_posts_gets_its_key_and_its_values(console: Page, service: Service) -> None:
    console.goto("/nodes")
    console.get_by_role("button", name="It posts its values").click()
    sheet = console.get_by_role("dialog")
    sheet.get_by_label("Name").fill("Wheel house")
    sheet.get_by_label("Room").fill("Workshop")
    sheet.get_by_role("button", name="Add it").click()
    expect(sheet.get_by_text("Key of wheel-house, shown this once")).to_be_visible()
    secret = sheet.locator("code").first.text_content() or ""
    assert violations(console) == []
    sheet.get_by_role("link", name="its page").click()
    expect(console.get_by_role("heading", level=1)).to_have_text("Wheel house")
    console.get_by_label("One more value that it posts").fill("Bearing")
    console.get_by_label("What it is").select_option("temperature")
    console.get_by_label("The node’s unit").select_option("°F")
    console.get_by_role("button", name="Add it").click()
    expect(console.get_by_role("link", name="Bearing")).to_be_visible()
    answer = httpx.post(
        f"{service.url}/api/intake/wheel-house/bearing", content="212", auth=("wheel-house", secret)
    )
    assert answer.json()["stored"] == 1, answer.text
    expect(console.get_by_text("100.0 °C")).to_be_visible()


def test_a_mqtt_account_is_let_in_and_shut_out(console: Page, service: Service) -> None:
    console.goto("/settings")
    section = console.get_by_role("region", name="MQTT accounts")
    section.get_by_label("Name").fill("weirside")
    section.get_by_label("May publish").fill("log/#, notes/+")
    section.get_by_role("button", name="Let it in").click()
    expect(section.get_by_label("Key of weirside, shown this once")).to_be_visible()
    expect(section.get_by_text("publishes log/#, notes/+; hears nothing")).to_be_visible()
    section.get_by_role("button", name="Remove weirside").click()
    console.get_by_role("dialog").get_by_role("button", name="Remove", exact=True).click()
    expect(console.get_by_role("dialog")).to_have_count(0)
    expect(section.get_by_text("publishes log/#")).to_have_count(0)
    with service.hub() as hub:
        assert "weirside" not in [t.account for t in hub.mqtt_accounts.list()]


def test_the_doctor_is_on_the_settings_page(
    console: Page, service: Service, cellar: Joined
) -> None:
    console.goto("/settings")
    section = console.get_by_role("region", name="Health check")
    expect(section).to_contain_text("MQTT listener")
    expect(section).to_contain_text(f"open on port {service.mqtt_port}")
    (service.data / "hombi.toml").write_text("[mqtt]\nprot = 1884\n")
    with service.hub() as hub:
        for _ in range(100):
            if any(c.part == "hombi.toml" and c.state != "ok" for c in hub.doctor()):
                break
            console.wait_for_timeout(50)
    section.get_by_role("button", name="Check again").click()
    expect(section).to_contain_text("did you mean port")
    (service.data / "hombi.toml").unlink()
