"""The adapter: whether there is one and it is on, and the one scanner that all
share."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Callable
from typing import Any

from bleak import BleakScanner
from bleak.backends.device import BLEDevice
from bleak.backends.scanner import AdvertisementData
from bleak.exc import BleakError
from dbus_fast import BusType, Message, MessageType
from dbus_fast.aio import MessageBus
from dbus_fast.errors import DBusError

from hombi.links.bluetooth.errors import BluetoothError, NoRadio, said

# What it warns of (no bluetoothctl, a bus that is lost) is said here in words, where
# the person looks.
logging.getLogger("bleak").setLevel(logging.ERROR)
BLUEZ, ADAPTER = "org.bluez", "org.bluez.Adapter1"
SCAN_S, STOP_S, ASK_S = 10.0, 2.0, 5.0
# BlueZ stops looking for nodes for a moment while it connects to one, and goes on by
# itself after 5 s at most.
DEAF_S = 15.0
RULES = (
    "type='signal',sender='org.freedesktop.DBus',member='NameOwnerChanged',arg0='org.bluez'",
    "type='signal',sender='org.bluez',interface='org.freedesktop.DBus.Properties',arg0='org.bluez.Adapter1'",
    "type='signal',sender='org.bluez',interface='org.freedesktop.DBus.ObjectManager',member='InterfacesRemoved'",
)
Heard = Callable[[BLEDevice, AdvertisementData], None]


class Adapter:
    """One adapter by its name ("hci0"; "" for the first), scanned while it is open.
    `lost` says why it is no more."""

    def __init__(self, name: str, heard: Heard) -> None:
        self.name, self._heard = name, heard
        self._bus: MessageBus | None = None
        self._scanner: BleakScanner | None = None
        self._path = ""
        self._deaf: asyncio.TimerHandle | None = None
        self.why = ""
        self.lost = asyncio.Event()

    async def open(self) -> None:
        """Find the adapter, watch it, and scan. Raises NoRadio, BluetoothError."""
        self.lost.clear()
        self.why = ""
        self._bus = MessageBus(bus_type=BusType.SYSTEM)
        try:
            async with asyncio.timeout(ASK_S):
                await self._bus.connect()
        except (OSError, TimeoutError, DBusError, ValueError) as error:
            raise NoRadio(f"no Bluetooth: {said(error)}") from error
        self._bus.add_message_handler(self._signal)
        for rule in RULES:
            await self._call(
                "org.freedesktop.DBus",
                "/org/freedesktop/DBus",
                "org.freedesktop.DBus",
                "AddMatch",
                "s",
                [rule],
            )
        await self._find()
        self._scanner = BleakScanner(self._heard, bluez={"adapter": self.name})
        try:
            async with asyncio.timeout(SCAN_S):
                await self._scanner.start()
        except (BleakError, OSError, TimeoutError, DBusError, EOFError) as error:
            raise BluetoothError(
                f"{self.name} does not look for Bluetooth nodes: {said(error)}"
            ) from error

    async def close(self) -> None:
        """Stop scanning, and let go of the bus; also of one that has died."""
        self._hears()
        scanner, self._scanner = self._scanner, None
        if scanner is not None:
            # On a bus that has died this would wait for ever.
            with contextlib.suppress(BleakError, OSError, TimeoutError, DBusError, EOFError):
                async with asyncio.timeout(STOP_S):
                    await scanner.stop()
        bus, self._bus = self._bus, None
        if bus is not None:
            bus.remove_message_handler(self._signal)
            bus.disconnect()

    async def wait_lost(self) -> str:
        """Wait until the adapter, BlueZ or the bus is gone; why."""
        assert self._bus is not None
        gone = asyncio.ensure_future(self._bus.wait_for_disconnect())  # type: ignore[no-untyped-call]
        lost = asyncio.ensure_future(self.lost.wait())
        try:
            await asyncio.wait((gone, lost), return_when=asyncio.FIRST_COMPLETED)
        finally:
            for one in (gone, lost):
                one.cancel()
            with contextlib.suppress(Exception, asyncio.CancelledError):
                await gone
        return self.why or "no Bluetooth: the system bus is gone"

    async def _find(self) -> None:
        objects = await self._call(
            BLUEZ, "/", "org.freedesktop.DBus.ObjectManager", "GetManagedObjects"
        )
        adapters = {
            path.rpartition("/")[2]: (path, there[ADAPTER])
            for path, there in objects[0].items()
            if ADAPTER in there
        }
        if not adapters:
            raise NoRadio("no Bluetooth adapter; plug one in")
        name = self.name or sorted(adapters)[0]
        if name not in adapters:
            raise NoRadio(
                f"there is no Bluetooth adapter {name}; there is {', '.join(sorted(adapters))}"
            )
        self._path, properties = adapters[name]
        self.name = name
        if not properties["Powered"].value:
            raise NoRadio(
                f"the Bluetooth adapter {name} is switched off; `bluetoothctl power on` "
                f"switches it on"
            )

    async def _call(
        self, to: str, path: str, interface: str, member: str, signature: str = "", body: Any = ()
    ) -> Any:
        assert self._bus is not None
        message = Message(to, path, interface, member, signature=signature, body=list(body))
        try:
            async with asyncio.timeout(ASK_S):
                answer = await self._bus.call(message)
        except (OSError, TimeoutError, DBusError, EOFError) as error:
            raise NoRadio(f"no Bluetooth: {said(error)}") from error
        if answer is None or answer.message_type is MessageType.ERROR:
            name = "" if answer is None else answer.error_name or ""
            raise NoRadio(f"no Bluetooth: {said(BluetoothError(name))}")
        return answer.body

    def _signal(self, message: Message) -> None:
        if message.message_type is not MessageType.SIGNAL:
            return
        if message.member == "NameOwnerChanged" and message.body[0] == BLUEZ and message.body[1]:
            self._lose(
                "no Bluetooth: BlueZ has stopped"
                if not message.body[2]
                else "BlueZ was started again"
            )
        elif (
            message.member == "PropertiesChanged"
            and message.path == self._path
            and message.body[0] == ADAPTER
        ):
            discovering = message.body[1].get("Discovering")
            if discovering is not None and discovering.value:
                self._hears()
            elif discovering is not None and self._deaf is None:
                why = "BlueZ has stopped looking for Bluetooth nodes; it is told to go on"
                self._deaf = asyncio.get_running_loop().call_later(DEAF_S, self._lose, why)
            powered = message.body[1].get("Powered")
            if powered is not None and not powered.value:
                self._lose(
                    f"the Bluetooth adapter {self.name} was switched off; `bluetoothctl "
                    f"power on` switches it on"
                )
        elif (
            message.member == "InterfacesRemoved"
            and message.body[0] == self._path
            and ADAPTER in message.body[1]
        ):
            self._lose(f"the Bluetooth adapter {self.name} was pulled out")

    def _hears(self) -> None:
        if self._deaf is not None:
            self._deaf.cancel()
            self._deaf = None

    def _lose(self, why: str) -> None:
        self.why = self.why or why
        self.lost.set()
