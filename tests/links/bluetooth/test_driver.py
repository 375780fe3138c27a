"""The Bluetooth driver over a real bus daemon, against the lab's BlueZ and nodes."""

from __future__ import annotations

import asyncio
import os
from pathlib import Path
from typing import Any

import pytest
from bleak import BleakClient
from dbus_fast import Message
from msgspec.structs import replace

from hombi.lab.bluez import Characteristic, Device
from hombi.links.base import LinkError, Unreachable, Wanted
from hombi.links.bluetooth import gatt
from hombi.links.bluetooth.descriptors import NUMBER_OF_DIGITALS
from hombi.links.bluetooth.driver import BluetoothDriver
from hombi.links.bluetooth.settings import BluetoothSettings
from tests.links.bluetooth.rig import rig_at
from tests.links.told import Told, context_of, on_link, until

# How often a node is lost while its sockets are counted; `make soak` sets more.
DROPS = (10, int(os.environ.get("DROPS", "40")))

SWITCH, TEMPERATURE = "1815/2a56", "181a/2a6e"
ON, OFF = [Wanted(SWITCH, 1.0, "", True)], [Wanted(SWITCH, 0.0, "", True)]


async def test_a_node_that_broadcasts_arrives_with_all_it_has(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        result = await rig.arrive("boathouse-tag")
        assert (result.title, result.reach["way"]) == ("Alder & Finch Tag T2", "broadcast")
        assert {p.name: p.kind.name for p in result.offer.values} == {
            "temperature": "temperature",
            "humidity": "humidity",
            "battery": "battery",
            "signal-strength": "signal",
        }
        await rig.let_in("boathouse-tag")
        value = await until(lambda: rig.told.latest("boathouse-tag/temperature"))
        assert value == pytest.approx(
            rig.house.nodes["boathouse-tag"].mill.rooms["boathouse"].temperature, abs=0.5
        )
        assert -110 < rig.told.latest("boathouse-tag/signal") < -30
        with pytest.raises(Unreachable, match="only broadcasts"):
            await rig.driver.send("boathouse-tag", ON)


async def test_what_is_repeated_is_no_new_reading_but_a_sign_of_life(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        await rig.let_in("boathouse-tag")
        await until(lambda: len(rig.told.lives) > 20)
        assert len(rig.told.values["boathouse-tag/temperature"]) == 1
        rig.node("boathouse-tag").mill.rooms["boathouse"].temperature = 24.0
        await until(lambda: rig.told.latest("boathouse-tag/temperature") > 20)


async def test_a_value_that_is_first_heard_of_a_node_that_is_in_comes_too(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        result = await rig.arrive("boathouse-tag")
        fewer = tuple(value for value in result.offer.values if value.name != "battery")
        rig.told.arrived.clear()
        rig.driver.follow(
            on_link("tag", replace(result, offer=replace(result.offer, values=fewer)))
        )
        rig.driver.pairing(False)
        await until(lambda: rig.told.latest("tag/temperature"))
        assert "tag/battery" not in rig.told.values
        more = await until(lambda: rig.told.arrived.get(result.thing_id))
        assert {value.name for value in more.offer.values} == {
            value.name for value in result.offer.values
        }
        rig.driver.follow(on_link("tag", more))
        await until(lambda: rig.told.latest("tag/battery"))


async def test_a_makers_own_decoder_is_used(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        await rig.let_in("cellar-shelf")
        weight = await until(lambda: rig.told.values.get("cellar-shelf/weight"))
        assert (weight[0].unit, round(weight[0].value, -3)) == ("g", 8000)


async def test_a_node_is_connected_to_asked_and_followed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("drying-probe")
        assert [one.progress for one in rig.told.asked if one.title == "Drying probe"] == [
            f"asking what it has, {n} of 3" for n in (1, 2, 3)
        ]
        arrived = rig.told.arrived["urn:dev:mac:00005efffe005323"]
        assert (arrived.title, arrived.offer.about) == (
            "Alder & Finch Probe G1",
            "is connected to, software 0.9.3",
        )
        await until(lambda: rig.told.latest(f"drying-probe/{TEMPERATURE}"))
        node.mill.rooms["drying"].temperature = 33.0
        await until(lambda: rig.told.latest(f"drying-probe/{TEMPERATURE}") > 30)


async def test_what_changes_while_it_is_being_asked_is_not_missed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Between a value that is read and the moment from which it is told by itself."""
    async with rig_at(tmp_path, monkeypatch) as rig:
        room = rig.node("drying-probe").mill.rooms["drying"]
        answered = rig.house.bluez._characteristic_call

        def warmer(device: Device, one: Characteristic, message: Message) -> Message:
            answer = answered(device, one, message)
            if "2a6e" in one.uuid:
                room.temperature += 5.0 if not asked else 0.0
                asked.append(message.member)
            return answer

        monkeypatch.setattr(rig.house.bluez, "_characteristic_call", warmer)
        asked: list[str] = []
        await rig.let_in("drying-probe")
        await until(lambda: rig.told.latest(f"drying-probe/{TEMPERATURE}"))
        assert "StartNotify" in asked
        await until(
            lambda: (
                rig.told.latest(f"drying-probe/{TEMPERATURE}")
                == pytest.approx(room.temperature, abs=0.1)
            )
        )


async def test_a_switch_is_set_and_read_back(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("hen-lamp")
        await rig.driver.send("hen-lamp", ON)
        assert rig.told.latest(f"hen-lamp/{SWITCH}") is True
        assert node.mill.devices.hen_lamp
        node.on = False  # by its own button
        await until(lambda: rig.told.latest(f"hen-lamp/{SWITCH}") is False)


async def test_a_node_that_wants_to_be_paired_is(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = rig.node("drying-probe")
        await rig.let_in("drying-probe")
        await until(lambda: rig.told.latest(f"drying-probe/{TEMPERATURE}"))
        node.device.wants_pairing = True
        rig.house.bluez.disconnect(node.device)
        await until(lambda: node.device.paired)
        await until(lambda: rig.told.here["drying-probe"])
        # Once it is taken out, BlueZ has no key of it either: a node that was reset
        # would not be let in again with an old one.
        await rig.driver.remove("drying-probe")
        assert not node.device.paired
        rig.told.arrived.clear()
        rig.told.here.clear()
        node.device.wants_pairing = False
        await rig.let_in("drying-probe")
        await until(lambda: rig.told.here.get("drying-probe"))


async def test_out_of_reach_and_back(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("hen-lamp")
        await until(lambda: rig.told.here.get("hen-lamp"))
        node.away = True
        await until(lambda: not rig.told.here["hen-lamp"])
        await until(
            lambda: any("cannot be connected to" in refusal for refusal in rig.told.refusals)
        )
        monkeypatch.setattr("hombi.links.bluetooth.peer.ANSWER_S", 0.1)
        with pytest.raises(Unreachable, match="not connected"):
            await rig.driver.send("hen-lamp", ON)
        monkeypatch.setattr("hombi.links.bluetooth.peer.ANSWER_S", 6.0)
        node.away = False
        await until(lambda: rig.told.here["hen-lamp"])
        await rig.driver.send("hen-lamp", ON)
        assert node.on


async def test_a_connection_that_never_resolves_is_given_up(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hombi.links.bluetooth.arrivals.CONNECT_S", 0.3)
    async with rig_at(tmp_path, monkeypatch) as rig:
        rig.node("hen-lamp").device.hangs = True
        rig.driver.pairing(True)
        told = await until(
            lambda: next((a for a in rig.told.asked if "does not answer" in a.progress), None)
        )
        assert told.title == "Hen house lamp"


async def test_an_adapter_that_is_switched_off_is_said_and_taken_up_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("hen-lamp")
        await rig.driver.send("hen-lamp", ON)
        rig.house.bluez.power(False)
        await until(lambda: "switched off" in rig.told.wrong)
        assert rig.driver.checks()[0].state == "fault"
        rig.house.bluez.power(True)
        await rig.up()
        await rig.driver.send("hen-lamp", OFF)
        assert not node.on


async def test_bluez_that_is_started_anew_is_noticed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("hen-lamp")
        await until(lambda: rig.told.here.get("hen-lamp"))
        await rig.house.bluez.stop()
        await until(lambda: "BlueZ" in rig.told.wrong)
        await rig.house.bluez.start()
        await rig.up()
        await rig.driver.send("hen-lamp", ON)
        assert node.on


async def test_bluez_that_looks_for_nodes_no_more_is_noticed_and_told_to_go_on(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hombi.links.bluetooth.adapter.DEAF_S", 0.3)
    async with rig_at(tmp_path, monkeypatch) as rig:
        tag = await rig.let_in("boathouse-tag")
        rig.house.bluez.stop_looking()
        await until(lambda: any("stopped looking" in trouble for trouble in rig.told.troubles))
        await rig.up()
        assert rig.told.wrong == ""
        tag.mill.rooms["boathouse"].temperature = 24.0
        await until(lambda: (rig.told.latest("boathouse-tag/temperature") or 0) > 20)
        # For a moment it looks for nobody while it connects: nothing to speak of.
        said = len(rig.told.troubles)
        looking = set(rig.house.bluez.scanning)
        rig.house.bluez.stop_looking()
        rig.house.bluez.look_again(looking)
        await asyncio.sleep(0.5)
        assert len(rig.told.troubles) == said


async def test_a_bus_that_dies_is_noticed_and_taken_up_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        await rig.let_in("boathouse-tag")
        await until(lambda: rig.told.latest("boathouse-tag/temperature"))
        await rig.house.bluez.stop()
        await rig.house.bus.stop()
        await until(lambda: rig.told.wrong)
        await rig.house.start()
        await rig.up()
        before = len(rig.told.lives)
        await until(lambda: len(rig.told.lives) > before)


async def test_no_adapter_and_no_bus_are_said_in_words(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        await rig.up()
        await rig.driver.stop()
        rig.house.bluez.adapter = False
        for settings, words in (
            (BluetoothSettings(), "no Bluetooth adapter; plug one in"),
            (BluetoothSettings(enabled=False), "not used: bluetooth.use is off"),
        ):
            rig.driver = BluetoothDriver(context_of(Told()), settings)
            await rig.driver.start()
            await until(lambda words=words: rig.driver.listening() == words)
            await rig.driver.stop()
        rig.house.bluez.adapter = True
        rig.driver = BluetoothDriver(context_of(Told()), BluetoothSettings(adapter="hci7"))
        await rig.driver.start()
        await until(
            lambda: rig.driver.listening() == "there is no Bluetooth adapter hci7; there is hci0"
        )
        await rig.driver.stop()
        monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", f"unix:path={tmp_path}/nobody")
        told = Told()
        rig.driver = BluetoothDriver(context_of(told), BluetoothSettings())
        await rig.driver.start()
        await until(
            lambda: rig.driver.listening() == "no Bluetooth: this machine has no system bus"
        )
        assert told.troubles == [], "a house without Bluetooth nodes does not miss it"


async def test_strangers_are_no_arrivals(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        await rig.up()
        rig.house.bluez.devices["00:00:5E:00:53:77"] = Device(
            "00:00:5E:00:53:77", "Somebody's ear", uuids=[gatt.uuid(0x110B)]
        )
        rig.driver.pairing(True)
        await rig.house.bluez.advertise("00:00:5E:00:53:77", -60, {}, {0x004C: b"\x10\x05"})
        await until(lambda: len(rig.told.arrived) == 4)
        assert not any("ear" in found.title for found in rig.told.arrived.values())


async def test_a_node_that_is_removed_is_let_go(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("hen-lamp")
        await until(lambda: node.device.connected and rig.told.here.get("hen-lamp"))
        await rig.driver.remove("hen-lamp")
        await until(lambda: not node.device.connected)
        lives = len(rig.told.lives)
        await asyncio.sleep(0.1)
        assert len(rig.told.lives) == lives


# Connections that are lost, and characteristics with several signals (44, 45)


def bus_sockets() -> int:
    """How many files this process has open: the hub and the lab together."""
    return len(os.listdir("/proc/self/fd"))


async def test_a_node_that_drops_at_once_is_left_in_peace_and_costs_no_socket(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("hen-lamp")
        await until(lambda: rig.told.here.get("hen-lamp"))
        node.device.drops, begun = True, node.device.connects
        rig.house.bluez.disconnect(node.device)
        # A drop in the middle of a connection may cost a try its whole time.
        await until(
            lambda: any("cannot be connected to" in refusal for refusal in rig.told.refusals), 120
        )
        # With pauses of 0.05, 0.1, 0.2, 0.4 … s no more than six connections fit into
        # two seconds.
        count = node.device.connects
        await asyncio.sleep(2)
        assert node.device.connects - count <= 6
        assert sum("cannot be connected to" in refusal for refusal in rig.told.refusals) == 1
        monkeypatch.setattr("hombi.links.bluetooth.peer.LONGEST_PAUSE_S", 0.0)
        settled = None
        for drops in DROPS:
            await until(lambda drops=drops: node.device.connects - begun >= drops, 120)
            settled = settled or bus_sockets()
        assert bus_sockets() <= settled + 3, f"after {DROPS[-1]} connections"
        node.device.drops = False
        await until(lambda: rig.told.here["hen-lamp"])
        await rig.driver.send("hen-lamp", ON)
        assert node.on


async def test_what_bleak_stumbles_over_costs_one_try(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    stumbles: list[Exception] = []

    class Stumbling(BleakClient):
        async def connect(self, **options: Any) -> None:
            await super().connect(**options)
            if stumbles:
                raise stumbles.pop()

        async def disconnect(self) -> None:
            await super().disconnect()
            if stumbles:
                raise stumbles.pop()

    monkeypatch.setattr("hombi.links.bluetooth.peer.BleakClient", Stumbling)
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("hen-lamp")
        await until(lambda: rig.told.here.get("hen-lamp"))
        # As it does where a node is lost while its services are looked up.
        stumbles += [AssertionError(), KeyError("/org/bluez/hci0/dev_A/service0010")] * 4
        stumbles.pop()  # that of the connection that stays
        rig.house.bluez.disconnect(node.device)
        await until(lambda: not stumbles)
        await until(lambda: rig.told.here["hen-lamp"])
        await rig.driver.send("hen-lamp", ON)
        assert node.on
        assert any("the connection was lost" in refusal for refusal in rig.told.refusals)


async def test_a_node_that_is_back_is_connected_at_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hombi.links.bluetooth.peer.QUIET_S", 0.5)
    async with rig_at(tmp_path, monkeypatch) as rig:
        monkeypatch.setattr("hombi.links.bluetooth.peer.FIRST_PAUSE_S", 20.0)
        node = await rig.let_in("hen-lamp")
        await until(lambda: rig.told.here.get("hen-lamp"))
        node.away = True
        await until(lambda: not rig.told.here["hen-lamp"])
        await asyncio.sleep(1)
        node.away = False
        await until(lambda: rig.told.here["hen-lamp"], 5)  # and not after 20 s
        await rig.driver.send("hen-lamp", ON)
        assert node.on


async def test_each_signal_of_a_characteristic_is_a_switch_of_its_own(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = rig.node("hen-lamp")
        (digital,) = node.device.services[gatt.uuid(gatt.AUTOMATION_IO)]
        held = bytearray(b"\x11")  # the first and the third are on
        digital.descriptors = {gatt.uuid(NUMBER_OF_DIGITALS): b"\x04"}
        digital.read = lambda: bytes(held)
        digital.write = lambda data: held.__setitem__(slice(None), data)
        result = await rig.arrive("hen-lamp")
        wires = [f"1815/2a56{end}" for end in ("", ".2", ".3", ".4")]
        names = {value.wire_name: value.name for value in result.offer.values}
        assert [names[wire] for wire in wires] == ["switch", "switch-2", "switch-3", "switch-4"]
        rig.driver.follow(on_link("hen-lamp", result))
        await until(lambda: rig.told.here.get("hen-lamp"))
        await until(
            lambda: (
                [rig.told.latest(f"hen-lamp/{wire}") for wire in wires]
                == [True, False, True, False]
            )
        )
        await asyncio.gather(
            *(
                rig.driver.send("hen-lamp", [Wanted(wires[n], float(on), "", True)])
                for n, on in ((1, True), (2, False))
            )
        )
        assert held == b"\x05"
        assert [rig.told.latest(f"hen-lamp/{wire}") for wire in wires] == [True, True, False, False]


async def test_a_link_that_is_not_used_says_so_and_misses_nothing(tmp_path: Path) -> None:
    told = Told()
    driver = BluetoothDriver(context_of(told), BluetoothSettings(enabled=False))
    await driver.start()
    driver.pairing(True)
    driver.pairing(False)
    assert driver.listening() == "not used: bluetooth.use is off"
    assert not told.troubles
    await driver.stop()


async def test_a_command_goes_on_when_its_connection_is_lost_under_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("hen-lamp")
        await until(lambda: rig.told.here.get("hen-lamp"))
        (digital,) = node.device.services[gatt.uuid(gatt.AUTOMATION_IO)]
        written = digital.write
        losses = [1]

        def lost_on_the_way(data: bytes) -> None:
            if losses[0]:
                losses[0] -= 1
                rig.house.bluez.disconnect(node.device)
            else:
                written(data)

        digital.write = lost_on_the_way
        await rig.driver.send("hen-lamp", [Wanted("1815/2a56", 1.0, "", True)])
        assert node.on
        assert rig.told.latest("hen-lamp/1815/2a56") is True
        # One that is lost each time is said, and all is well again afterwards.
        losses[0] = 2
        with pytest.raises(LinkError, match="lost"):
            await rig.driver.send("hen-lamp", [Wanted("1815/2a56", 0.0, "", True)])
        await rig.driver.send("hen-lamp", [Wanted("1815/2a56", 0.0, "", True)])
        assert not node.on
