"""Which characteristic is which, and characteristics that are not read or not written
at once."""

from __future__ import annotations

from pathlib import Path

import pytest

from hombi.lab.bluetooth_nodes import BluetoothNode, BluetoothPlan
from hombi.lab.bluez import Characteristic, Device
from hombi.links.base import Wanted
from hombi.links.bluetooth import gatt
from hombi.links.bluetooth.characteristics import CHARACTERISTICS
from tests.links.bluetooth.rig import Rig, rig_at
from tests.links.told import on_link, until

TEMPERATURES = ("181a/2a6e", "181a/2a6e#2")
RELAYS = ("1815/2a56", "1815/2a56#2")


def twin(rig: Rig) -> BluetoothNode:
    """A node with two temperatures of one UUID (10 and 30 °C), and two relays."""
    plan = BluetoothPlan(
        "twin",
        "Twin probe",
        "Cellar",
        "00:00:5E:00:53:60",
        "Alder & Finch",
        "Probe G2",
        connects=True,
        senses=((gatt.TEMPERATURE, lambda _: 10.0), (gatt.TEMPERATURE, lambda _: 30.0)),
    )
    node = BluetoothNode(plan, rig.node("hen-lamp").mill, rig.house.bluez)
    node.device.services = {
        **node.device.services,
        gatt.uuid(gatt.AUTOMATION_IO): [relay(), relay()],
    }
    rig.house.nodes["twin"] = node
    return node


def relay(*flags: str) -> Characteristic:
    held = bytearray(b"\0")
    return Characteristic(
        gatt.uuid(gatt.DIGITAL),
        list(flags or ("read", "write", "notify")),
        lambda: bytes(held),
        lambda data: held.__setitem__(slice(None), data),
    )


def backwards(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    """BlueZ lists the characteristics the other way round from now on."""
    forwards = rig.house.bluez._gatt

    def gatt_of(device: Device) -> dict[str, dict[str, dict[str, object]]]:
        items = list(forwards(device).items())
        return dict([item for item in items if "/char" not in item[0]] + items[::-1])

    monkeypatch.setattr(rig.house.bluez, "_gatt", gatt_of)


async def test_two_of_one_uuid_keep_their_names_in_whatever_order_they_are_listed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = twin(rig)
        await rig.let_in("twin")
        await until(lambda: rig.told.here.get("twin"))
        relays = node.device.services[gatt.uuid(gatt.AUTOMATION_IO)]
        for _ in range(2):
            rig.told.values.clear()
            rig.house.bluez.disconnect(node.device)
            await until(
                lambda: (
                    [rig.told.latest(f"twin/{temperature}") for temperature in TEMPERATURES]
                    == [10, 30]
                )
            )
            await rig.driver.send("twin", [Wanted(RELAYS[0], 1.0, "", True)])
            assert [one.read() for one in relays] == [b"\x01", b"\0"]
            await rig.driver.send("twin", [Wanted(RELAYS[0], 0.0, "", True)])
            backwards(rig, monkeypatch)


async def test_new_software_may_add_characteristics_and_may_not_swap_them(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hombi.links.bluetooth.peer.LONGEST_PAUSE_S", 0.1)
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = twin(rig)
        arrived = await rig.arrive("twin")
        # It was let in when its first temperature was not there: the second one of now
        # was its only one.
        handles = {"181a/2a6e": arrived.reach["handles"][TEMPERATURES[1]]}
        arrived.reach["handles"] = handles
        rig.driver.follow(on_link("twin", arrived))
        rig.driver.pairing(False)
        await until(lambda: rig.told.latest("twin/181a/2a6e") == 30)
        await rig.driver.remove("twin")

        # And with software that moves all of them, none is taken for another.
        rig.told.values.clear()
        rig.told.arrived.clear()
        rig.driver.pairing(True)
        arrived = await until(lambda: rig.told.arrived.get(arrived.thing_id))
        rig.driver.follow(on_link("twin", arrived))
        await until(lambda: rig.told.latest(f"twin/{TEMPERATURES[0]}") == 10)
        rig.told.values.clear()
        before = node.device.services
        sensing = gatt.uuid(gatt.ENVIRONMENTAL_SENSING)
        more = Characteristic(gatt.uuid(gatt.HUMIDITY), ["read"], lambda: b"\x10\x27")
        node.device.services = {**before, sensing: [more, *before[sensing]]}
        rig.house.bluez.disconnect(node.device)
        await until(lambda: any("let it in again" in refusal for refusal in rig.told.refusals))
        assert not rig.told.values.get(f"twin/{TEMPERATURES[0]}")
        # The old software again: all is well without a hand.
        node.device.services = before
        await until(lambda: rig.told.latest(f"twin/{TEMPERATURES[0]}") == 10)


async def test_a_node_that_only_notifies_is_let_in_and_followed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = twin(rig)
        relays = [relay("write", "notify"), relay("write")]
        degrees = [21.5]
        sensed = Characteristic(
            gatt.uuid(gatt.TEMPERATURE),
            ["notify"],
            lambda: CHARACTERISTICS[gatt.TEMPERATURE].encode(degrees[0]),
        )
        node.device.services = {
            gatt.uuid(gatt.ENVIRONMENTAL_SENSING): [sensed],
            gatt.uuid(gatt.AUTOMATION_IO): relays,
        }
        await rig.let_in("twin")
        await until(lambda: sensed.notifying)
        degrees[0] = 22.5
        await until(lambda: rig.told.latest(f"twin/{TEMPERATURES[0]}") == 22.5)
        for number, wire in enumerate(RELAYS):
            await rig.driver.send("twin", [Wanted(wire, 1.0, "", True)])
            assert relays[number].read() == b"\x01"


async def test_a_node_that_is_written_only_when_paired_is_paired_with_then(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig_at(tmp_path, monkeypatch) as rig:
        node = await rig.let_in("hen-lamp")
        node.device.writes_paired = True
        await until(lambda: rig.told.here.get("hen-lamp"))
        assert not node.device.paired
        await rig.driver.send("hen-lamp", [Wanted("1815/2a56", 1.0, "", True)])
        assert node.on
        assert node.device.paired
