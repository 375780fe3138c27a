"""The Bluetooth link: nodes that broadcast, heard by one scanner, and nodes that are
connected to."""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections import OrderedDict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import msgspec
from bleak import BleakClient
from bleak.backends.device import BLEDevice
from bleak.backends.scanner import AdvertisementData

from hombi.core.kinds import kind_by_key
from hombi.core.senml import Resolved
from hombi.links.base import (
    Check,
    Heard,
    LinkContext,
    LinkError,
    OnLink,
    Unreachable,
    Wanted,
)
from hombi.links.bluetooth.adapter import Adapter
from hombi.links.bluetooth.arrivals import MOST_REMEMBERED, Arrivals
from hombi.links.bluetooth.decoders import Decoders
from hombi.links.bluetooth.errors import GattError
from hombi.links.bluetooth.peer import TROUBLE, Peer, Signal
from hombi.links.bluetooth.places import Places
from hombi.links.bluetooth.settings import BluetoothSettings
from hombi.links.bluetooth.words import SIGNAL, advert_of, in_words, value_of
from hombi.links.offer import Offer
from hombi.links.work import Work

CONNECTIONS = 5
SAME_AGAIN_S, AT_MOST_EVERY_S = 60.0, 0.5
SIGNAL_STEP_DB, SIGNAL_EVERY_S = 8, 300.0
FIRST_PAUSE_S, LONGEST_PAUSE_S = 1.0, 30.0
FORGET_S = 2.0
# What is heard so soon after the adapter was opened may be what BlueZ remembers.
REMEMBERED_S = 5.0


@dataclass
class Known:
    """An admitted node: its address in the house, whether it is connected to, and what
    came of it last."""

    node: str
    connects: bool
    wires: frozenset[str]
    offer: Offer
    handles: Mapping[str, int] = field(default_factory=dict)
    content: tuple[Any, Any] = (None, None)
    taken_s: float = -SAME_AGAIN_S
    rssi: int = 0
    rssi_s: float = -SIGNAL_EVERY_S
    connected: bool = False
    peer: Peer | None = None
    task: asyncio.Task[None] | None = None


