"""Nodes that describe themselves: found on the network or by their address, read,
followed, written, set and moved."""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import paho.mqtt.client as paho
import pytest

from hombi.client import HubProblem
from hombi.links.base import LinkError
from hombi.links.wifi.origins import Guard
from hombi.wire.pairing import Arrival
from tests.conftest import make_service
from tests.house import CLIMATE, Service, ask, description, free_ports, let_in, until
from tests.things import PASSWORD, USER, Buoy, Sly, Snare, Station, Tap, Vane

SECRET = f"{USER}:{PASSWORD}"


def arrivals(service: Service, title: str = "Boathouse vane") -> list[Arrival]:
    """Those of this test: whatever else announces itself on this machine is found
    too."""
    with service.hub() as hub:
        return [a for a in hub.pairing.arrivals() if a.title.startswith(title)]


@pytest.fixture(scope="module")
def service(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    """A hub that looks for nodes on loopback, and reads each every half second."""
    result = make_service(
        tmp_path_factory.mktemp("hub"),
        HOMBI_ACTUATION_ANSWER_WITHIN="4 s",
        HOMBI_WIFI_DISCOVERY="127.0.0.1",
        HOMBI_WIFI_READ_EVERY="1 s",
    ).start()
    result.sign_in_first()
    yield result
    result.stop()


@pytest.fixture
def vane(service: Service) -> Iterator[Vane]:
    """The vane, let in at the boathouse."""
    result = Vane().start()
    with service.hub() as hub:
        arrival = hub.pairing.look(f"127.0.0.1:{result.port}")
        hub.pairing.admit(arrival.id, room="Boathouse", secret=SECRET)
        until(lambda: hub.entities.get("boathouse-vane/wind").quality == "good")
        yield result
        hub.nodes.remove("boathouse-vane", keep_history=False)
    result.stop()


def test_it_is_found_while_the_window_is_open_and_says_what_it_is(service: Service) -> None:
    vane = Vane(thing_id="urn:test:announced").start()
    with vane.announced(), service.hub() as hub:
        time.sleep(0.5)
        assert arrivals(service) == [], "nobody arrives while the window is closed"
        hub.pairing.open("1 min")
        (arrival,) = until(lambda: arrivals(service))
        assert (arrival.title, arrival.link, arrival.state) == ("Boathouse vane", "wifi", "waiting")
        assert [(e.name, e.kind, e.unit, e.writable) for e in arrival.entities] == [
            ("wind", "speed", "m/s", False), ("rain", "rain", "mm", False),
            ("lamp", "switch", "", True)
        ]  # fmt: skip
        assert (arrival.settings, arrival.actions) == (["Interval"], ["Park"])
        assert (arrival.needs_code, arrival.asks) == (False, "user and password")
        left_out = "\n".join(arrival.left_out)
        assert "picture" in left_out
        assert "neither a reading nor a setting" in left_out
        assert "gust" in left_out
        listed = service.hombi("arrivals").stdout
        assert "Boathouse vane" in listed
        assert "neither a reading nor a setting" in listed.replace("\n", " ")
        with pytest.raises(HubProblem, match="answers only to who knows its user and password"):
            hub.pairing.admit(arrival.id, room="Boathouse")
        hub.pairing.turn_away(arrival.id)
        hub.pairing.close()
    vane.stop()


def test_the_hub_announces_itself(service: Service, tmp_path: Path) -> None:
    from zeroconf import ServiceBrowser, Zeroconf

    result: dict[str, object] = {}
    zeroconf = Zeroconf(interfaces=["127.0.0.1"])

    def heard(zeroconf: Zeroconf, service_type: str, name: str, state_change: object) -> None:
        info = zeroconf.get_service_info(service_type, name, 2000)
        if info is not None and info.port == service.port:
            result.update(info.decoded_properties, host=info.parsed_addresses()[0])

    browser = ServiceBrowser(zeroconf, "_hombi._tcp.local.", handlers=[heard])
    until(lambda: result)
    browser.cancel()
    zeroconf.close()
    assert result["mqtt"] == str(service.mqtt_port)
    assert result["host"] == "127.0.0.1"


def test_values_come_by_events_and_by_reading(service: Service, vane: Vane) -> None:
    with service.hub() as hub:
        assert next(n for n in hub.nodes.list() if n.node == "boathouse-vane").way == "described"
        vane.values["wind"] = 9.5
        until(lambda: hub.entities.get("boathouse-vane/wind").value == 9.5)
        vane.values["rain"] = 1.4
        until(lambda: hub.entities.get("boathouse-vane/rain").raw == 1.4)


def test_events_that_cannot_be_followed_are_said_once_and_taken_up_again(
    service: Service, vane: Vane
) -> None:
    def said() -> list[str]:
        with service.hub() as hub:
            return [e.text for e in hub.journal() if "cannot be followed" in e.text]

    vane.streams = False
    until(said)
    assert "/e/wind cannot be followed" in said()[0]
    time.sleep(3)
    assert len(said()) == 1
    vane.streams = True
    vane.values["wind"] = 17.25
    with service.hub() as hub:
        until(lambda: hub.entities.get("boathouse-vane/wind").value == 17.25)


def test_its_lamp_is_switched_and_read_back(service: Service, vane: Vane) -> None:
    with service.hub() as hub:
        assert hub.entities.set("boathouse-vane/lamp", "on").state == "confirmed"
        assert vane.values["lamp"] is True
        vane.obeys = False
        command = hub.entities.set("boathouse-vane/lamp", "off")
        assert (command.state, vane.values["lamp"]) == ("unanswered", True)
        vane.stop()
        command = hub.entities.set("boathouse-vane/lamp", "off")
        assert command.state == "unreachable"
        assert "does not answer" in command.problem
        until(lambda: not next(n for n in hub.nodes.list() if n.node == "boathouse-vane").here)
        vane.start()
        until(lambda: next(n for n in hub.nodes.list() if n.node == "boathouse-vane").here)


def test_its_settings_and_actions_from_the_command_line(service: Service, vane: Vane) -> None:
    (row,) = json.loads(service.hombi("node", "settings", "boathouse-vane", "--json").stdout)
    assert (row["name"], row["value"], row["low"], row["high"], row["unit"]) == (
        "interval",
        10,
        5,
        60,
        "s",
    )
    assert (
        "Interval is 20 s"
        in service.hombi("node", "settings", "boathouse-vane", "interval", "20 s").stdout
    )
    assert vane.values["interval"] == 20
    wrong = service.hombi("node", "settings", "boathouse-vane", "interval", "3")
    assert (wrong.returncode, "Interval is 5 to 60 s, not 3" in wrong.stderr) == (2, True)
    assert "minutes" in service.hombi("node", "do", "boathouse-vane").stdout
    slow = service.hombi("node", "settings", "Boathouse vane", "Interval", "1 min")
    assert "Interval is 60 s" in slow.stdout
    done = service.hombi("node", "do", "boathouse-vane", "park", "minutes=15")
    assert "noon" in done.stdout
    assert vane.parked == [{"minutes": 15}]


def test_a_wrong_secret_is_found_out_at_the_door_and_a_new_one_is_given_in_place(
    service: Service,
) -> None:
    vane = Vane().start()
    try:
        with service.hub() as hub:
            arrival = hub.pairing.look(f"127.0.0.1:{vane.port}")
            with pytest.raises(HubProblem, match="does not take this secret: it answers 401"):
                hub.pairing.admit(arrival.id, secret="vane:south")
            assert "boathouse-vane" not in [n.node for n in hub.nodes.list()]
            hub.pairing.admit(arrival.id, room="Boathouse", secret=SECRET)
            until(lambda: hub.entities.get("boathouse-vane/wind").quality == "good")
            vane.password = "south-west"
            vane.values["wind"] = 6.0
            until(lambda: hub.nodes.get("boathouse-vane").shut_out)
            (need,) = [n for n in hub.house().needs if n.kind == "secret"]
            assert "Boathouse vane refuses the hub (it answers 401" in need.text
            assert "refuses the hub" in service.hombi("now", "--node", "boathouse-vane").stdout
            assert "refuses the hub" in service.hombi("node", "list").stdout
            assert "`hombi node secret NODE`" in service.hombi("doctor").stdout
            assert "NodeShutsOut" in [e.event for e in hub.journal(page_size=20)]
            wrong = service.hombi("node", "secret", "Boathouse vane", "vane:north")
            assert (wrong.returncode, "does not take this secret" in wrong.stderr) == (1, True)
            told = service.hombi("node", "secret", "Boathouse vane", "vane:south-west")
            assert "Boathouse vane accepts the secret." in told.stdout
            until(lambda: hub.entities.get("boathouse-vane/wind").value == 6.0)
            assert not hub.nodes.get("boathouse-vane").shut_out
            with pytest.raises(HubProblem, match="has no key: the hub goes to it"):
                hub.nodes.new_key("boathouse-vane")
            hub.nodes.remove("boathouse-vane", keep_history=False)
    finally:
        vane.stop()


def test_at_another_address_it_is_the_same_node(service: Service, vane: Vane) -> None:
    with service.hub() as hub, vane.announced():
        until(lambda: hub.entities.get("boathouse-vane/wind").value is not None)
    vane.stop()
    vane.port = free_ports(1)[0]
    vane.values["wind"] = 3.25
    vane.start()
    with service.hub() as hub, vane.announced():
        until(lambda: hub.entities.get("boathouse-vane/wind").value == 3.25)
        assert str(vane.port) in next(n for n in hub.nodes.list() if n.node == "boathouse-vane").url
        (moved,) = until(lambda: list(hub.journal(event="NodeRelocated")))
        assert moved.node == "boathouse-vane"


def test_a_stranger_with_its_name_does_not_take_its_place(service: Service, vane: Vane) -> None:
    stranger = Vane(values={**vane.values, "wind": 30.0}).start()
    with stranger.announced(), service.hub() as hub:
        until(lambda: list(hub.journal(event="NodeDoubled")))
        assert hub.entities.get("boathouse-vane/wind").value != 30
        assert str(vane.port) in next(n for n in hub.nodes.list() if n.node == "boathouse-vane").url
    stranger.stop()


def test_a_description_with_forms_over_mqtt_is_followed_at_the_door(service: Service) -> None:
    buoy = Buoy(thing_id="urn:test:buoy")
    buoy.mqtt_port = service.mqtt_port
    buoy.start()
    with service.hub() as hub:
        arrival = hub.pairing.look(f"127.0.0.1:{buoy.port}")
        assert "192.0.2.9:1883 is not the one that the hub is connected to" in "".join(
            arrival.left_out
        )
        hub.pairing.admit(arrival.id, room="Boathouse")
        account = hub.mqtt_accounts.add("buoys", publish=["mill/buoy/#"], subscribe=["mill/buoy/#"])
        client, heard, ready = (
            paho.Client(paho.CallbackAPIVersion.VERSION2, "buoy"),
            list[tuple[str, bytes]](),
            threading.Event(),
        )

        def obey(client: paho.Client, user: Any, message: paho.MQTTMessage) -> None:
            heard.append((message.topic, message.payload))
            if message.topic.endswith("/set"):
                client.publish("mill/buoy/lamp", message.payload, qos=1)

        client.username_pw_set(account.account, account.key)
        client.on_message = obey
        client.on_connect = lambda c, *_: c.subscribe(
            [("mill/buoy/lamp/set", 1), ("mill/buoy/blow", 1)]
        )
        client.on_subscribe = lambda *_: ready.set()
        client.connect("127.0.0.1", service.mqtt_port)
        client.loop_start()
        assert ready.wait(30)
        client.publish("mill/buoy/waves", "35", qos=1).wait_for_publish(30)
        assert hub.entities.get("weir-buoy/waves").value == pytest.approx(0.35)
        assert hub.entities.set("weir-buoy/lamp", "on").state == "confirmed"
        hub.nodes.act("weir-buoy", "blow")
        until(lambda: ("mill/buoy/blow", b"null") in heard)
        assert ("mill/buoy/lamp/set", b"true") in heard
        client.disconnect()
        client.loop_stop()
        hub.nodes.remove("weir-buoy")
    buoy.stop()


def test_addresses_where_no_node_is_say_why(service: Service) -> None:
    other = Snare()
    host = other.url.removeprefix("http://")
    for address, said in (
        ("127.0.0.1:9", "nothing answers at http://127.0.0.1:9/.well-known/wot"),
        (f"127.0.0.1:{service.port}", "is the hub itself"),
        (host, "/.well-known/wot answers is not JSON, so no Thing Description"),
        (f"{host}/404", "answers 404; no Thing Description is there"),
        (f"{host}/302", "sends the hub on to http://elsewhere/"),
        (f"{host}/{{}}", "this is not a Thing Description"),
        ("ftp://vane.local", "is not an address"),
        ("http://[::1", "not an address"),
    ):
        done = service.hombi("node", "look", address)
        assert done.returncode == 2
        assert said in done.stderr.replace("\n", " "), done.stderr


def test_several_at_once_named_one_by_one_and_hidden(service: Service) -> None:
    things = [description(f"Shelf {n}", **CLIMATE) for n in range(3)]
    with service.hub() as hub:
        hub.pairing.open("1 min")
        for thing in things:
            assert ask(service, thing).status_code == 202
        assert len(arrivals(service, "Shelf")) == 3
        hub.pairing.close()
    words = (
        "--code",
        "1234-5678",
        "--room",
        "Cheese cellar",
        "--call",
        "temperature=On the shelf",
        "--hide",
        "humidity",
    )
    for n in (2, 0, 1):
        assert service.hombi("admit", f"Shelf {n}", *words).returncode == 0
    with service.hub() as hub:
        assert {hub.entities.get(f"shelf-{n}/temperature").title for n in range(3)} == {
            "On the shelf"
        }
        assert hub.entities.get("shelf-1/humidity").hidden
        assert "shelf-1/humidity" not in service.hombi("now").stdout
        assert "hidden" in service.hombi("entity", "list", "--node", "shelf-1").stdout
        said = service.hombi("entity", "hide", "shelf-1/humidity", "--show").stdout
        assert said == "shelf-1/humidity is shown\n"
        assert "shelf-1/humidity" in service.hombi("now").stdout


def test_a_setup_code_is_drawn_and_opens_the_admit_page(service: Service, tmp_path: Path) -> None:
    shown = service.hombi("node", "setup-code", "urn:test:mast", "--code", "1234-5678")
    assert "Setup code 1234-5678" in shown.stdout
    assert "/admit?thing=urn%3Atest%3Amast&code=1234-5678" in shown.stdout
    assert "█" in shown.stdout or "▀" in shown.stdout or "\x1b[7m" in shown.stdout
    assert (
        service.hombi(
            "node", "setup-code", "urn:test:mast", "--png", str(tmp_path / "code.png")
        ).returncode
        == 0
    )
    assert (tmp_path / "code.png").read_bytes().startswith(b"\x89PNG")
    with service.hub() as hub:
        made = hub.pairing.setup_code("urn:test:mast")
        assert made.code != hub.pairing.setup_code("urn:test:mast").code, "a new one each time"
        assert made.svg.startswith("<svg")


def test_forms_and_secrets_stay_at_the_nodes_own_origin_unless_it_is_ticked(
    service: Service,
) -> None:
    snare = Snare()
    sly = Sly(thing_id="urn:test:sly")
    sly.elsewhere = snare.url
    sly.start()
    with service.hub() as hub:
        arrival = hub.pairing.look(f"127.0.0.1:{sly.port}")
        assert arrival.elsewhere == [snare.url]
        assert "not ticked" in "\n".join(arrival.left_out)
        assert snare.url in service.hombi("arrivals").stdout.replace("\n", "")
        with pytest.raises(HubProblem, match="has nothing at http://other"):
            hub.pairing.admit(
                arrival.id, room="Boathouse", secret=SECRET, name="Sly", origins=["http://other"]
            )
        hub.pairing.admit(arrival.id, room="Boathouse", secret=SECRET, name="Sly")
        until(lambda: hub.entities.get("sly/wind").quality == "good")
        with pytest.raises(HubProblem):
            hub.nodes.act("sly", "park")
        sly.redirected = f"{snare.url}/moved"
        time.sleep(2.5)
        assert snare.asked == []
        sly.redirected = ""
        hub.nodes.remove("sly", keep_history=False)
        ticked = hub.pairing.look(f"127.0.0.1:{sly.port}")
        done = service.hombi(
            "admit", ticked.id, "--name", "Sly", "--secret", SECRET, "--origin", snare.url
        )
        assert done.returncode == 0, done.stderr
        until(lambda: hub.entities.get("sly/rain").quality == "good")
        assert snare.asked[0][0] == "DELETE"
        hub.nodes.remove("sly", keep_history=False)
    sly.stop()
    snare.server.shutdown()


def test_the_hub_itself_is_nobodys_form(service: Service) -> None:
    sly = Sly(thing_id="urn:test:sly-2")
    sly.elsewhere = f"http://localhost:{service.port}/api"
    sly.start()
    with service.hub() as hub:
        arrival = hub.pairing.look(f"127.0.0.1:{sly.port}")
        hub.pairing.admit(arrival.id, secret=SECRET, name="Sly two", origins=arrival.elsewhere)
        with pytest.raises(HubProblem, match="is the hub itself"):
            hub.nodes.act("sly-two", "park")
        with pytest.raises(HubProblem, match="is the hub itself"):
            hub.pairing.look(f"127.0.0.1:{service.port}")
        hub.nodes.remove("sly-two", keep_history=False)
    sly.stop()


async def test_nobody_elsewhere_sends_the_hub_to_its_own_machine() -> None:
    guard = Guard((21460,))
    await guard.check("http://127.0.0.1:9000/x", "http://127.0.0.1:8000/td")
    await guard.check("http://192.0.2.7/x", "http://192.0.2.8/td")
    for url in (
        "http://127.0.0.1:9000/x",
        "http://[::1]:9000/",
        "http://[::ffff:127.0.0.1]/",
        "http://localhost:9000/",
        "http://0.0.0.0/",
    ):
        with pytest.raises(LinkError, match="own machine"):
            await guard.check(url, "http://192.0.2.8/td")
    with pytest.raises(LinkError, match="hub itself"):
        await guard.check("http://127.8.8.8:21460/api", "http://127.0.0.1/td")


def test_parts_of_an_object_addresses_with_variables_and_events(service: Service) -> None:
    station = Station(thing_id="urn:uuid:4c1d0a3e-0000-4000-8000-0000000057a7").start()
    try:
        with service.hub() as hub:
            arrival = hub.pairing.look(f"127.0.0.1:{station.port}")
            assert [(e.name, e.kind) for e in arrival.entities] == [
                ("climate-t", "temperature"),
                ("climate-rh", "humidity"),
                ("squall", "event"),
            ]
            said = [text.partition(":")[0] for text in arrival.left_out]
            assert said == ["event gust", "property unreached"], "each is named once"
            hub.pairing.admit(arrival.id, room="Terrace")
            until(lambda: hub.entities.get("terrace-station/climate-t").value == 11.5)
            until(lambda: hub.entities.get("terrace-station/climate-rh").value == 81.0)
            station.squalls = ("over the weir", "x" * 2_000)
            until(lambda: len(list(hub.journal(event="NodeTold"))) == 2)
            longest, first = hub.journal(event="NodeTold")
            assert first.text == "Terrace station reports squall: over the weir"
            assert len(longest.text) < 600
            until(lambda: pressed(service, "terrace-station/squall") == ["squall", "squall"])
            hub.nodes.remove("terrace-station", keep_history=False)
    finally:
        station.stop()


def pressed(service: Service, entity: str) -> list[str]:
    with service.hub() as hub:
        kind = hub.entities.get(entity)
        return [(kind.words or [])[int(r.value or 0)] for r in hub.entities.readings(entity, 0)]


def test_choices_and_events_of_a_described_node(service: Service) -> None:
    """Its mode is set by a word, each press of its button is a moment, also after its
    stream was lost."""
    tap = Tap(thing_id="urn:test:tap")
    tap.mqtt_port = service.mqtt_port
    tap.start()
    with service.hub() as hub:
        arrival = hub.pairing.look(f"127.0.0.1:{tap.port}")
        assert [(e.name, e.kind, e.writable) for e in arrival.entities] == [
            ("mode", "choice", True),
            ("state-valve", "choice", False),
            ("state-litres", "volume", False),
            ("button", "press", False),
            ("bell", "ring", False),
        ]
        assert arrival.settings == ["flow-sensitivity"]
        assert {text.partition(":")[0] for text in arrival.left_out} == {
            "property note",
            "event silent",
        }
        hub.pairing.admit(arrival.id, room="Cheese cellar")
        until(lambda: hub.entities.get("dairy-tap/mode").shown == "drip")
        assert hub.entities.get("dairy-tap/state-valve").shown == "shut"
        assert hub.entities.get("dairy-tap/state-litres").value == 12
        assert hub.entities.set("dairy-tap/mode", "pour").state == "confirmed"
        assert tap.values["mode"] == "pour"
        with pytest.raises(HubProblem, match="use 'drip', 'pour' or 'off'"):
            hub.entities.set("dairy-tap/mode", "gush")
        # What it says that is none of its words is said, and the next one counts.
        tap.values["mode"] = "gush"
        until(lambda: any("gush" in line.text for line in hub.journal()))
        tap.values["mode"] = "off"
        until(lambda: hub.entities.get("dairy-tap/mode").shown == "off")
        tap.presses += ['"short"', '"long"', "long"]
        until(lambda: pressed(service, "dairy-tap/button") == ["short", "long", "long"])
        account = hub.mqtt_accounts.add("tap", publish=["mill/tap/#"], subscribe=[])
        client = paho.Client(paho.CallbackAPIVersion.VERSION2, "tap")
        client.username_pw_set(account.account, account.key)
        client.connect("127.0.0.1", service.mqtt_port)
        client.loop_start()
        client.publish("mill/tap/bell", "true", qos=1).wait_for_publish(30)
        until(lambda: len(pressed(service, "dairy-tap/bell")) == 1)
        client.disconnect()
        client.loop_stop()
        tap.stop()
        until(lambda: not hub.nodes.get("dairy-tap").here)
        tap.start()
        until(lambda: hub.nodes.get("dairy-tap").here)
        # Its stream is opened again, and nothing that was told before comes twice.
        until(lambda: tap.presses.append("short") or len(pressed(service, "dairy-tap/button")) > 3)
        assert set(pressed(service, "dairy-tap/button")[3:]) == {"short"}
        hub.nodes.remove("dairy-tap")
    tap.stop()


def test_a_node_that_pushes_says_choices_and_events_by_their_words(service: Service) -> None:
    thing = {
        **description("Hatch pusher", **CLIMATE, fan={"type": "string", "enum": ["slow", "fast"]}),
        "events": {"doorbell": {}, "key": {"data": {"type": "string", "enum": ["up", "down"]}}},
    }
    node = let_in(service, thing, room="Hen house")
    with service.hub() as hub:
        name = node.node
        assert node.post([{"n": "fan", "vs": "fast"}, {"n": "key", "vs": "down"}]).is_success
        assert hub.entities.get(f"{name}/fan").shown == "fast"
        assert pressed(service, f"{name}/key") == ["down"]
        node.post([{"n": "doorbell", "vb": True}, {"n": "key", "vs": "sideways"}])
        assert len(pressed(service, f"{name}/doorbell")) == 1
        assert any("sideways" in line.text for line in hub.journal())
        assert node.post([{"n": "key", "vs": ""}]).is_success
        assert node.post([{"n": "key", "v": None}]).is_success
        assert node.post([{"n": "key", "vs": "up"}]).is_success
        assert pressed(service, f"{name}/key") == ["down", "up"]
