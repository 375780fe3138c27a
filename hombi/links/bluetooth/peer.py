"""A node that is connected to: its characteristics read and followed, its switch
written, its connection made again."""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from functools import partial
from typing import Any, TypeVar

from bleak import BleakClient
from bleak.backends.characteristic import BleakGATTCharacteristic
from bleak.backends.device import BLEDevice
from bleak.exc import BleakError
from dbus_fast.errors import DBusError

from hombi.links.base import Unreachable
from hombi.links.bluetooth import gatt
from hombi.links.bluetooth.errors import BluetoothError, said

T = TypeVar("T")
CONNECT_S, ANSWER_S, LET_GO_S = 15.0, 6.0, 2.0
FIRST_PAUSE_S, LONGEST_PAUSE_S = 1.0, 60.0
# A connection that is lost sooner than this counts as one that failed.
STEADY_S = 30.0
# One that is heard again after it was not for this long is tried at once: it is back
# within reach.
QUIET_S = 10.0
FAILINGS_TO_TELL = 3
READ_EVERY_S = 30.0
HOLD_S = 60.0
MOST_SIGNALS = 32
# The last two are bleak's own: it looks up what is gone, where a node is lost in the
# middle.
TROUBLE = (BleakError, DBusError, OSError, TimeoutError, EOFError, AssertionError, LookupError)
_UNPAIRED = ("NotAuthorized", "NotPermitted", "Insufficient", "Authentication")


@dataclass(frozen=True, slots=True)
class Signal:
    """One value of a node: its characteristic, and which of its signals for a Digital
    one, counted from 0."""

    wire: str
    name: str
    kind: str
    unit: str
    characteristic: BleakGATTCharacteristic
    writable: bool = False
    index: int = 0


@dataclass(frozen=True, slots=True)
class About:
    """What a node says of itself (Device Information)."""

    make: str
    model: str
    firmware: str


async def signals(client: BleakClient) -> list[Signal]:
    """What a connected node has that the hub can use."""
    found: list[Signal] = []
    for service in client.services:
        within = gatt.short_uuid(service.uuid)
        for one in service.characteristics:
            short = gatt.short_uuid(one.uuid)
            form = gatt.FORMATS.get(short or 0)
            again = (
                sum(f.wire.split("#")[0] == f"{within:04x}/{short:04x}" for f in found)
                if within and short
                else 0
            )
            wire = f"{within or 0:04x}/{short or 0:04x}" + (f"#{again + 1}" if again else "")
            number = f" {again + 1}" if again else ""
            if form is not None and "read" in one.properties:
                found.append(Signal(wire, form.name + number, form.kind, form.unit, one))
            elif within == gatt.AUTOMATION_IO and short == gatt.DIGITAL:
                writable = "write" in one.properties
                for index in range(await _how_many(client, one)):
                    name = "switch" if writable else "input"
                    before = sum(f.kind == "switch" and f.writable == writable for f in found)
                    title = f"{name} {before + 1}" if before else name
                    found.append(
                        Signal(
                            f"{wire}.{index + 1}" if index else wire,
                            title,
                            "switch",
                            "",
                            one,
                            writable,
                            index,
                        )
                    )
    return found


async def _how_many(client: BleakClient, digital: BleakGATTCharacteristic) -> int:
    """How many signals a Digital characteristic has; one where it does not say."""
    if (descriptor := digital.get_descriptor(gatt.uuid(gatt.NUMBER_OF_DIGITALS))) is None:
        return 1
    try:
        async with asyncio.timeout(ANSWER_S):
            return min(
                max(1, bytes(await client.read_gatt_descriptor(descriptor))[0]), MOST_SIGNALS
            )
    except TROUBLE:
        return 1


async def about(client: BleakClient) -> About:
    """What a connected node says of itself; what it does not say is ""."""
    texts = []
    for short in (gatt.MANUFACTURER_NAME, gatt.MODEL_NUMBER, gatt.FIRMWARE):
        text = ""
        if (one := client.services.get_characteristic(gatt.uuid(short))) is not None:
            with contextlib.suppress(*TROUBLE):
                async with asyncio.timeout(ANSWER_S):
                    text = (
                        bytes(await client.read_gatt_char(one))
                        .decode(errors="replace")
                        .strip("\0 ")[:60]
                    )
        texts.append(text)
    return About(*texts)


def value(signal: Signal, data: bytes) -> float | bool | None:
    """The value in a characteristic's bytes. Raises GattError."""
    if signal.kind == "switch":
        found = gatt.digital(data)
        return found[signal.index] if signal.index < len(found) else None
    form = gatt.FORMATS[gatt.short_uuid(signal.characteristic.uuid) or 0]
    return form.decode(data)


