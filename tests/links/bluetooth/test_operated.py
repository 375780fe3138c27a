"""Bells, scales, barrels, dimmers: what happens, what is only indicated, and what says
itself how it is read. Over a real bus."""

from __future__ import annotations

import asyncio
import struct
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from hombi.lab.bluetooth_nodes import BluetoothNode, BluetoothPlan
from hombi.lab.bluez import Characteristic
from hombi.links.base import Wanted
from hombi.links.bluetooth import driver, gatt
from hombi.links.bluetooth.descriptors import (
    NUMBER_OF_DIGITALS,
    PRESENTATION_FORMAT,
    USER_DESCRIPTION,
)
from hombi.links.bluetooth.errors import BluetoothError
from hombi.links.bluetooth.example import BARREL, BARREL_LEVEL
from hombi.links.bluetooth.peer import MOST_VALUES
from tests.links.bluetooth.rig import Rig, rig_at
from tests.links.told import on_link, until

OWN_SERVICE, OWN = (
    "7d1a0101-5eed-4b0a-9c1e-52652b527573",
    "7d1a0102-5eed-4b0a-9c1e-52652b527573",
)
PERCENT, VOLT = 0x27AD, 0x2728


def presses(rig: Rig) -> list[Any]:
    values = rig.told.values.get("terrace-bell/bell", [])
    return [value.value for value in values if value.value is not None]


async def test_each_press_of_a_bell_is_told_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(driver, "REMEMBERED_S", 0.0)
    monkeypatch.setattr(driver, "SAME_AGAIN_S", 0.1)
    monkeypatch.setattr(driver, "AT_MOST_EVERY_S", 0.01)
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("terrace-bell")
        await until(lambda: rig.told.latest("terrace-bell/battery voltage") == 2.9)
        for count, (what, kind) in enumerate(
            (("press", 0.0), ("press", 0.0), ("hold", 1.0), ("press", 0.0)), 1
        ):
            node.tap(what)
            await until(lambda count=count: len(presses(rig)) >= count)
            # The same advertisement goes on, and is heard again and again.
            await asyncio.sleep(0.3)
            assert len(presses(rig)) == count
            assert presses(rig)[-1] == kind


