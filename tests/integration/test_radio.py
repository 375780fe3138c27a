"""Zigbee and Bluetooth nodes with a hub as people run it: over a real pty and a real
bus, by its client and its command line."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Iterator
from pathlib import Path

import pytest

from hombi.client import Conflict, HubProblem, Missing, Wrong
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import zcl
from hombi.wire.nodes import Node
from tests.air import Air, hub_in, let_in, waiting
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


def test_one_window_takes_in_nodes_of_all_links(service: Service, air: Air) -> None:
    with service.hub() as hub:
        until(lambda: hub.zigbee.info().state == "up")
        until(lambda: "Bluetooth on hci0" in hub.pairing.window().listening["bluetooth"])
        listening = hub.pairing.open("5 min").listening
        assert set(listening) == {"wifi", "zigbee", "bluetooth"}
        until(lambda: air.do(lambda: air.stick.permits))
        for name in ("loft-lamp", "loft-climate"):
            air.press(name)
            node = hub.pairing.admit(
                waiting(hub, air.nodes[name].thing_id).id, name=air.nodes[name].title, room="Loft"
            )
            assert (node.node, node.link, node.way) == (name, "zigbee", "paired")
        for name in ("boathouse-tag", "hen-lamp"):
            tag = air.bluetooth.nodes[name]
            result = waiting(hub, tag.thing_id)
            assert (result.needs_code, result.asks) == (False, "")
            assert (
                hub.pairing.admit(result.id, name=tag.title, room=tag.plan.room).link == "bluetooth"
            )
        hub.pairing.close()
        until(lambda: hub.entities.get("loft-climate/temperature").value is not None)
        until(lambda: hub.entities.get("boathouse-tag/humidity").value is not None)
        quality = hub.entities.get("loft-climate/link-quality")
        assert (quality.hidden, quality.unit) == (True, "%")
        assert hub.entities.hide("loft-climate/link-quality", False).hidden is False
    done = service.hombi("node", "list", "--json")
    assert {load["link"] for load in json.loads(done.stdout)} == {"zigbee", "bluetooth"}


def test_switches_and_levels_are_confirmed_by_their_nodes(service: Service, air: Air) -> None:
    with service.hub() as hub:
        assert hub.entities.set("loft-lamp/level", "40 %").state == "confirmed"
        assert hub.entities.get("loft-lamp/level").value == 40
        before = until(lambda: hub.entities.get("loft-lamp/switch").value == 1.0)
        assert before
        assert hub.entities.set("loft-lamp/switch", "other").value == 0.0
        assert hub.entities.set("hen-house-lamp/switch", "on").state == "confirmed"
    assert "loft-lamp/switch is on" in service.hombi("set", "loft-lamp/switch", "toggle").stdout
    assert air.do(lambda: air.nodes["loft-lamp"].on)


def test_an_automation_switches_from_one_radio_to_the_other(service: Service, air: Air) -> None:
    with service.hub() as hub:
        hub.automations.add(
            'name = "Lamp"\n[watch]\nentity = "hen-house-lamp/switch"\nis = "on"\n'
            '[[starts]]\nswitch = "loft-lamp/switch"\nto = "off"\n[[ends]]\nswitch = '
            '"loft-lamp/switch"\nto = "on"\n'
        )
        hub.entities.set("hen-house-lamp/switch", "off")
        until(lambda: hub.entities.get("loft-lamp/switch").value == 1.0)
        hub.entities.set("hen-house-lamp/switch", "on")
        until(lambda: hub.entities.get("loft-lamp/switch").value == 0.0)


def test_what_is_no_value_is_told_as_such(service: Service, air: Air) -> None:
    node = air.nodes["loft-climate"]
    with service.hub() as hub:
        air.do(lambda: node.report(1, 0x0402, [zcl.Attribute(0, dt.S16, None)]))
        entity = until(
            lambda: (e := hub.entities.get("loft-climate/temperature")).value is None and e
        )
        assert (entity.raw, entity.shown, entity.quality, entity.reason) == (
            None,
            "",
            "bad",
            "no value",
        )
        stored = until(
            lambda: [
                r for r in hub.entities.readings("loft-climate/temperature", 0) if r.value is None
            ]
        )
        assert stored[0].reason == "no value"
        assert all(
            mean is not None
            for mean in hub.entities.history("loft-climate/temperature", "hour").mean
        )
        air.do(lambda: node.report(1, 0x0402, [zcl.Attribute(0, dt.S16, 1850)]))
        until(lambda: hub.entities.get("loft-climate/temperature").value == 18.5)


def test_what_nodes_say_is_seen_as_they_say_it_and_named(
    service: Service, air: Air, tmp_path: Path
) -> None:
    with service.hub() as hub:
        let_in(hub, air, "herb-probe", "Terrace")
        hub.pairing.close()
        words = until(
            lambda: hub.messages.list(via="zigbee", topic="herb-probe/1/FC52", text='"33"')
        )[0]
        assert json.loads(words.payload)["33"].keys() == {"s32"}
        (advert,) = hub.messages.list(via="bluetooth", node="boathouse-tag", each_topic=True)
        assert set(json.loads(advert.payload)["service data"]) == {"0x181A", "0x180F"}
        with pytest.raises(Wrong, match="door, broker, http, zigbee, bluetooth"):
            hub.messages.list(via="post")
        with pytest.raises(Conflict, match="boathouse-tag speaks over bluetooth"):
            hub.nodes.profile("boathouse-tag")
        with pytest.raises(Conflict, match="boathouse-tag speaks over bluetooth"):
            hub.nodes.put_profile("boathouse-tag", "[profile]\n")
    draft = service.hombi("node", "profile", "herb-probe")
    assert "1 without a name" in draft.stderr
    assert 'name = "soil moisture"' in draft.stdout
    file = tmp_path / "soil.toml"
    file.write_text(
        draft.stdout.replace(
            '"tunnelled 33"\nkind = "number"', '"conductivity"\nkind = "condctivity"'
        )
    )
    refused = service.hombi("node", "profile", "herb-probe", str(file))
    assert refused.returncode == 1
    assert "did you mean conductivity?" in refused.stderr
    file.write_text(
        draft.stdout.replace(
            '"tunnelled 33"\nkind = "number"', '"conductivity"\nkind = "conductivity"'
        )
    )
    kept = service.hombi("node", "profile", "herb-probe", str(file))
    assert kept.returncode == 0, kept.stderr
    assert (service.data / "profiles" / "kelp-row-soil-s7.toml").read_text() == file.read_text()
    with service.hub() as hub:
        entity = until(lambda: (e := hub.entities.get("herb-probe/conductivity")).value and e)
        assert (entity.unit, entity.room) == ("µS/cm", "terrace")
        assert hub.nodes.profile("herb-probe").unnamed == 0
        assert "NodeDescribed" in {entry.event for entry in hub.journal(node="herb-probe")}


def test_a_killed_hub_goes_on_with_its_network_and_its_nodes(service: Service, air: Air) -> None:
    with service.hub() as hub:
        before = hub.zigbee.info()
    service.kill()
    service.start()
    with service.hub() as hub:
        after = until(lambda: (z := hub.zigbee.info()).state == "up" and z)
        assert (after.extended_pan_id, after.channel, after.nodes) == (
            before.extended_pan_id,
            before.channel,
            before.nodes,
        )
        until(lambda: hub.entities.set("loft-lamp/switch", "on").state == "confirmed")
        until(lambda: hub.entities.set("hen-house-lamp/switch", "off").state == "confirmed")


def test_the_stick_in_words_and_a_foreign_network(service: Service, air: Air) -> None:
    info = service.hombi("link", "stick")
    assert "firmware 2.7.1" in info.stdout
    refused = service.hombi("link", "keep")
    assert refused.returncode == 1
    assert "carries no foreign network" in refused.stderr.replace("\n", " ")
    with service.hub() as hub:
        ours = hub.zigbee.info().extended_pan_id
        air.do(air.stick.unplug)
        until(lambda: any("Zigbee stick" in need.text for need in hub.house().needs))
        assert hub.entities.set("loft-lamp/switch", "off").state == "unreachable"
        assert any(c.part == "Zigbee stick" and c.state == "fault" for c in hub.doctor())
        air.stick.store[0x002D] = bytes(range(8))
        air.do(air.stick.plug)
        until(lambda: hub.zigbee.info().state == "foreign")
        assert "hombi link keep" in service.hombi("doctor").stdout
        assert "network is wiped" in service.hombi("link", "clean", "--yes").stdout
        until(lambda: hub.zigbee.info().state == "up")
        assert hub.zigbee.info().extended_pan_id == ours
        until(lambda: hub.entities.set("loft-lamp/switch", "off").state == "confirmed")


def test_a_node_that_leaves_and_one_that_is_removed(service: Service, air: Air) -> None:
    with service.hub() as hub:
        air.press("loft-climate")
        until(lambda: next(n for n in hub.nodes.list() if n.node == "loft-climate").left)
        assert any(need.kind == "left" for need in hub.house().needs)
        assert [e.node for e in until(lambda: list(hub.journal(event="NodeLeft")))] == [
            "loft-climate"
        ]
    assert (
        "is removed; its history is kept"
        in service.hombi("node", "remove", "loft-climate", "--yes").stdout
    )
    assert service.hombi("node", "remove", "loft-lamp", "--yes").returncode == 0
    until(lambda: not air.do(lambda: air.nodes["loft-lamp"].joined))
    with service.hub() as hub:
        assert {n.node for n in hub.nodes.list()} == {
            "boathouse-tag",
            "hen-house-lamp",
            "herb-probe",
        }
        with pytest.raises(HubProblem):
            hub.entities.get("loft-lamp/switch")


def test_a_node_that_was_silent_about_something_is_asked_again(service: Service, air: Air) -> None:
    node = air.nodes["workshop-air"]
    name = node.plan.address
    air.do(lambda: node.mute.update({0x0000}))
    with service.hub() as hub:
        hub.pairing.open("5 min")
        until(lambda: air.do(lambda: air.stick.permits))
        air.press(name)
        arrival = until(
            lambda: next(
                (
                    arrival
                    for arrival in hub.pairing.arrivals()
                    if arrival.thing == node.thing_id and arrival.left_out
                ),
                None,
            ),
            90,
        )
        assert any(
            "did not say its make and model; it is asked again" in one for one in arrival.left_out
        )
        air.do(node.mute.clear)
        assert service.hombi("node", "ask-again", arrival.id).returncode == 0

        def admit() -> Node | None:
            here = [arrival for arrival in hub.pairing.arrivals() if arrival.thing == node.thing_id]
            if here and not here[0].left_out:
                with contextlib.suppress(Conflict, Missing):  # it is still being asked
                    return hub.pairing.admit(here[0].id, name=node.title, room="Workshop")
            return None

        admitted: Node = until(admit, 60)
        hub.pairing.close()
        assert service.hombi("node", "ask-again", admitted.node).returncode == 0
        refused = service.hombi("node", "ask-again", "boathouse-tag")
        assert refused.returncode == 1
        assert "when the pairing window is opened" in refused.stderr