@dataclass
class Peer:
    """One admitted node. `told` hears each value, `presence` whether it is connected,
    `failing` why it cannot be."""

    address: str
    slots: asyncio.Semaphore
    device: Callable[[], BLEDevice | None]
    told: Callable[[Signal, float | bool | None], None]
    presence: Callable[[bool], None]
    failing: Callable[[str], None]
    refused: Callable[[str], None]
    _client: BleakClient | None = None
    _signals: dict[str, Signal] = field(default_factory=dict)
    _ready: asyncio.Event = field(default_factory=asyncio.Event)
    # Between reading a characteristic's signals and writing one of them nobody else
    # writes another.
    _writing: asyncio.Lock = field(default_factory=asyncio.Lock)
    _seen: asyncio.Event = field(default_factory=asyncio.Event)
    _back: asyncio.Event = field(default_factory=asyncio.Event)
    _heard_s: float = 0.0
    waiting: Callable[[], int] = lambda: 0

    def heard(self) -> None:
        """It advertises."""
        now = time.monotonic()
        if now - self._heard_s > QUIET_S:
            self._back.set()
        self._heard_s = now
        self._seen.set()

    async def run(self) -> None:
        """Be connected, again and again, until cancelled."""
        failings = 0
        while True:
            device = self.device()
            if device is None:
                self._seen.clear()
                await self._seen.wait()
                continue
            try:
                async with self.slots:
                    begun = time.monotonic()
                    await self._session(device)
                steady = time.monotonic() - begun >= STEADY_S
                why = "the connection is lost as soon as it is made"
            except TROUBLE as error:
                steady, why = False, said(error)
            failings = 0 if steady else failings + 1
            if failings == FAILINGS_TO_TELL:
                self.failing(why)
            # Whoever was connected for a turn makes room for the others; whoever was
            # lost waits.
            self._back.clear()
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(
                    min(FIRST_PAUSE_S * 2 ** min(max(0, failings - 1), 16), LONGEST_PAUSE_S)
                ):
                    await self._back.wait()

    async def _session(self, device: BLEDevice) -> None:
        gone = asyncio.Event()
        client = BleakClient(device, lambda _: gone.set(), timeout=CONNECT_S)
        try:
            async with asyncio.timeout(CONNECT_S + 2):
                await client.connect()
            self._client = client
            self._signals = {one.wire: one for one in await signals(client)}
            self.presence(True)
            await self._begin()
            self._ready.set()
            held = 0.0
            while not gone.is_set():
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(min(READ_EVERY_S, HOLD_S)):
                        await gone.wait()
                held += min(READ_EVERY_S, HOLD_S)
                if gone.is_set() or (held >= HOLD_S and self.waiting()):
                    break
                for one in self._first_signals():
                    if not _tells(one):
                        await self._read(one)
        finally:
            self._client = None
            self._ready.clear()
            self.presence(False)
            # Also of a connection that is lost: the client has a socket to the bus of
            # its own, and lets go of it only here.
            with contextlib.suppress(*TROUBLE):
                async with asyncio.timeout(LET_GO_S):
                    await client.disconnect()

    async def _begin(self) -> None:
        """Every value once, and those that the node tells by itself from then on. Who
        read first and listened then would miss what changes in between."""
        assert self._client is not None
        for one in self._first_signals():
            if _tells(one):

                def told(_: BleakGATTCharacteristic, data: bytearray, one: Signal = one) -> None:
                    self._take(one, bytes(data))

                await self._paired(partial(self._client.start_notify, one.characteristic, told))
            await self._read(one)

    def _first_signals(self) -> list[Signal]:
        """One of each characteristic: what is read of it holds for all its signals."""
        return [one for one in self._signals.values() if not one.index]

    async def _read(self, signal: Signal) -> bytes:
        assert self._client is not None
        data = await self._paired(partial(self._client.read_gatt_char, signal.characteristic))
        self._take(signal, bytes(data))
        return bytes(data)

    async def _paired(self, ask: Callable[[], Awaitable[Any]]) -> Any:
        """What a node answers; one that answers nobody unknown is paired with first."""
        assert self._client is not None
        try:
            return await self._answered(ask())
        except BleakError as error:
            if not any(mark in str(error) for mark in _UNPAIRED):
                raise
            await self._answered(self._client.pair(), CONNECT_S)
            return await self._answered(ask())

    def _take(self, signal: Signal, data: bytes) -> None:
        """Tell what a characteristic holds: the values of all its signals."""
        for one in self._signals.values():
            if one.characteristic.handle == signal.characteristic.handle:
                try:
                    self.told(one, value(one, data))
                except gatt.GattError as error:
                    self.refused(str(error))

    @staticmethod
    async def _answered(asked: Any, within_s: float = ANSWER_S) -> Any:
        async with asyncio.timeout(within_s):
            return await asked

    async def write(self, wire: str, on: bool) -> None:
        """Set a switch, and read back what has become of it. Raises Unreachable,
        BluetoothError."""
        try:
            async with asyncio.timeout(ANSWER_S):
                await self._ready.wait()
        except TimeoutError as error:
            raise Unreachable("it is not connected") from error
        client, signal = self._client, self._signals.get(wire)
        if client is None or signal is None:
            raise Unreachable("it is not connected")
        try:
            async with self._writing:
                data = gatt.with_digital(await self._read(signal), signal.index, on)
                await self._answered(
                    client.write_gatt_char(signal.characteristic, data, response=True)
                )
                await self._read(signal)
        except gatt.GattError as error:
            raise BluetoothError(str(error)) from error
        except TROUBLE as error:
            raise BluetoothError(said(error)) from error


def _tells(signal: Signal) -> bool:
    return (
        "notify" in signal.characteristic.properties
        or "indicate" in signal.characteristic.properties
    )
