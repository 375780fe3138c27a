"""The interview: asking a new node what it has, and agreeing with it on what it
reports.

Sleepy nodes listen now and then only, so every question is asked several times.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Awaitable, Callable, Sequence
from typing import Any, TypeVar

from hombi.links.base import LinkError
from hombi.links.zigbee import commands, zcl
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee.commands import Endpoints, Id, NodeDescriptor, Outcome, SimpleDescriptor
from hombi.links.zigbee.device import Device, Endpoint, now_ms
from hombi.links.zigbee.errors import CodecError, Refused
from hombi.links.zigbee.network import OUR_ENDPOINT
from hombi.links.zigbee.operated import FACTS
from hombi.links.zigbee.points import (
    BASIC,
    FACTORS,
    IAS_ZONE,
    MAKE,
    METER_UNIT,
    METERING,
    MODEL,
    POWER,
    POWER_SOURCE,
    PRESSURE,
    PRESSURE_SCALE,
    PRESSURE_SCALED,
    SOFTWARE,
    ZONE_OWNER,
    ZONE_TYPE,
    Point,
)
from hombi.links.zigbee.radio import Radio

T = TypeVar("T")
TRIES = 4
PAUSE_S = 1.0
STEPS = 5
MAX_ENDPOINTS = 16
ENROLLED = bytes((0x00, 0x00))
ENROL_RESPONSE = 0x00


class Interview:
    """One node's. `said` is told how far it has come: the step, of STEPS."""

    def __init__(
        self, radio: Radio, device: Device, our_ieee: int, said: Callable[[int], None]
    ) -> None:
        self._radio, self._device, self._our_ieee, self._said = radio, device, our_ieee, said

    async def ask_what_it_has(self) -> list[str]:
        """Steps 1 to 4: what the node is, its endpoints, its make and model. What it
        did not say, in words: it is asked again later. Raises LinkError when it does
        not even say what endpoints it has, or not of any what is there."""
        self._missing: list[str] = []
        self._said(1)
        await self._tried(self._node_descriptor(), "what kind of node it is")
        self._said(2)
        numbers = await self._endpoints()
        self._said(3)
        for number in numbers:
            await self._tried(self._endpoint(number), f"what its endpoint {number} has")
        if not self._device.endpoints:
            raise LinkError("it does not say what any of its endpoints has")
        self._said(4)
        await self._tried(self._make_and_model(), "its make and model")
        await self._facts()
        return self._missing

    async def agree(self) -> list[str]:
        """Step 5: enrolment, bindings and reports. What the node does not do of it, in
        words; its values are then read instead."""
        self._said(5)
        device, missing = self._device, []
        for number, endpoint in device.endpoints.items():
            if IAS_ZONE in endpoint.inputs:
                missing += await self._enrol(number)
        for remote in device.remotes.values():
            for cluster in remote.clusters:
                missing += await self._bound(remote.endpoint, cluster)
        for (number, cluster, maker), points in _reported(list(device.points.values())).items():
            names = ", ".join(point.name for point in points)
            try:
                if refused := await self._bind(number, cluster):
                    missing.append(f"{names}: it is not bound to the hub, {refused}")
                missing += await self._configure(number, cluster, maker, points)
            except (LinkError, CodecError) as error:
                missing.append(f"{names}: {error}")
        return missing

    async def explore(self) -> None:
        """Beyond the steps: clusters of which there is no value are bound, so that the
        node tells what happens, and their attributes are asked for, so that a profile
        can name them. What it does not answer is let be."""
        device, radio = self._device, self._radio
        for unused in device.unused():
            with contextlib.suppress(LinkError, CodecError):
                await self._bind(unused.endpoint, unused.cluster)
                numbers = await radio.discover(device.short, unused.endpoint, unused.cluster)
                attributes = await radio.read(
                    device.short, unused.endpoint, unused.cluster, numbers
                )
                device.attributes(unused.endpoint, unused.cluster, attributes, now_ms())

    async def _tried(self, step: Awaitable[None], what: str) -> None:
        try:
            await step
        except (LinkError, CodecError):
            self._missing.append(what)

    async def _node_descriptor(self) -> None:
        result = await self._often(
            lambda: self._network(Id.NODE_DESCRIPTOR, NodeDescriptor), "what it is"
        )
        self._device.router = result.kind == 1
        self._device.sleepy = not result.capability & 0x08
        self._device.maker = result.manufacturer

    async def _endpoints(self) -> Sequence[int]:
        result = await self._often(
            lambda: self._network(Id.ACTIVE_ENDPOINTS, Endpoints), "its endpoints"
        )
        return [number for number in result.endpoints if 0 < number <= 240][:MAX_ENDPOINTS]

    async def _endpoint(self, number: int) -> None:
        result = await self._often(
            lambda: self._network(Id.SIMPLE_DESCRIPTOR, SimpleDescriptor, number),
            f"what its endpoint {number} has",
        )
        self._device.endpoints[number] = Endpoint(
            result.profile, result.device, result.inputs, result.outputs
        )

    async def _network(self, command: Id, kind: type[Any], endpoint: int = 0) -> Any:
        """One question to its network layer. An answer with a status is no answer: it
        may be another the next time."""
        short = self._device.short

        def fits(one: Any) -> bool:
            return not endpoint or one.status or one.endpoint in (0, endpoint)

        frame = commands.ask(command, short, endpoint) if endpoint else commands.ask(command, short)
        result = await self._radio.network(frame, kind, short, fits=fits)
        if result.status:
            raise LinkError(commands.status_words(result.status))
        return result

    async def _make_and_model(self) -> None:
        device = self._device
        number = next((n for n, e in device.endpoints.items() if BASIC in e.inputs), 0)
        if not number:
            return
        wanted = [MAKE, MODEL, POWER_SOURCE, SOFTWARE]
        attributes = await self._often(
            lambda: self._radio.read(device.short, number, BASIC, wanted), "its make and model"
        )
        texts = {
            attribute.id: attribute.value
            for attribute in attributes
            if not attribute.status and attribute.value is not None
        }
        device.make, device.model = (str(texts.get(one, "")).strip()[:60] for one in (MAKE, MODEL))
        device.software = str(texts.get(SOFTWARE, ""))[:60]
        power = texts.get(POWER_SOURCE, 0)
        device.power = power if isinstance(power, int) else 0

    async def _facts(self) -> None:
        """The attributes without which its values cannot be understood."""
        for number, endpoint in self._device.endpoints.items():
            for cluster in endpoint.inputs:
                wanted = {one for (c, _), pair in FACTORS.items() if c == cluster for one in pair}
                wanted |= {
                    METERING: {METER_UNIT},
                    IAS_ZONE: {ZONE_TYPE},
                    POWER: {0x0020, 0x0021},
                }.get(cluster, set())
                wanted |= {*FACTS.get(cluster, ())}
                if cluster == PRESSURE:
                    wanted |= {PRESSURE_SCALED, PRESSURE_SCALE}
                if wanted:
                    what = f"how its cluster {cluster:04X} counts"
                    await self._tried(self._facts_of(number, cluster, sorted(wanted), what), what)

    async def _facts_of(self, number: int, cluster: int, wanted: list[int], what: str) -> None:
        attributes = await self._often(
            lambda: self._radio.read(self._device.short, number, cluster, wanted), what
        )
        for attribute in attributes:
            if not attribute.status and isinstance(attribute.value, int | float | list):
                self._device.facts[f"{number}/{cluster:04X}/{attribute.id:04X}"] = attribute.value

    async def _enrol(self, number: int) -> list[str]:
        """Make the hub the owner of an IAS zone (ZCL, 8.2.2.2.3): it is written there,
        and told that it is enrolled. A zone that does not let its owner be written
        (some have it fixed) may still be enrolled."""
        device, radio, missing = self._device, self._radio, []
        owner = zcl.Attribute(ZONE_OWNER, dt.IEEE, self._our_ieee)
        for ask, what in (
            (
                lambda: radio.write(device.short, number, IAS_ZONE, owner),
                "the hub cannot be written down as its owner",
            ),
            (
                lambda: radio.send(device.short, number, IAS_ZONE, enrolled(radio.next_sequence())),
                "it is not enrolled",
            ),
        ):
            try:
                await self._often(ask, "to be enrolled", final=(Refused,))
            except LinkError as error:
                missing.append(f"alarm zone: {what}, {error}")
        return missing

    async def _bound(self, number: int, cluster: int) -> list[str]:
        """Bind an output; what the node does not do of it, in words."""
        try:
            refused = await self._bind(number, cluster)
        except (LinkError, CodecError) as error:
            refused = str(error)
        where = f"button of endpoint {number}"
        return [f"{where}: it is not bound to the hub, {refused}"] if refused else []

    async def _bind(self, number: int, cluster: int) -> str:
        """Why the node is not bound, "" when it is."""
        device = self._device
        frame = commands.bind(
            device.short, device.ieee, number, cluster, self._our_ieee, OUR_ENDPOINT
        )
        result = await self._often(
            lambda: self._radio.network(frame, Outcome, device.short), "to be bound"
        )
        return commands.status_words(result.status) if result.status else ""

    async def _configure(
        self, number: int, cluster: int, maker: int, points: Sequence[Point]
    ) -> list[str]:
        wanted = [
            zcl.Reporting(
                p.attribute, p.type, p.reports.shortest_s, p.reports.longest_s, p.reports.change
            )
            for p in points
            if p.reports is not None
        ]
        refused = await self._often(
            lambda: self._radio.configure(self._device.short, number, cluster, wanted, maker),
            "what to report",
        )
        return [
            f"{p.name}: {zcl.said(refused[p.attribute])}" for p in points if p.attribute in refused
        ]

    async def _often(
        self, ask: Callable[[], Awaitable[T]], what: str, final: tuple[type[LinkError], ...] = ()
    ) -> T:
        """Ask several times, unless the answer is `final`. Raises LinkError with what
        was asked."""
        for left in range(TRIES - 1, -1, -1):
            try:
                return await ask()
            except final:
                raise
            except LinkError as error:
                if not left:
                    raise LinkError(f"it was asked {TRIES} times {what}: {error}") from error
            await asyncio.sleep(PAUSE_S)
        raise AssertionError


def enrolled(sequence: int) -> zcl.Zcl:
    """The answer to a zone's wish to be enrolled: it is, as zone 0."""
    return zcl.Zcl(
        sequence, ENROL_RESPONSE, ENROLLED, cluster_command=True, no_default_response=True
    )


def _reported(points: Sequence[Point]) -> dict[tuple[int, int, int], list[Point]]:
    """The points that are to be reported, by endpoint, cluster and whose attributes
    they are."""
    result: dict[tuple[int, int, int], list[Point]] = {}
    for point in points:
        if point.reports is not None and not point.tunnelled:
            result.setdefault((point.endpoint, point.cluster, point.manufacturer), []).append(point)
    return result
