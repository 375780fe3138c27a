"""What a simulated Zigbee node's clusters hold, and what is done to them. Nothing here
knows of the radio."""

from __future__ import annotations

import asyncio
import struct
from dataclasses import dataclass
from typing import Any, NamedTuple

from hombi.lab.physics import Mill
from hombi.lab.zigbee_plan import Attr, ZigbeePlan
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import zcl

BASIC, ON_OFF, LEVEL, IAS_ZONE = 0x0000, 0x0006, 0x0008, 0x0500
LOCK, COVERING, COLOUR = 0x0101, 0x0102, 0x0300
# How long a covering takes from one end to the other, in s.
TRAVELS_S = 6.0
ZONE_STATUS, ZONE_OWNER = 0x0002, 0x0010


@dataclass(slots=True)
class Agreed:
    """What was agreed on the reports of one attribute, and what was reported last."""

    shortest_s: int
    longest_s: int
    change: float
    value: Any = None
    at_s: float = -1e9


class Way(NamedTuple):
    """Between two levels, 0 to 254: it takes so long from a moment on, both in
    seconds."""

    first: int
    to: int
    begun_s: float = 0.0
    takes_s: float = 0.0

    def at(self, now_s: float) -> int:
        """The level at a moment."""
        if now_s >= self.begun_s + self.takes_s:
            return self.to
        part = (now_s - self.begun_s) / self.takes_s
        return round(self.first + (self.to - self.first) * part)


