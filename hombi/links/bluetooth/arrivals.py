"""Nodes that may be let in: what they broadcast is gathered, or they are connected to
and asked."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass, field
from typing import Any

from bleak import BleakClient
from bleak.backends.device import BLEDevice
from bleak.backends.scanner import AdvertisementData

from hombi.links.base import Asking, Found, Reports
from hombi.links.bluetooth.decoders import Decoders, Value
from hombi.links.bluetooth.errors import GattError, said
from hombi.links.bluetooth.peer import CONNECT_S, TROUBLE, Descriptions, about, handles_of, signals
from hombi.links.bluetooth.places import Places
from hombi.links.bluetooth.words import (
    STRENGTH,
    advert_of,
    nameless,
    thing_id,
    value_of,
    value_of_signal,
)
from hombi.links.offer import Offer
from hombi.links.work import Work

GATHER_S = 1.5
TRIES, AGAIN_S = 3, 1.0
MOST_REMEMBERED = 1_000


@dataclass(eq=False)
class Candidate:
    """A node that is not an arrival yet: what it has broadcast since the window was
    opened."""

    name: str
    values: dict[str, Value] = field(default_factory=dict)
    asked: bool = False


class Arrivals:
    """The nodes that were heard since the window was opened. `places` are the adapter's
    connections."""

    def __init__(
        self, link: str, reports: Reports, work: Work, decoders: Decoders, places: Places
    ) -> None:
        self._link, self._reports, self._work = link, reports, work
        self._decoders, self._places = decoders, places
        self._candidates: dict[str, Candidate] = {}

    def forget(self, address: str = "") -> None:
        """One is in the house now; without an address, all begin again."""
        if address:
            self._candidates.pop(address, None)
        else:
            self._candidates.clear()

    def consider(self, device: BLEDevice, data: AdvertisementData) -> None:
        """Something was heard of a node that is not in the house."""
        candidate = self._candidates.get(device.address)
        if candidate is None:
            if len(self._candidates) >= MOST_REMEMBERED:
                return
            candidate = self._candidates[device.address] = Candidate(
                data.local_name or device.name or ""
            )
        candidate.name = data.local_name or candidate.name
        try:
            values = self._decoders.decode(advert_of(device, data))
        except GattError:
            return
        if values:
            if not candidate.values:
                gathering = self._gather(device.address, candidate)
                self._work.start(gathering, name=f"hearing out {device.address}")
            candidate.values.update({v.name: v for v in values})
        elif (
            not candidate.asked
            and not candidate.values
            and self._decoders.connects(data.service_uuids)
        ):
            candidate.asked = True
            asking = self._interview(device, candidate)
            self._work.start(asking, name=f"interview {device.address}")

    async def _gather(self, address: str, candidate: Candidate) -> None:
        """Nodes broadcast their values by turns: wait a little before saying what one
        has."""
        await asyncio.sleep(GATHER_S)
        values = tuple(value_of(value) for value in candidate.values.values())
        title = candidate.name or nameless(address)
        offer = Offer(title, "broadcasts its values", (*values, STRENGTH))
        self.found(address, offer, "broadcast")

    async def _interview(self, device: BLEDevice, candidate: Candidate) -> None:
        title = candidate.name or nameless(device.address)
        more = self._decoders.characteristics

        def say(step: int) -> None:
            self._reports.asking(
                Asking(
                    self._link, thing_id(device.address), title, f"asking what it has, {step} of 3"
                )
            )

        for left in range(TRIES - 1, -1, -1):
            try:
                say(1)
                self._places.hurry(candidate)
                async with (
                    self._places.place(candidate, gives_way=False),
                    asyncio.timeout(CONNECT_S + 2),
                    BleakClient(device, timeout=CONNECT_S) as client,
                ):
                    say(2)
                    device_info = await about(client)
                    say(3)
                    has = await signals(client, Descriptions(), more)
                break
            except TROUBLE as error:
                if not left:
                    progress = (
                        f"it does not answer: {said(error)}; bring it nearer and open the "
                        f"window again"
                    )
                    self._reports.asking(
                        Asking(self._link, thing_id(device.address), title, progress)
                    )
                    return
            await asyncio.sleep(AGAIN_S)
        what = ", ".join(
            filter(
                None,
                (
                    "is connected to",
                    f"software {device_info.firmware}" if device_info.firmware else "",
                ),
            )
        )
        made = " ".join(filter(None, (device_info.make, device_info.model)))
        if not has:
            self._reports.asking(
                Asking(
                    self._link,
                    thing_id(device.address),
                    title,
                    "it has nothing that the hub can use",
                )
            )
            return
        values = tuple(value_of_signal(signal) for signal in has)
        offer = Offer(made or title, what, (*values, STRENGTH))
        self.found(device.address, offer, "connect", handles=handles_of(has))

    def found(self, address: str, offer: Offer, way: str, **more: Any) -> None:
        """Say what a node has; `way` is "broadcast" or "connect"."""
        reach = {"address": address, "way": way, **more}
        self._reports.found(Found(thing_id(address), offer, reach, self._link))
