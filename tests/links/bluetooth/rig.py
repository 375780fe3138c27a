"""A Bluetooth driver on a real bus daemon, with the lab's BlueZ and nodes on it."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from hombi.lab.bluetooth_nodes import BluetoothHouse, BluetoothNode
from hombi.lab.physics import Mill
from hombi.lab.radio_plans import BLUETOOTH
from hombi.links.base import Found, LinkContext
from hombi.links.bluetooth.driver import BluetoothDriver
from hombi.links.bluetooth.settings import BluetoothSettings
from hombi.links.bluetooth.words import thing_id
from tests.links.told import Told, context_of, on_link, until

MIDSUMMER_NOON_S = 1_782_043_200.0


@dataclass
class Rig:
    """The bus, BlueZ with the nodes, and the driver."""

    house: BluetoothHouse
    told: Told = field(default_factory=Told)

    def __post_init__(self) -> None:
        self.settings = BluetoothSettings()
        self.driver = BluetoothDriver(self.context(), self.settings)

    def context(self) -> LinkContext:
        return context_of(self.told)

    def node(self, address: str) -> BluetoothNode:
        return self.house.nodes[address]

    async def up(self) -> None:
        await until(lambda: self.driver.listening() == "Bluetooth on hci0")

    async def arrive(self, address: str) -> Found:
        self.driver.pairing(True)
        return await until(lambda: self.told.arrived.get(thing_id(self.node(address).plan.mac)))

    async def let_in(self, address: str) -> BluetoothNode:
        self.driver.follow(on_link(address, await self.arrive(address)))
        self.driver.pairing(False)
        return self.node(address)

    async def live(self) -> None:
        """The lab's nodes live on, quicker than they would."""
        while True:
            for node in self.house.nodes.values():
                node._next = 0.0
                await node.step()
            self.house.bluez.tell()
            await asyncio.sleep(0.02)


@contextlib.asynccontextmanager
async def rig_at(folder: Path, monkeypatch: pytest.MonkeyPatch) -> AsyncIterator[Rig]:
    """A rig with its driver started."""
    monkeypatch.setattr("hombi.links.bluetooth.arrivals.GATHER_S", 0.1)
    monkeypatch.setattr("hombi.links.bluetooth.driver.FIRST_PAUSE_S", 0.1)
    monkeypatch.setattr("hombi.links.bluetooth.arrivals.AGAIN_S", 0.05)
    monkeypatch.setattr("hombi.links.bluetooth.peer.FIRST_PAUSE_S", 0.05)
    house = BluetoothHouse(BLUETOOTH, Mill(7, MIDSUMMER_NOON_S), folder)
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", house.bus.address)
    await house.start()
    rig = Rig(house)
    living = asyncio.create_task(rig.live())
    try:
        await rig.driver.start()
        yield rig
    finally:
        await rig.driver.stop()
        living.cancel()
        await asyncio.gather(living, return_exceptions=True)
        await house.stop()