class Clusters:
    """The application of one node."""

    def __init__(self, plan: ZigbeePlan, mill: Mill) -> None:
        self.plan, self.mill = plan, mill
        self.drained: float | None = None
        self.on, self.way = False, Way(254, 254)
        self.owner_is_fixed = False
        self.owner = 0
        self.written: dict[tuple[int, int, int], Any] = {}
        self.travels_s = TRAVELS_S
        self.travels: dict[tuple[int, int, int], Way] = {}
        self.agreed: dict[tuple[int, int, int], Agreed] = {}
        self.tunnelled = {
            number: value for number, (_, value) in plan.tunnel.items() if not callable(value)
        }

    def _zone_status(self) -> int:
        alarm = bool(self.plan.zone_alarm and self.plan.zone_alarm(self.mill))
        return int(alarm) | (0x08 if self.battery < 10 else 0)

    def _tunnelled_now(self, number: int) -> Any:
        sense = self.plan.tunnel[number][1]
        return sense(self.mill) if callable(sense) else self.tunnelled[number]

    @property
    def battery(self) -> float:
        """% left."""
        return self.drained if self.drained is not None else self.mill.battery(self.plan.address)

    def _attr(self, endpoint: int, cluster: int, attribute: int) -> Attr | None:
        part = self.plan.parts.get(endpoint)
        if part is None:
            return None
        if cluster == BASIC and part.clusters.get(BASIC) is not None:
            texts = {0x0004: self.plan.make, 0x0005: self.plan.model, 0x4000: "1.4.2"}
            if attribute in texts:
                return Attr(dt.TEXT, texts[attribute])
            if attribute == 0x0007:
                return Attr(dt.ENUM8, self.plan.power)
        if cluster == IAS_ZONE and attribute == ZONE_STATUS:
            return Attr(dt.BITMAP16, lambda _: self._zone_status())
        return part.clusters.get(cluster, {}).get(attribute)

    def _value(self, endpoint: int, cluster: int, attribute: int, attr: Attr) -> Any:
        if (cluster, attribute) == (ON_OFF, 0):
            return self.on
        if (cluster, attribute) == (LEVEL, 0):
            return self.way.at(asyncio.get_running_loop().time())
        if (cluster, attribute) == (0x0001, 0x0021):
            return round(self.battery * 2)
        if (cluster, attribute) == (IAS_ZONE, ZONE_OWNER):
            return self.owner
        if (endpoint, cluster, attribute) in self.travels:
            return self.travels[endpoint, cluster, attribute].at(asyncio.get_running_loop().time())
        if (endpoint, cluster, attribute) in self.written:
            return self.written[endpoint, cluster, attribute]
        value = attr.sense(self.mill) if callable(attr.sense) else attr.sense
        if value is None or isinstance(value, str) or attr.type == dt.SINGLE:
            return value
        return round(value)

    def _read(self, endpoint: int, cluster: int, attribute: int) -> zcl.Attribute:
        attr = self._attr(endpoint, cluster, attribute)
        if attr is None:
            return zcl.Attribute(attribute, 0, None, zcl.Status.UNSUPPORTED_ATTRIBUTE)
        return zcl.Attribute(attribute, attr.type, self._value(endpoint, cluster, attribute, attr))

    def _write(self, endpoint: int, cluster: int, frame: zcl.Zcl) -> bytes:
        """Take what is written; the answer to it."""
        refused = b""
        for attribute in zcl.parse_report(frame.payload):
            attr = self._attr(endpoint, cluster, attribute.id)
            if attr is None or not attr.writable:
                status = zcl.Status.READ_ONLY if attr else zcl.Status.UNSUPPORTED_ATTRIBUTE
                refused += bytes((status,)) + struct.pack("<H", attribute.id)
            elif (cluster, attribute.id) == (IAS_ZONE, ZONE_OWNER) and self.owner_is_fixed:
                refused += bytes((zcl.Status.READ_ONLY,)) + struct.pack("<H", attribute.id)
            elif (cluster, attribute.id) == (IAS_ZONE, ZONE_OWNER):
                self.owner = attribute.value or 0
            elif not attr.takes(attribute.value):
                refused += bytes((zcl.Status.INVALID_VALUE,)) + struct.pack("<H", attribute.id)
            elif attribute.type != attr.type:
                refused += bytes((zcl.Status.WRONG_TYPE,)) + struct.pack("<H", attribute.id)
            else:
                self.written[endpoint, cluster, attribute.id] = attribute.value
        return refused or b"\0"

    def _discovered(self, endpoint: int, cluster: int, content: bytes) -> bytes:
        """The answer to a discovery of attributes: a few at a time."""
        first, most = struct.unpack("<HB", content)
        part = self.plan.parts.get(endpoint)
        attributes = part.clusters.get(cluster, {}) if part is not None else {}
        there = sorted(
            (number, attr.type) for number, attr in attributes.items() if number >= first
        )
        told = there[: min(most, 3)]
        complete = bytes((len(told) == len(there),))
        return complete + b"".join(struct.pack("<HB", *one) for one in told)

    def _configure(self, endpoint: int, cluster: int, frame: zcl.Zcl) -> bytes:
        """Agree on reports; the answer to it."""
        refused = b""
        for reporting in zcl.parse_configure(frame.payload):
            attr = self._attr(endpoint, cluster, reporting.attribute)
            if attr is None:
                refused += bytes((zcl.Status.UNSUPPORTED_ATTRIBUTE, 0)) + struct.pack(
                    "<H", reporting.attribute
                )
            else:
                agreed = Agreed(reporting.shortest_s, reporting.longest_s, reporting.change or 0)
                self.agreed[endpoint, cluster, reporting.attribute] = agreed
        return refused or b"\0"

    def _operate(self, endpoint: int, cluster: int, frame: zcl.Zcl) -> int:
        """Carry out a command of what a household operates; the status of it."""
        command, payload = frame.command, frame.payload
        if self._attr(endpoint, cluster, 0x0000) is None and cluster != COLOUR:
            return zcl.Status.UNSUPPORTED_COMMAND
        if cluster == COVERING:
            return self._move(endpoint, command, payload)
        if cluster == LOCK and command in (0x00, 0x01):
            self.written[endpoint, LOCK, 0x0000] = 1 if command == 0 else 2
            return zcl.Status.SUCCESS
        if cluster == COLOUR:
            places = {
                0x0A: ((0x0007, "<H", 0),),
                0x00: ((0x0000, "<B", 0),),
                0x03: ((0x0001, "<B", 0),),
                0x06: ((0x0000, "<B", 0), (0x0001, "<B", 1)),
            }
            for attribute, form, at in places.get(command, ()):
                attr = self._attr(endpoint, COLOUR, attribute)
                (value,) = struct.unpack_from(form, payload, at)
                if attr is None:
                    return zcl.Status.UNSUPPORTED_COMMAND
                if not attr.takes(value):
                    return zcl.Status.INVALID_VALUE
                self.written[endpoint, COLOUR, attribute] = value
            return zcl.Status.SUCCESS if command in places else zcl.Status.UNSUPPORTED_COMMAND
        return zcl.Status.UNSUPPORTED_COMMAND

    def _move(self, endpoint: int, command: int, payload: bytes) -> int:
        """A covering goes to a place, at its own pace (7.4.2.2)."""
        attribute = 0x0009 if command == 0x08 else 0x0008
        attr = self._attr(endpoint, COVERING, attribute)
        if attr is None:
            return zcl.Status.UNSUPPORTED_COMMAND
        now_s = asyncio.get_running_loop().time()
        here = self._value(endpoint, COVERING, attribute, attr)
        to = {0x00: 0, 0x01: 100, 0x02: here}.get(command)
        if command in (0x05, 0x08):
            to = payload[0]
        if to is None:
            return zcl.Status.UNSUPPORTED_COMMAND
        if to > 100:
            return zcl.Status.INVALID_VALUE
        takes_s = abs(to - here) / 100 * self.travels_s
        self.travels[endpoint, COVERING, attribute] = Way(here, to, now_s, takes_s)
        return zcl.Status.SUCCESS

    def _switch(self, on: bool) -> None:
        self.on = on
        if self.plan.switches:
            setattr(self.mill.devices, self.plan.switches, on)
