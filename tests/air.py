"""Radio nodes beside a hub that runs as people run it: the lab's stick on a pty and its
nodes, in a thread of their own."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TypeVar

from hombi.client import Hub
from hombi.lab.bluetooth_nodes import BluetoothHouse
from hombi.lab.operated_plans import OPERATED
from hombi.lab.physics import Mill
from hombi.lab.radio_plans import BLUETOOTH, ZIGBEE
from hombi.lab.zigbee_nodes import ZigbeeNode
from hombi.lab.zigbee_stick import Stick
from hombi.wire.pairing import Arrival
from tests.conftest import make_service
from tests.house import Service, until

T = TypeVar("T")
MIDSUMMER_NOON_S = 1_782_043_200.0


@dataclass
class Air:
    """The nodes; `do` has something done in their thread, for they are not to be
    touched from another."""

    folder: Path
    loop: asyncio.AbstractEventLoop
    mill: Mill = field(default_factory=lambda: Mill(7, MIDSUMMER_NOON_S))

    def __post_init__(self) -> None:
        self.stick = Stick(self.folder / "stick", self.folder / "stick.json")
        plans = (*ZIGBEE, *OPERATED)
        self.nodes = {
            plan.address: ZigbeeNode(plan, self.mill, self.stick, polls_s=0.05) for plan in plans
        }
        self.bluetooth = BluetoothHouse(BLUETOOTH, self.mill, self.folder)

    def do(self, act: Callable[[], T]) -> T:
        async def run() -> T:
            return act()

        return asyncio.run_coroutine_threadsafe(run(), self.loop).result(30)

    def press(self, node: str) -> None:
        self.do(self.nodes[node].press)

    async def live(self) -> None:
        self.stick.plug()
        await self.bluetooth.start()
        try:
            while True:
                for node in self.nodes.values():
                    node.step()
                for tag in self.bluetooth.nodes.values():
                    await tag.step()
                self.bluetooth.bluez.tell()
                await asyncio.sleep(0.05)
        finally:
            self.stick.unplug()
            await self.bluetooth.stop()


@contextlib.contextmanager
def air_at(folder: Path) -> Iterator[Air]:
    """The nodes, alive."""
    loop = asyncio.new_event_loop()
    air = Air(folder, loop)
    living = loop.create_task(air.live())
    thread = threading.Thread(target=loop.run_forever, daemon=True)
    thread.start()
    try:
        until(lambda: air.stick.plugged and air.bluetooth.bluez.scanning is not None)
        yield air
    finally:
        loop.call_soon_threadsafe(living.cancel)
        until(living.done)
        loop.call_soon_threadsafe(loop.stop)
        thread.join(30)
        loop.close()


def waiting(hub: Hub, thing: str) -> Arrival:
    """The arrival of this node, once it has been asked what it has."""
    return until(
        lambda: next(
            (a for a in hub.pairing.arrivals() if a.thing == thing and a.state == "waiting"), None
        )
    )


def let_in(hub: Hub, air: Air, node: str, room: str) -> None:
    """A Zigbee node, from the press of its button to its room; the window stays
    open."""
    hub.pairing.open("1 min")
    until(lambda: air.do(lambda: air.stick.permits))
    air.press(node)
    hub.pairing.admit(
        waiting(hub, air.nodes[node].thing_id).id, name=air.nodes[node].title, room=room
    )


@contextlib.contextmanager
def hub_in(folder: Path) -> Iterator[tuple[Service, Air]]:
    """A hub with an owner with the stick and the adapter, and the nodes around it."""
    air_folder = folder / "air"
    air_folder.mkdir()
    with air_at(air_folder) as air:
        service = make_service(
            folder / "hub",
            HOMBI_ZIGBEE_PORT=str(air.stick.path),
            HOMBI_BLUETOOTH_USE="on",
            DBUS_SYSTEM_BUS_ADDRESS=air.bluetooth.bus.address,
        ).start()
        service.sign_in_first()
        try:
            yield service, air
        finally:
            service.kill()
