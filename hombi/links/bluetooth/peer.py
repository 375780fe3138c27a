"""A node that is connected to: its characteristics read and followed, its switch
written, its connection made again."""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections import Counter
from collections.abc import Awaitable, Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from itertools import chain, count
from typing import Any, TypeVar

from bleak import BleakClient
from bleak.backends.characteristic import BleakGATTCharacteristic
from bleak.backends.device import BLEDevice
from bleak.exc import BleakError
from dbus_fast.errors import DBusError

from hombi.core.names import slug
from hombi.links.base import Unreachable
from hombi.links.bluetooth import gatt
from hombi.links.bluetooth.characteristics import CHARACTERISTICS, Characteristic
from hombi.links.bluetooth.descriptors import (
    NUMBER_OF_DIGITALS,
    PRESENTATION_FORMAT,
    UNSIGNED_16,
    USER_DESCRIPTION,
    Presentation,
    presentation,
    user_description,
)
from hombi.links.bluetooth.errors import BluetoothError, ConnectionLost, GattError, said
from hombi.links.bluetooth.places import Places

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
MOST_SIGNALS, MOST_VALUES = 32, 64
# The last two are bleak's own: it looks up what is gone, where a node is lost in the
# middle.
TROUBLE = (BleakError, DBusError, OSError, TimeoutError, EOFError, AssertionError, LookupError)
_UNPAIRED = ("NotAuthorized", "NotPermitted", "Insufficient", "Authentication")


@dataclass(frozen=True, slots=True)
class Signal:
    """One value of a node: the characteristic on the node that holds it, how that is
    read, and which of its values it is, counted from 0. A Digital characteristic has no
    `form`: its signals are bits."""

    wire: str
    name: str
    kind: str
    unit: str
    characteristic: BleakGATTCharacteristic
    writable: bool = False
    index: int = 0
    form: Characteristic | None = None


@dataclass(frozen=True, slots=True)
class About:
    """What a node says of itself (Device Information)."""

    make: str
    model: str
    firmware: str


class Descriptions:
    """What a node's descriptors say, asked once."""

    def __init__(self) -> None:
        self._read: dict[tuple[int, str], dict[int, bytes]] = {}

    async def of(
        self, client: BleakClient, characteristic: BleakGATTCharacteristic
    ) -> dict[int, bytes]:
        """The contents of the descriptors of a characteristic, by UUID; without those
        that it has not or does not tell."""
        place = characteristic.handle, characteristic.uuid
        if place not in self._read:
            contents, complete = {}, True
            for short in (USER_DESCRIPTION, PRESENTATION_FORMAT, NUMBER_OF_DIGITALS):
                descriptor = characteristic.get_descriptor(gatt.uuid(short))
                if descriptor is None:
                    continue
                try:
                    async with asyncio.timeout(ANSWER_S):
                        contents[short] = bytes(await client.read_gatt_descriptor(descriptor))
                except TROUBLE:
                    complete = False
            if not complete:
                return contents
            self._read[place] = contents
        return self._read[place]