async def test_what_bluez_remembers_of_a_bell_is_no_press(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(driver, "REMEMBERED_S", 0.5)
    monkeypatch.setattr(driver, "AT_MOST_EVERY_S", 0.01)
    async with rig_at(tmp_path, monkeypatch) as rig:
        arrived = await rig.arrive("terrace-bell")
        node = rig.node("terrace-bell")
        node.tap("hold")
        await rig.driver.stop()
        rig.driver = driver.BluetoothDriver(rig.context(), rig.settings)
        rig.driver.follow(on_link("terrace-bell", arrived))
        await rig.driver.start()
        await until(lambda: rig.told.latest("terrace-bell/battery voltage") == 2.9)
        assert presses(rig) == []
        await asyncio.sleep(0.6)
        node.tap("press")
        await until(lambda: presses(rig) == [0.0])


async def test_a_bell_is_offered_with_its_words(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        offer = (await rig.arrive("terrace-bell")).offer
        assert next(v.kind.words for v in offer.values if v.name == "bell") == ("pressed", "held")


async def test_a_scale_that_only_indicates_tells_what_it_kept_and_what_comes(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("loft-scale")
        await until(lambda: rig.told.latest("loft-scale/181d/2a9d") == pytest.approx(71.3))
        node.tap("step on with the dog")
        await until(lambda: rig.told.latest("loft-scale/181d/2a9d") == pytest.approx(85.5))
        rig.house.bluez.disconnect(node.device)
        node.tap("step on")
        await until(lambda: rig.told.latest("loft-scale/181d/2a9d") == pytest.approx(71.3))


async def test_a_makers_own_characteristic_is_read_by_its_decoder(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        arrived = await rig.arrive("hen-barrel")
        value = next(v for v in arrived.offer.values if v.kind_name == "distance")
        assert (value.title, value.unit) == ("Rain barrel", "mm")
        await rig.let_in("hen-barrel")
        address = f"hen-barrel/{value.wire_name}"
        assert value.wire_name.endswith(BARREL_LEVEL)
        node = rig.node("hen-barrel")
        (level,) = node.device.services[BARREL]
        await until(lambda: level.notifying)
        # It notifies only: what it holds is known when it first changes.
        assert rig.told.latest(address) is None
        node.plan = replace(node.plan, barrel=lambda _: 612.0)
        await until(lambda: rig.told.latest(address) == 612.0)


def characteristic(uuid: str, held: bytearray, *flags: str, **descriptors: bytes) -> Characteristic:
    names = {
        "name": USER_DESCRIPTION,
        "format": PRESENTATION_FORMAT,
        "count": NUMBER_OF_DIGITALS,
    }
    return Characteristic(
        uuid,
        list(flags),
        lambda: bytes(held),
        lambda data: held.__setitem__(slice(None), data),
        descriptors={gatt.uuid(names[name]): data for name, data in descriptors.items()},
    )


def how(format_: int, exponent: int, unit: int) -> bytes:
    return struct.pack("<BbHBH", format_, exponent, unit, 1, 0)


def built(rig: Rig, services: dict[str, list[Characteristic]]) -> BluetoothNode:
    plan = BluetoothPlan(
        *("bench", "Bench box", "Workshop", "00:00:5E:00:53:61", "Alder & Finch", "Box B3"),
        connects=True,
        switches="hen_lamp",
    )
    node = BluetoothNode(plan, rig.node("hen-lamp").mill, rig.house.bluez)
    node.device.services = {
        **{u: c for u, c in node.device.services.items() if u != gatt.uuid(gatt.AUTOMATION_IO)},
        **services,
    }
    rig.house.nodes["bench"] = node
    return node


async def test_names_and_scales_are_those_that_the_node_says(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        supply = bytearray(struct.pack("<H", 1234))
        own = bytearray(struct.pack("<h", -55))
        built(
            rig,
            {
                gatt.uuid(gatt.AUTOMATION_IO): [
                    characteristic(
                        *(gatt.uuid(gatt.ANALOG), supply, "read", "notify"),
                        name=b"Supply",
                        format=how(0x06, -2, VOLT),
                    ),
                    characteristic(
                        *(gatt.uuid(gatt.DIGITAL), bytearray(b"\x04"), "read", "write", "notify"),
                        name=b"Bench relay",
                        count=b"\x02",
                    ),
                ],
                OWN_SERVICE: [
                    characteristic(OWN, own, "read", name=b"Offset", format=how(0x0E, -1, 0x272F)),
                    characteristic(OWN[:-1] + "4", bytearray(b"abc"), "read", name=b"Text"),
                ],
            },
        )
        offer = (await rig.arrive("bench")).offer
        shown = {v.title: (v.kind_name, v.unit) for v in offer.values if v.kind_name != "signal"}
        assert shown == {
            "Supply": ("voltage", "V"),
            "Bench relay": ("switch", ""),
            "Bench relay 2": ("switch", ""),
            "Offset": ("temperature", "°C"),
            "Battery": ("battery", "%"),
        }
        wires = {v.title: v.wire_name for v in offer.values}
        await rig.let_in("bench")
        await until(lambda: rig.told.latest(f"bench/{wires['Supply']}") == 12.34)
        await until(lambda: rig.told.latest(f"bench/{wires['Offset']}") == -5.5)
        await until(lambda: rig.told.latest(f"bench/{wires['Bench relay 2']}") is True)
        supply[:] = struct.pack("<H", 1190)
        await until(lambda: rig.told.latest(f"bench/{wires['Supply']}") == 11.9)


async def test_an_analog_output_is_set_in_its_own_scale(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        held = bytearray(b"\0")
        built(
            rig,
            {
                gatt.uuid(gatt.AUTOMATION_IO): [
                    characteristic(
                        *(gatt.uuid(gatt.ANALOG), held, "read", "write"),
                        name=b"Dimmer",
                        format=how(0x04, 0, PERCENT),
                    )
                ]
            },
        )
        offer = (await rig.arrive("bench")).offer
        dimmer = next(v for v in offer.values if v.title == "Dimmer")
        assert dimmer.writable
        await rig.let_in("bench")
        await until(lambda: rig.told.here.get("bench"))
        wire = dimmer.wire_name
        await rig.driver.send("bench", [Wanted(wire, 40.0, "%", False)])
        assert held == b"\x28"
        assert rig.told.latest(f"bench/{wire}") == 40.0
        with pytest.raises(BluetoothError, match="300 does not fit"):
            await rig.driver.send("bench", [Wanted(wire, 300.0, "%", False)])
        assert held == b"\x28"


async def test_a_service_that_nobody_knows_is_left_alone(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        rig.node("hen-barrel").device.services = {
            OWN_SERVICE: [characteristic(OWN, bytearray(1), "read")]
        }
        await rig.arrive("hen-lamp")
        await asyncio.sleep(0.2)
        assert rig.node("hen-barrel").thing_id not in rig.told.arrived
        assert BARREL not in rig.node("hen-barrel").device.services


async def test_names_that_a_node_gives_twice_are_told_apart_and_its_values_are_bounded(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        built(
            rig,
            {
                gatt.uuid(gatt.ENVIRONMENTAL_SENSING): [
                    characteristic(
                        gatt.uuid(gatt.TEMPERATURE), bytearray(b"\xc4\x09"), "read", name=b"Probe"
                    )
                    for _ in range(70)
                ],
                OWN_SERVICE: [
                    characteristic(
                        OWN, bytearray(b"\x01"), "read", name=b"Probe", format=how(0x04, 0, PERCENT)
                    )
                ],
            },
        )
        offer = (await rig.arrive("bench")).offer
        names = [value.name for value in offer.values]
        assert len(set(names)) == len(names) <= MOST_VALUES + 1
        assert {"probe", "probe-2", "probe-9"} <= set(names)
        await rig.let_in("bench")
        await until(lambda: rig.told.latest("bench/181a/2a6e#2") == 25.0)
