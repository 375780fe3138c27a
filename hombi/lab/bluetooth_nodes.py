"""Simulated Bluetooth nodes: two kinds, those that broadcast what they sense and those
that are connected to."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from hombi.lab.bluez import Bluez, Characteristic, Device
from hombi.lab.bus import PrivateBus
from hombi.lab.physics import Mill
from hombi.links.bluetooth import gatt
from hombi.links.bluetooth.characteristics import CHARACTERISTICS
from hombi.links.bluetooth.descriptors import USER_DESCRIPTION
from hombi.links.bluetooth.example import BARREL, BARREL_LEVEL

Sense = Callable[[Mill], float | None]
STEP_S = 0.25
WEIGHT_MEASUREMENT = 0x2A9D
PRESSES = {"press": 1, "hold": 2}
# Who steps on a scale, by how much more they weigh than the first.
WEIGHS = {"step on": 0.0, "step on with the dog": 14.2}


@dataclass(frozen=True, slots=True)
class BluetoothPlan:
    """One node as it is built. One with `connects` is connected to, the others
    broadcast. Senses are by characteristic; `switches` is the mill's device that its
    Digital characteristic sets. `shelf` is a weight in g, broadcast in the maker's own
    way, as a `bell` does its presses; a `barrel` notifies its level in mm, and on a
    `scale` somebody of so many kg steps."""

    address: str
    title: str
    room: str
    mac: str
    make: str = ""
    model: str = ""
    connects: bool = False
    senses: tuple[tuple[int, Sense], ...] = ()
    switches: str = ""
    shelf: Sense | None = None
    bell: bool = False
    barrel: Sense | None = None
    scale: float = 0.0
    every_s: float = 2.0
    waits: bool = False


class BluetoothNode:
    """One node in the air."""

    def __init__(self, plan: BluetoothPlan, mill: Mill, bluez: Bluez) -> None:
        self.plan, self.mill, self.bluez = plan, mill, bluez
        self.away = False
        self.drained: float | None = None
        self.on = False
        self._next = 0.0
        self._presses, self._pressed = 0, 0
        self._weighed = plan.scale
        self.device = Device(
            plan.mac,
            plan.title if plan.connects else f"{plan.make} {plan.model}".strip(),
            self._services(),
        )
        bluez.devices[plan.mac] = self.device

    @property
    def title(self) -> str:
        """Its name on its label."""
        return self.plan.title

    @property
    def thing_id(self) -> str:
        """Its address as a URN (RFC 9039)."""
        digits = self.plan.mac.replace(":", "").lower()
        return f"urn:dev:mac:{digits[:6]}fffe{digits[6:]}"

    @property
    def link(self) -> str:
        """The link it speaks over."""
        return "bluetooth"

    @property
    def state(self) -> str:
        """How it is, in a word or two."""
        if self.away:
            return "out of reach"
        return (
            "connected"
            if self.device.connected
            else "broadcasts"
            if not self.plan.connects
            else "is there"
        )

    @property
    def battery(self) -> float:
        """% left."""
        return self.drained if self.drained is not None else self.mill.battery(self.plan.address)

    @property
    def taps(self) -> tuple[str, ...]:
        """What else a person can do at it."""
        if self.plan.bell:
            return tuple(PRESSES)
        return tuple(WEIGHS) if self.plan.scale else ()

    def tap(self, what: str) -> None:
        """Press its button, or step on it."""
        if what in WEIGHS:
            self._weighed = self.plan.scale + WEIGHS[what]
            return
        self._presses += 1
        self._pressed = PRESSES[what]
        self._next = 0.0

    def press(self) -> None:
        """Hold its button: it says at once that it is there."""
        self._next = 0.0

    @property
    def rssi(self) -> int:
        """How well it is heard, dBm."""
        return round(
            -52 - int(self.plan.mac[-2:], 16) % 30 + self.mill.noise(f"rssi {self.plan.mac}", 1.5)
        )

    async def step(self) -> None:
        """Live on: advertise when it is time, and tell who is connected what has
        changed."""
        if self.away:
            self.bluez.disconnect(self.device)
            self.device.present = False
            return
        now = asyncio.get_running_loop().time()
        if now >= self._next:
            self._next = now + self.plan.every_s
            await self.bluez.advertise(
                self.plan.mac, self.rssi, self._service_data(), self._manufacturer_data()
            )

    def _service_data(self) -> dict[str, bytes]:
        if self.plan.connects or not self.plan.senses:
            return {}
        data = b"".join(
            CHARACTERISTICS[short].encode(sense(self.mill)) for short, sense in self.plan.senses
        )
        return {
            gatt.uuid(gatt.ENVIRONMENTAL_SENSING): data,
            gatt.uuid(gatt.BATTERY_SERVICE): bytes((round(self.battery),)),
        }

    def _manufacturer_data(self) -> dict[int, bytes]:
        if self.plan.bell:
            return {0xFFFF: b"RB" + bytes((self._presses & 0xFF, self._pressed, 29))}
        if self.plan.shelf is None:
            return {}
        weight = round(self.plan.shelf(self.mill) or 0)
        return {0xFFFF: b"RR" + weight.to_bytes(2, "little") + bytes((29,))}

    def _services(self) -> dict[str, list[Characteristic]]:
        if not self.plan.connects:
            return {}
        result: dict[str, list[Characteristic]] = {}
        texts = (
            (gatt.MANUFACTURER_NAME, self.plan.make),
            (gatt.MODEL_NUMBER, self.plan.model),
            (gatt.FIRMWARE, "0.9.3"),
        )
        result[gatt.uuid(gatt.DEVICE_INFORMATION)] = [
            Characteristic(gatt.uuid(short), ["read"], partial(str.encode, text))
            for short, text in texts
        ]
        if self.plan.senses:
            result[gatt.uuid(gatt.ENVIRONMENTAL_SENSING)] = [
                Characteristic(
                    gatt.uuid(short), ["read", "notify"], partial(self._sensed, short, sense)
                )
                for short, sense in self.plan.senses
            ]
        if self.plan.barrel is not None:
            level = Characteristic(BARREL_LEVEL, ["notify"], self._level)
            level.descriptors = {gatt.uuid(USER_DESCRIPTION): b"Rain barrel"}
            result[BARREL] = [level]
        if self.plan.scale:
            result[gatt.uuid(gatt.WEIGHT_SCALE)] = [
                Characteristic(gatt.uuid(WEIGHT_MEASUREMENT), ["indicate"], self._weight)
            ]
        if self.plan.switches or not result.keys() - {gatt.uuid(gatt.DEVICE_INFORMATION)}:
            result[gatt.uuid(gatt.AUTOMATION_IO)] = [
                Characteristic(
                    gatt.uuid(gatt.DIGITAL),
                    ["read", "write", "notify"],
                    lambda: gatt.encode_digital(self.on),
                    self._write,
                )
            ]
        result[gatt.uuid(gatt.BATTERY_SERVICE)] = [
            Characteristic(
                gatt.uuid(gatt.BATTERY_LEVEL), ["read"], lambda: bytes((round(self.battery),))
            )
        ]
        return result

    def _sensed(self, short: int, sense: Sense) -> bytes:
        return CHARACTERISTICS[short].encode(sense(self.mill))

    def _level(self) -> bytes:
        assert self.plan.barrel is not None
        return round(self.plan.barrel(self.mill) or 0).to_bytes(2, "little")

    def _weight(self) -> bytes:
        """In steps of 5 g, without a time (Weight Scale Service, 3.2)."""
        return b"\0" + round(self._weighed / 0.005).to_bytes(2, "little")

    def _write(self, data: bytes) -> None:
        self.on = gatt.digital(data)[0] is True
        if self.plan.switches:
            setattr(self.mill.devices, self.plan.switches, self.on)


class BluetoothHouse:
    """The Bluetooth nodes of Heron Mill, BlueZ's stand-in and its bus."""

    def __init__(self, plans: tuple[BluetoothPlan, ...], mill: Mill, folder: Path) -> None:
        self.bus = PrivateBus(folder)
        self.bluez = Bluez(self.bus.address)
        self.nodes = {plan.address: BluetoothNode(plan, mill, self.bluez) for plan in plans}

    def move_to(self, mill: Mill) -> None:
        """Be in another mill."""
        for node in self.nodes.values():
            node.mill = mill

    async def start(self) -> None:
        """The bus and what is on it. Raises NoDaemon."""
        await self.bus.start()
        await self.bluez.start()

    async def run(self) -> None:
        """Live until cancelled."""
        while True:
            for node in self.nodes.values():
                await node.step()
            self.bluez.tell()
            await asyncio.sleep(STEP_S)

    async def stop(self) -> None:
        """Take them off the bus, and the bus away."""
        await self.bluez.stop()
        await self.bus.stop()