async def signals(
    client: BleakClient, descriptions: Descriptions, more: Mapping[str, Characteristic]
) -> list[Signal]:
    """What a connected node has that the hub can use, in the order of the handles:
    BlueZ gives the characteristics in another order at each start. `more` are
    characteristics of makers, by UUID."""
    usable: list[Signal] = []
    places: Counter[tuple[str, str]] = Counter()
    for service in sorted(client.services, key=lambda one: one.handle):
        within = gatt.short_uuid(service.uuid)
        if within == gatt.DEVICE_INFORMATION or within in gatt.OF_THE_STACK:
            continue
        for characteristic in sorted(service.characteristics, key=lambda one: one.handle):
            if len(usable) >= MOST_VALUES:
                break  # no node has so many, and each is asked what it is
            short = gatt.short_uuid(characteristic.uuid)
            digital = within == gatt.AUTOMATION_IO and short == gatt.DIGITAL
            if not (digital or reads(characteristic) or tells(characteristic)):
                continue
            described = await descriptions.of(client, characteristic)
            own_name = user_description(described.get(USER_DESCRIPTION, b""))
            form = None if digital else _form(characteristic, own_name, described, more)
            if not digital and form is None:
                continue
            place = f"{within or 0:04x}", f"{short:04x}" if short else characteristic.uuid
            places[place] += 1
            number = places[place]
            wire = "/".join(place) + (f"#{number}" if number > 1 else "")
            if form is not None:
                usable += _of_form(form, wire, own_name, characteristic)
                continue
            writable = "write" in characteristic.properties
            for index in range(_how_many(described)):
                name = own_name or ("switch" if writable else "input")
                ending = f".{index + 1}" if index else ""
                usable.append(
                    Signal(wire + ending, name, "switch", "", characteristic, writable, index)
                )
    return _named_apart(usable[:MOST_VALUES])


def _named_apart(usable: Sequence[Signal]) -> list[Signal]:
    """The signals, each with a name of its own: of several with one name the others are
    numbered."""
    taken: set[str] = set()
    result = []
    for signal in usable:
        numbered = (f"{signal.name} {number}" for number in count(2))
        name = next(name for name in chain([signal.name], numbered) if slug(name) not in taken)
        taken.add(slug(name))
        result.append(replace(signal, name=name))
    return result


def _of_form(
    form: Characteristic, wire: str, own_name: str, characteristic: BleakGATTCharacteristic
) -> Iterator[Signal]:
    """The values of a characteristic."""
    alone = len(form.holds) == 1
    writable = form.write is not None and alone and "write" in characteristic.properties
    for index, held in enumerate(form.holds):
        name = own_name if own_name and alone else " ".join(filter(None, (own_name, held.name)))
        ending = f".{index + 1}" if index else ""
        yield Signal(
            wire + ending, name, held.kind, held.unit, characteristic, writable, index, form
        )


def _form(
    characteristic: BleakGATTCharacteristic,
    own_name: str,
    described: Mapping[int, bytes],
    more: Mapping[str, Characteristic],
) -> Characteristic | None:
    """How a characteristic is read: by a decoder of its maker's, by the SIG's table, or
    by what it says itself; None where none of these knows."""
    short = gatt.short_uuid(characteristic.uuid)
    if (form := more.get(characteristic.uuid.lower())) is not None:
        return form
    if (form := CHARACTERISTICS.get(short or 0)) is not None:
        return form
    how = presentation(described.get(PRESENTATION_FORMAT, b""))
    if how is None and short == gatt.ANALOG:
        how = Presentation(UNSIGNED_16, 0, 0)  # Automation IO, 3.2
    return how.of(own_name or ("analog" if short == gatt.ANALOG else "value")) if how else None


def handles_of(has: Iterable[Signal]) -> dict[str, int]:
    """The handle of each characteristic, by the wire name of its first signal: kept
    with the node when it is let in."""
    return {signal.wire: signal.characteristic.handle for signal in has if not signal.index}


def as_admitted(has: Sequence[Signal], handles: Mapping[str, int]) -> list[Signal]:
    """The signals under the names by which they were let in.

    A node's new software may have characteristics before those that it had; by its
    handle each keeps its name. Raises BluetoothError when one is no longer where it
    was: which of them it is now cannot be known.
    """
    if not handles or handles_of(has) == handles:
        return list(has)
    there = {one.characteristic.handle: one for one in has if not one.index}
    names = {}
    for wire, handle in handles.items():
        one = there.get(handle)
        if one is None or one.wire.partition("#")[0] != wire.partition("#")[0]:
            raise BluetoothError(
                f"its characteristic {wire} is not where it was when it was let in (has it new "
                f"software?); take it out and let it in again"
            )
        names[handle] = wire
    admitted = []
    for signal in has:
        first = names.get(signal.characteristic.handle)
        if first is not None:
            ending = f".{signal.index + 1}" if signal.index else ""
            admitted.append(replace(signal, wire=first + ending))
    return admitted