class BluetoothDriver:
    """The driver of the link `bluetooth`."""

    link = "bluetooth"
    connects = False

    def __init__(
        self,
        context: LinkContext,
        settings: BluetoothSettings,
        decoders: Decoders | None = None,
    ) -> None:
        self._reports, self._settings, self._clock = context.reports, settings, context.clock
        self._work = Work(context.tasks)
        self._decoders = decoders or Decoders()
        self._adapter: Adapter | None = None
        self._up_s = 0.0
        self._problem = (
            "the Bluetooth adapter is being opened"
            if settings.enabled
            else "not used: bluetooth.use is off"
        )
        self._by_address: dict[str, Known] = {}
        self._devices: OrderedDict[str, BLEDevice] = OrderedDict()
        self._shown: OrderedDict[str, tuple[Any, float]] = OrderedDict()
        self._places = Places(CONNECTIONS)
        self._arrivals = Arrivals(
            self.link, self._reports, self._work, self._decoders, self._places
        )
        self._pairing = False

    async def start(self) -> None:
        """Look for the adapter, and listen as long as there is one. Its absence is
        said, and looked for again."""
        if self._settings.enabled:
            self._work.watch("the Bluetooth adapter", self._keep_up)

    async def stop(self) -> None:
        """Let go of every connection and of the adapter."""
        await self._work.end()
        if self._adapter is not None:
            await self._adapter.close()

    async def _keep_up(self) -> None:
        pause = FIRST_PAUSE_S
        while True:
            adapter = Adapter(self._settings.adapter, self._heard)
            try:
                await adapter.open()
                self._adapter, self._up_s = adapter, time.monotonic()
                pause = FIRST_PAUSE_S
                self._say("")
                self._connect_all()
                self._say(await adapter.wait_lost())
            except LinkError as error:
                self._say(str(error))
            finally:
                self._adapter = None
                await self._disconnect_all()
                await adapter.close()
            await asyncio.sleep(pause)
            pause = min(2 * pause, LONGEST_PAUSE_S)

    def _say(self, what: str) -> None:
        """A house without Bluetooth nodes does not miss its adapter."""
        self._problem = what
        if not what or self._by_address or self._pairing:
            self._reports.trouble(self.link, what)

    # What is heard

    def _heard(self, device: BLEDevice, data: AdvertisementData) -> None:
        address, now_s = device.address, time.monotonic()
        self._devices[address] = device
        known = self._by_address.get(address)
        self._show(address, known.node if known is not None else "", data, now_s)
        if known is None:
            if self._pairing:
                self._arrivals.consider(device, data)
            elif len(self._devices) > MOST_REMEMBERED:
                self._devices.popitem(last=False)
            return
        self._reports.alive(known.node)
        values = self._signal(known, data.rssi, now_s)
        if known.connects:
            if known.peer is not None:
                known.peer.heard()
        else:
            content = data.service_data, data.manufacturer_data
            again = content == known.content
            if self._is_news(known, content, now_s):
                happens = not again and now_s - self._up_s >= REMEMBERED_S
                values += self._decoded(known, device, data, happens=happens)
        if values:
            self._reports.observed(known.node, values, None)

    def _show(self, address: str, node: str, data: AdvertisementData, now_s: float) -> None:
        """What is said, for who wants to see it: once for as long as it stays the same,
        and no more than twice a second."""
        before, at_s = self._shown.get(address, (None, -AT_MOST_EVERY_S))
        if now_s - at_s < AT_MOST_EVERY_S:
            return
        content = data.local_name, data.service_data, data.manufacturer_data
        if content == before:
            return
        self._shown[address] = content, now_s
        self._shown.move_to_end(address)
        if len(self._shown) > MOST_REMEMBERED:
            self._shown.popitem(last=False)
        self._reports.heard(
            Heard(self.link, f"{node or address}/advertisement", in_words(data), node=node)
        )

    @staticmethod
    def _is_news(known: Known, content: tuple[Any, Any], now_s: float) -> bool:
        """BlueZ repeats what it remembers whenever anything about a node changes: the
        same content is news once a minute. Other content is news at once, but no more
        than twice a second: it is repeated until it is taken."""
        waited_s = now_s - known.taken_s
        if waited_s < (SAME_AGAIN_S if content == known.content else AT_MOST_EVERY_S):
            return False
        known.content, known.taken_s = content, now_s
        return True

    def _decoded(
        self, known: Known, device: BLEDevice, data: AdvertisementData, *, happens: bool
    ) -> list[Resolved]:
        """The values in an advertisement. A press in it only counts when it `happens`
        now, and is not a repetition."""
        try:
            result = self._decoders.decode(advert_of(device, data))
        except GattError as error:
            self._reports.refused(known.node, str(error))
            return []
        offered = {value.wire_name for value in known.offer.values}
        if more := [value for value in result if value.name not in offered]:
            # It broadcasts its values by turns, some of them seldom: this one was not
            # heard while it was an arrival.
            values = (*known.offer.values, *(value_of(value) for value in more))
            known.offer = msgspec.structs.replace(known.offer, values=values)
            self._arrivals.found(device.address, known.offer, "broadcast")
        at = self._clock.now_ms()
        return [
            Resolved(v.name, v.unit, at, v.value, True)
            for v in result
            if v.name in known.wires and (happens or not kind_by_key(v.kind).moment)
        ]

    def _signal(self, known: Known, rssi: int, now_s: float) -> list[Resolved]:
        if abs(rssi - known.rssi) < SIGNAL_STEP_DB and now_s - known.rssi_s < SIGNAL_EVERY_S:
            return []
        known.rssi, known.rssi_s = rssi, now_s
        return [Resolved(SIGNAL, "dBm", self._clock.now_ms(), float(rssi), True)]

    # Connections

    def _connect_all(self) -> None:
        for address, known in self._by_address.items():
            self._connect(address, known)

    async def _disconnect_all(self) -> None:
        tasks = [known.task for known in self._by_address.values() if known.task is not None]
        for known in self._by_address.values():
            known.task = known.peer = None
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)

    def _connect(self, address: str, known: Known) -> None:
        if not known.connects or known.task is not None or self._adapter is None:
            return
        known.peer = Peer(
            address,
            self._places,
            lambda: self._devices.get(address),
            partial(self._told, known),
            partial(self._present, known),
            partial(self._failing, known),
            partial(self._reports.refused, known.node),
            known.handles,
            self._decoders.characteristics,
        )
        known.task = self._work.watch(f"Bluetooth: {known.node}", known.peer.run)

    def _told(self, known: Known, signal: Signal, value: float | bool | None) -> None:
        self._reports.alive(known.node)
        answer = msgspec.json.encode({signal.name: value})
        self._reports.heard(
            Heard(self.link, f"{known.node}/{signal.wire}", answer, node=known.node)
        )
        unit = "" if kind_by_key(signal.kind).words else signal.unit
        self._reports.observed(
            known.node, [Resolved(signal.wire, unit, self._clock.now_ms(), value, True)], None
        )

    def _present(self, known: Known, here: bool) -> None:
        known.connected = here
        self._reports.presence(known.node, here)

    def _failing(self, known: Known, why: str) -> None:
        self._reports.refused(known.node, f"it cannot be connected to: {why}; it is tried again")

    # What the hub asks for

    def follow(self, known: OnLink) -> None:
        """Take up an admitted node."""
        address = known.reach.get("address", "")
        wires = frozenset(entity.name for entity in known.entities)
        result = self._by_address.get(address)
        if result is not None and result.node == known.node:
            if wires != result.wires:
                result.taken_s = -SAME_AGAIN_S  # what is in the air already has more to say
            result.wires, result.offer = wires, known.offer
            return
        result = self._by_address[address] = Known(
            known.node,
            known.reach.get("way") == "connect",
            wires,
            known.offer,
            known.reach.get("handles", {}),
        )
        self._arrivals.forget(address)
        self._shown.pop(address, None)  # what it says is shown again, under its name
        self._connect(address, result)
        if not self._problem:
            self._reports.presence(known.node, here=not result.connects)

    async def send(self, node: str, wanted: Sequence[Wanted]) -> None:
        """Set values, and read back what has become of them. Raises LinkError."""
        _, known = self._of(node)
        if known.peer is None:
            raise Unreachable(self._problem or "it only broadcasts; it cannot be told anything")
        for one in wanted:
            await known.peer.write(one.name, one.value)

    def connected(self, node: str) -> bool:
        """Whether the node is connected to."""
        return any(one.node == node and one.connected for one in self._by_address.values())

    def way(self, known: OnLink) -> str:
        """Nodes speak over the adapter's radio."""
        return "paired"

    async def remove(self, node: str) -> None:
        """Forget a node and end its connection; BlueZ forgets it too, with the keys of
        their pairing."""
        try:
            address, known = self._of(node)
        except Unreachable:
            return
        del self._by_address[address]
        if known.task is not None:
            known.task.cancel()
            await asyncio.gather(known.task, return_exceptions=True)
        device = self._devices.pop(address, None)
        if known.connects and device is not None and self._adapter is not None:
            with contextlib.suppress(*TROUBLE):
                async with asyncio.timeout(FORGET_S):
                    await BleakClient(device).unpair()

    async def dismiss(self, thing_id: str) -> None:
        """An arrival that was turned away may come again when the window is next
        opened."""

    def pairing(self, is_open: bool) -> None:
        """While the window is open, nodes that the hub can use are arrivals."""
        self._pairing = is_open
        self._arrivals.forget()
        if not self._settings.enabled:
            return  # nobody misses an adapter that is not used
        if is_open and self._problem:
            self._reports.trouble(self.link, self._problem)
        elif not is_open and self._problem and not self._by_address:
            self._reports.trouble(self.link, "")

    def listening(self) -> str:
        """What the adapter does, or why it does not."""
        return self._problem or f"Bluetooth on {self._adapter.name if self._adapter else ''}"

    def checks(self) -> list[Check]:
        """How the adapter and the decoders are."""
        result = []
        if self._adapter is not None:
            here = sum(known.connected for known in self._by_address.values())
            text = (
                f"listens on {self._adapter.name}; nodes: {len(self._by_address)}, "
                f"connected to: {here}"
            )
            result.append(Check("Bluetooth", "ok", text))
        else:
            missed = self._settings.enabled and bool(self._by_address)
            advice = (
                "the hub keeps looking for it"
                if missed
                else "nothing to do if the house has no Bluetooth nodes"
            )
            result.append(Check("Bluetooth", "fault" if missed else "ok", self.listening(), advice))
        result += [
            Check("Bluetooth decoders", "warning", wrong, "update or remove its package")
            for wrong in self._decoders.wrong
        ]
        return result

    def _of(self, node: str) -> tuple[str, Known]:
        for address, known in self._by_address.items():
            if known.node == node:
                return address, known
        raise Unreachable(f"{node} is not a Bluetooth node")