def _how_many(described: Mapping[int, bytes]) -> int:
    """How many signals a Digital characteristic has; one where it does not say."""
    says = described.get(NUMBER_OF_DIGITALS, b"")
    return min(max(1, says[0]), MOST_SIGNALS) if says else 1


async def about(client: BleakClient) -> About:
    """What a connected node says of itself; what it does not say is ""."""
    texts = []
    for short in (gatt.MANUFACTURER_NAME, gatt.MODEL_NUMBER, gatt.FIRMWARE):
        text = ""
        if (characteristic := client.services.get_characteristic(gatt.uuid(short))) is not None:
            with contextlib.suppress(*TROUBLE):
                async with asyncio.timeout(ANSWER_S):
                    text = (
                        bytes(await client.read_gatt_char(characteristic))
                        .decode(errors="replace")
                        .strip("\0 ")[:60]
                    )
        texts.append(text)
    return About(*texts)


def value(signal: Signal, data: bytes) -> float | bool | None:
    """The value in a characteristic's bytes. Raises GattError."""
    result = gatt.digital(data) if signal.form is None else signal.form.decode(data)
    return result[signal.index] if signal.index < len(result) else None


@dataclass(eq=False)
class Peer:
    """One admitted node. `told` hears each value, `presence` whether it is connected,
    `failing` why it cannot be."""

    address: str
    places: Places
    device: Callable[[], BLEDevice | None]
    told: Callable[[Signal, float | bool | None], None]
    presence: Callable[[bool], None]
    failing: Callable[[str], None]
    refused: Callable[[str], None]
    # Where each characteristic was when the node was let in.
    handles: Mapping[str, int]
    # Characteristics of makers, by UUID.
    more: Mapping[str, Characteristic] = field(default_factory=dict)
    _descriptions: Descriptions = field(default_factory=Descriptions)
    _client: BleakClient | None = None
    _signals: dict[str, Signal] = field(default_factory=dict)
    _ready: asyncio.Event = field(default_factory=asyncio.Event)
    # Between reading a characteristic's signals and writing one of them nobody else
    # writes another.
    _writing: asyncio.Lock = field(default_factory=asyncio.Lock)
    _seen: asyncio.Event = field(default_factory=asyncio.Event)
    _back: asyncio.Event = field(default_factory=asyncio.Event)
    _heard_s: float = 0.0
    # What the characteristics held last, by handle: one that only notifies is not read.
    _latest: dict[int, bytes] = field(default_factory=dict)

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
                async with self.places.place(self) as place:
                    begun = time.monotonic()
                    await self._session(device, place.over)
                steady = place.asked or time.monotonic() - begun >= STEADY_S
                why = "the connection is lost as soon as it is made"
            except (*TROUBLE, BluetoothError) as error:
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

    async def _session(self, device: BLEDevice, over: asyncio.Event) -> None:
        client = BleakClient(device, lambda _: over.set(), timeout=CONNECT_S)
        try:
            async with asyncio.timeout(CONNECT_S + 2):
                await client.connect()
            self._client = client
            has = as_admitted(await signals(client, self._descriptions, self.more), self.handles)
            self._signals = {signal.wire: signal for signal in has}
            self.presence(True)
            await self._begin()
            self._ready.set()
            held = 0.0
            while not over.is_set():
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(min(READ_EVERY_S, HOLD_S)):
                        await over.wait()
                held += min(READ_EVERY_S, HOLD_S)
                if over.is_set() or (held >= HOLD_S and self.places.waited_for):
                    break
                for signal in self._first_signals():
                    if not tells(signal.characteristic):
                        await self._read(signal)
            async with self._writing:
                pass  # a command that is under way comes to its end
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
        for first in self._first_signals():
            if tells(first.characteristic):

                def told(
                    _: BleakGATTCharacteristic, data: bytearray, signal: Signal = first
                ) -> None:
                    self._take(signal, bytes(data))

                await self._paired(partial(self._client.start_notify, first.characteristic, told))
            await self._read(first)

    def _first_signals(self) -> list[Signal]:
        """One of each characteristic: what is read of it holds for all its signals."""
        return [signal for signal in self._signals.values() if not signal.index]

    async def _read(self, signal: Signal) -> bytes:
        """What a characteristic holds; of one that cannot be read, what it told
        last."""
        assert self._client is not None
        characteristic = signal.characteristic
        if not reads(characteristic):
            return self._latest.get(characteristic.handle, b"")
        data = await self._paired(partial(self._client.read_gatt_char, characteristic))
        self._take(signal, bytes(data))
        return bytes(data)

    async def _write(self, signal: Signal, wanted: float) -> None:
        assert self._client is not None
        characteristic = signal.characteristic
        if signal.form is not None:
            data = signal.form.encode(wanted)
        else:
            before = await self._read(signal)
            if not before and not self._has_more(signal):
                before = bytes(1)  # it cannot be read and has told nothing: nothing is lost
            data = gatt.with_digital(before, signal.index, wanted >= 0.5)
        write = self._client.write_gatt_char
        await self._paired(partial(write, characteristic, data, response=True))
        if reads(characteristic):
            await self._read(signal)
        else:
            self._take(signal, data)

    def _has_more(self, signal: Signal) -> bool:
        """Whether its characteristic holds other signals too."""
        handle = signal.characteristic.handle
        return sum(one.characteristic.handle == handle for one in self._signals.values()) > 1

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
        self._latest[signal.characteristic.handle] = data
        for one in self._signals.values():
            if one.characteristic.handle == signal.characteristic.handle:
                try:
                    self.told(one, value(one, data))
                except GattError as error:
                    self.refused(str(error))

    @staticmethod
    async def _answered(asked: Any, within_s: float = ANSWER_S) -> Any:
        async with asyncio.timeout(within_s):
            return await asked

    async def write(self, wire: str, wanted: float) -> None:
        """Set a value, and read back what has become of it. With a connection that is
        lost meanwhile it is set again, once. Raises Unreachable, BluetoothError."""
        try:
            await self._write_connected(wire, wanted)
        except ConnectionLost:
            await self._write_connected(wire, wanted)

    async def _write_connected(self, wire: str, wanted: float) -> None:
        """Write when it is connected. Raises as `write` does, and ConnectionLost."""
        try:
            async with asyncio.timeout(ANSWER_S):
                # It waits for its turn, or for its next try. Where many are commanded
                # at once, its place may be passed on before this task has its own turn.
                while not self._ready.is_set():
                    self.places.hurry(self)
                    self._back.set()
                    await self._ready.wait()
        except TimeoutError as error:
            raise Unreachable("it is not connected") from error
        client, signal = self._client, self._signals.get(wire)
        if client is None or signal is None:
            raise Unreachable("it is not connected")
        try:
            async with self._writing:
                await self._write(signal, wanted)
        except GattError as error:
            raise BluetoothError(str(error)) from error
        except TROUBLE as error:
            if self._client is client and client.is_connected:
                raise BluetoothError(said(error)) from error
            if self._client is client:
                self._ready.clear()  # its session learns of it a moment later
            raise ConnectionLost(said(error)) from error


def reads(characteristic: BleakGATTCharacteristic) -> bool:
    """Whether it can be asked what it holds."""
    return "read" in characteristic.properties


def tells(characteristic: BleakGATTCharacteristic) -> bool:
    """Whether it tells by itself what it holds."""
    return not {"notify", "indicate"}.isdisjoint(characteristic.properties)
