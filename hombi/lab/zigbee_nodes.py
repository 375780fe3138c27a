"""Simulated Zigbee nodes: endpoints, clusters and attributes, joining, reporting,
sleeping, and going out of reach.

They know ZCL, and nothing of how a hub thinks.
"""

from __future__ import annotations

import asyncio
import random
import struct
from collections import deque
from collections.abc import Callable, Mapping
from typing import Any

from hombi.lab.physics import Mill
from hombi.lab.zigbee_clusters import Agreed, Clusters, Way
from hombi.lab.zigbee_plan import ZigbeePlan
from hombi.lab.zigbee_stick import EXPIRED, NO_ACK, NO_ROUTE, Stick
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import tunnel, zcl
from hombi.links.zigbee.commands import Id
from hombi.links.zigbee.errors import CodecError

BASIC, ON_OFF, LEVEL, IAS_ZONE = 0x0000, 0x0006, 0x0008, 0x0500
IDENTIFY, LOCK, COVERING, COLOUR, WARNING = 0x0003, 0x0101, 0x0102, 0x0300, 0x0502
ZONE_STATE, ZONE_TYPE, ZONE_STATUS, ZONE_OWNER = 0x0000, 0x0001, 0x0002, 0x0010
# As the time of a move: the node's own.
OWN_TIME = 0xFFFF
PRESSED_S = 180.0
AWAKE_AFTER_JOINING_S = 60.0
FETCHED_S = 7.0


class ZigbeeNode(Clusters):
    """One node. `polls_s` is how often it fetches what waits for it while it sleeps."""

    def __init__(self, plan: ZigbeePlan, mill: Mill, stick: Stick, polls_s: float = 2.0) -> None:
        super().__init__(plan, mill)
        self.stick, self.polls_s = stick, polls_s
        self.ieee, self.short, self.joined = plan.ieee, 0, False
        # How long it takes over an answer while it is awake.
        self.thinks_s = min(0.05, polls_s)
        self.away = False
        self.counted = 0
        # What it does not do as it should: clusters that it does not answer for,
        # statuses that it gives to the next questions to its network layer, and one for
        # bindings.
        self.mute: set[int] = set()
        self.statuses: dict[int, list[int]] = {}
        self.binds_with = 0
        self.bound: set[tuple[int, int]] = set()
        self._told: dict[int, Any] = {}
        self.answers: deque[tuple[int, zcl.Zcl]] = deque(maxlen=64)
        self._alarm: int | None = None
        self._off_at_0 = False
        self._pressed_until = 0.0
        # What it does beside its values, and until when.
        self._does: dict[str, float] = {}
        self._awake_until = 0.0
        self._sequence = 0
        self._random = random.Random(plan.ieee)
        stick.nodes[plan.ieee] = self

    @property
    def title(self) -> str:
        """Its name on its label."""
        return self.plan.title

    @property
    def thing_id(self) -> str:
        """Its address as a URN (RFC 9039)."""
        return f"urn:dev:mac:{self.ieee:016x}"

    @property
    def link(self) -> str:
        """The link it speaks over."""
        return "zigbee"

    @property
    def state(self) -> str:
        """How it is, in a word or two."""
        if self.away:
            return "out of reach"
        if self.joined:
            return next(
                (what for what, until in self._does.items() if self._now < until), "in the network"
            )
        return "looking for a network" if self._now < self._pressed_until else "in no network"

    # What a person does with it

    def press(self) -> None:
        """Hold its button: one that is in a network leaves it; then it looks for one
        for three minutes."""
        if self.joined:
            self.leave()
        self._pressed_until = self._now + PRESSED_S

    @property
    def taps(self) -> tuple[str, ...]:
        """What else a person can do at it."""
        return tuple(self.plan.taps)

    def tap(self, what: str) -> None:
        """Press one of its buttons, or turn its dial; it sends that to what it is bound
        to."""
        endpoint, cluster, command, payload = self.plan.taps[what]
        if (endpoint, cluster) in self.bound:
            frame = zcl.Zcl(self.next_sequence(), command, payload, cluster_command=True)
            self.send(endpoint, cluster, frame)

    def leave(self) -> None:
        """Leave the network and forget what was agreed."""
        if self.joined and not self.away:
            self.stick.tell(Id.LEFT, struct.pack("<HQBBB", self.short, self.ieee, 0, 0, 0))
        self._forget()

    def reset_unheard(self) -> None:
        """Be reset where nobody hears it leave, and join again."""
        short = self.short
        self._forget()
        self.join(short)

    def move(self, short: int) -> None:
        """Have another short address, and say nothing of it: its announcement was
        lost."""
        self.short = short

    def _forget(self) -> None:
        self.joined, self.short, self.owner, self._alarm = False, 0, 0, None
        self.counted = 0
        self.agreed.clear()
        self.bound.clear()
        self._told.clear()

    def kept(self) -> dict[str, Any]:
        """What it keeps in its own memory while it has no power."""
        agreed = [[*place, a.shortest_s, a.longest_s, a.change] for place, a in self.agreed.items()]
        return {
            "joined": self.joined,
            "short": self.short,
            "counted": self.counted,
            "owner": self.owner,
            "on": self.on,
            "level": self.way.to,
            "bound": [*self.bound],
            "written": [[*place, value] for place, value in self.written.items()],
            "places": [[*place, way.to] for place, way in self.travels.items()],
            "agreed": agreed,
        }

    def restore(self, kept: Mapping[str, Any]) -> None:
        """Have power again."""
        self.joined, self.short, self.owner = kept["joined"], kept["short"], kept["owner"]
        self.counted = kept.get("counted", 0)
        self.on, self.way = kept["on"], Way(kept["level"], kept["level"])
        self.bound = {(e, c) for e, c in kept.get("bound", ())}
        self.written = {(e, c, a): value for e, c, a, value in kept.get("written", ())}
        self.travels = {(e, c, a): Way(to, to) for e, c, a, to in kept.get("places", ())}
        self.agreed = {(e, c, a): Agreed(s, lo, ch) for e, c, a, s, lo, ch in kept["agreed"]}

    # Its life

    @property
    def _now(self) -> float:
        return asyncio.get_running_loop().time()

    @property
    def quality(self) -> int:
        """How well it is heard, 0 to 255."""
        return min(255, max(20, 120 + self.ieee % 100 + round(self._random.gauss(0, 3))))

    def step(self) -> None:
        """Live on: look for a network, or report what has changed."""
        if self.away:
            return
        if not self.joined:
            if self._now < self._pressed_until and self.stick.permits:
                self.join()
            return
        self._off_when_there()
        self._report_zone()
        self._tell_tunnelled()
        for (endpoint, cluster, attribute), agreed in list(self.agreed.items()):
            self._report(endpoint, cluster, attribute, agreed)

    def join(self, short: int = 0) -> None:
        """Join, or come back with another short address."""
        self.joined, self._pressed_until = True, 0.0
        self.short = short or 1 + self._random.randrange(0xFFF0)
        self._awake_until = self._now + AWAKE_AFTER_JOINING_S
        self.stick.tell(Id.JOINED, struct.pack("<HQH", self.short, self.ieee, 0))
        self.announce()

    def announce(self) -> None:
        """Say that it is here (device announce)."""
        capability = 0x80 | (0x02 if self.plan.router else 0) | (0 if self.plan.sleepy else 0x0C)
        self.stick.tell(
            Id.ANNOUNCED, struct.pack("<HHQB", self.short, self.short, self.ieee, capability)
        )

    def send(self, endpoint: int, cluster: int, frame: zcl.Zcl) -> None:
        """Send a ZCL frame to the hub."""
        if self.joined and not self.away:
            self.stick.incoming(self, endpoint, cluster, zcl.encode(frame), self.quality)

    def next_sequence(self) -> int:
        """A sequence number."""
        self._sequence = (self._sequence + 1) & 0xFF
        return self._sequence

    def _report(self, endpoint: int, cluster: int, attribute: int, agreed: Agreed) -> None:
        attr = self._attr(endpoint, cluster, attribute)
        if attr is None or agreed.longest_s == 0xFFFF or (endpoint, cluster) not in self.bound:
            return  # it has nobody to report to
        value, waited = self._value(endpoint, cluster, attribute, attr), self._now - agreed.at_s
        numbers = (
            isinstance(value, int | float)
            and isinstance(agreed.value, int | float)
            and dt.analog(attr.type)
        )
        if (cluster, attribute) == (0x0001, 0x0021) and value < 20 and (agreed.value or 0) >= 20:
            waited = agreed.longest_s  # an empty battery is told at once
        changed = (
            abs(value - agreed.value) >= max(agreed.change, 1e-12)
            if numbers
            else value != agreed.value
        )
        if (changed and waited >= agreed.shortest_s) or waited >= agreed.longest_s > 0:
            agreed.value, agreed.at_s = value, self._now
            self.report(endpoint, cluster, [zcl.Attribute(attribute, attr.type, value)])

    def report(self, endpoint: int, cluster: int, attributes: list[zcl.Attribute]) -> None:
        """Report attributes now."""
        frame = zcl.Zcl(
            self.next_sequence(),
            zcl.Command.REPORT,
            zcl.write(attributes),
            from_server=True,
            no_default_response=True,
        )
        self.send(endpoint, cluster, frame)

    def _report_zone(self) -> None:
        for endpoint, part in self.plan.parts.items():
            if IAS_ZONE not in part.clusters or not self.owner:
                continue
            status = self._zone_status()
            if status != self._alarm:
                self._alarm = status
                payload = struct.pack("<HBBH", status, 0, 0, 0)
                self.send(
                    endpoint,
                    IAS_ZONE,
                    zcl.Zcl(
                        self.next_sequence(), 0x00, payload, cluster_command=True, from_server=True
                    ),
                )

    def _tell_tunnelled(self, every: bool = False) -> None:
        fresh = []
        for number, (kind, _) in self.plan.tunnel.items():
            value = self._tunnelled_now(number)
            if every or self._moved(value, self._told.get(number)):
                self._told[number] = value
                fresh.append(tunnel.Tunnelled(number, kind, value))
        if fresh:
            payload = tunnel.encode(self.next_sequence(), fresh)
            frame = zcl.Zcl(
                self.next_sequence(), tunnel.TELL, payload, True, True, no_default_response=True
            )
            self.send(1, self.plan.tunnel_cluster, frame)

    @staticmethod
    def _moved(value: Any, before: Any) -> bool:
        return (
            before is None
            or abs(value - before) >= 2
            or (isinstance(value, bool) and value != before)
        )

    # What it hears

    def heard_network(self, command: int, data: bytes) -> None:
        """The hub asks its network layer; it answers when it next listens."""
        if not self.away:
            self._when_awake(lambda: self._answer_network(command, data), lambda: None)

    def _answer_network(self, command: int, data: bytes) -> None:
        plan, ids = self.plan, struct.pack("<HBH", self.short, 0, self.short)
        if self.statuses.get(command):
            status = self.statuses[command].pop(0)
            if status >= 0:
                self.stick.tell(
                    command + 0x2080, struct.pack("<HBH", self.short, status, self.short) + bytes(8)
                )
            return
        if command == Id.IEEE_ADDRESS:
            self.stick.tell(
                Id.IEEE_ADDRESS_CAME, struct.pack("<BQHBB", 0, self.ieee, self.short, 0, 0)
            )
        elif command == Id.NODE_DESCRIPTOR:
            capability = 0x80 | (0 if plan.sleepy else 0x0C)
            head = struct.pack(
                "<BBBHBHHHB", 1 if plan.router else 2, 0x40, capability, 0x1399, 82, 82, 0, 82, 0
            )
            self.stick.tell(Id.NODE_DESCRIPTOR_CAME, ids + head)
        elif command == Id.ACTIVE_ENDPOINTS:
            self.stick.tell(Id.ACTIVE_ENDPOINTS_CAME, ids + bytes((len(plan.parts), *plan.parts)))
        elif command == Id.SIMPLE_DESCRIPTOR:
            self._tell_simple(ids, data[4])
        elif command == Id.BIND:
            endpoint, cluster = data[10], data[11] | data[12] << 8
            if not self.binds_with:
                self.bound.add((endpoint, cluster))
            self.stick.tell(Id.BOUND, struct.pack("<HB", self.short, self.binds_with))
        elif command == Id.LEAVE:
            self.stick.tell(Id.LEFT_ANSWER, struct.pack("<HB", self.short, 0))
            self.leave()

    def _tell_simple(self, ids: bytes, endpoint: int) -> None:
        part = self.plan.parts[endpoint]
        inputs = [*part.clusters, *([self.plan.tunnel_cluster] if self.plan.tunnel_cluster else [])]
        body = struct.pack("<BHHB", endpoint, 0x0104, part.device, 1)
        body += struct.pack(f"<B{len(inputs)}H", len(inputs), *inputs)
        body += struct.pack(f"<B{len(part.outputs)}H", len(part.outputs), *part.outputs)
        self.stick.tell(Id.SIMPLE_DESCRIPTOR_CAME, ids + bytes((len(body),)) + body)

    def heard(self, endpoint: int, cluster: int, data: bytes, done: Callable[[int], None]) -> None:
        """A ZCL frame for it."""
        if self.away:
            asyncio.get_running_loop().call_later(
                self.stick.gives_up_s,
                done,
                EXPIRED if self.plan.sleepy else NO_ROUTE if self.plan.router else NO_ACK,
            )
            return

        def fetched() -> None:
            done(0)
            try:
                self._take(endpoint, cluster, zcl.decode(data))
            except CodecError:
                return

        self._when_awake(fetched, lambda: done(EXPIRED))

    def _when_awake(self, act: Callable[[], None], too_late: Callable[[], None]) -> None:
        """A sleepy node fetches what its parent holds for it when it next wakes."""
        loop = asyncio.get_running_loop()
        if not self.plan.sleepy:
            loop.call_soon(act)
            return
        wait = (
            self.thinks_s if self._now < self._awake_until else self.polls_s * self._random.random()
        )
        loop.call_later(min(wait, FETCHED_S), act if wait < FETCHED_S else too_late)

    def _take(self, endpoint: int, cluster: int, frame: zcl.Zcl) -> None:
        self.answers.append((cluster, frame))
        if cluster in self.mute or (frame.from_server and not frame.cluster_command):
            return
        if frame.cluster_command:
            self._command(endpoint, cluster, frame)
        elif frame.command == zcl.Command.READ:
            attributes = [
                self._read(endpoint, cluster, one) for one in zcl.parse_read(frame.payload)
            ]
            self._answer(
                endpoint, cluster, frame, zcl.Command.READ_RESPONSE, zcl.read_response(attributes)
            )
        elif frame.command == zcl.Command.WRITE:
            written = self._write(endpoint, cluster, frame)
            self._answer(endpoint, cluster, frame, zcl.Command.WRITE_RESPONSE, written)
        elif frame.command == zcl.Command.CONFIGURE_REPORTING:
            agreed = self._configure(endpoint, cluster, frame)
            command = zcl.Command.CONFIGURE_REPORTING_RESPONSE
            self._answer(endpoint, cluster, frame, command, agreed)
        elif frame.command == zcl.Command.DISCOVER:
            there = self._discovered(endpoint, cluster, frame.payload)
            self._answer(endpoint, cluster, frame, zcl.Command.DISCOVER_RESPONSE, there)

    @property
    def level(self) -> int:
        """Its level now, 0 to 254, perhaps on its way."""
        return self.way.at(self._now)

    def _off_when_there(self) -> None:
        if self._off_at_0 and self.on and not self.level:
            self._switch(False)

    def _answer(
        self, endpoint: int, cluster: int, frame: zcl.Zcl, command: int, payload: bytes
    ) -> None:
        answer = zcl.Zcl(
            frame.sequence,
            command,
            payload,
            from_server=True,
            manufacturer=frame.manufacturer,
            no_default_response=True,
        )
        self.send(endpoint, cluster, answer)

    def _command(self, endpoint: int, cluster: int, frame: zcl.Zcl) -> None:
        if cluster == ON_OFF and frame.command in (0, 1, 2):
            self._switch(not self.on if frame.command == 2 else bool(frame.command))
        elif cluster == LEVEL and frame.command in (0, 4):
            level, tenths = struct.unpack_from("<BH", frame.payload)
            takes_s = 0.0 if tenths == OWN_TIME else tenths / 10
            # What is off begins at the lowest.
            first = self.level if self.on or frame.command == 0 else min(1, level)
            self.way = Way(first, min(level, 254), self._now, takes_s)
            self._off_at_0 = frame.command == 4
            if frame.command == 4 and level:
                self._switch(True)
            self._off_when_there()
        elif (cluster, frame.command) == (IDENTIFY, 0x00):
            (seconds,) = struct.unpack_from("<H", frame.payload)
            self._does["blinking"] = self._now + seconds
        elif (cluster, frame.command) == (WARNING, 0x00):
            information, seconds = struct.unpack_from("<BH", frame.payload)
            sounds = information >> 4 and seconds
            self._does["sounding"] = self._now + (seconds if sounds else 0)
        elif cluster in (LOCK, COVERING, COLOUR):
            status = self._operate(endpoint, cluster, frame)
            if status or not frame.no_default_response:
                told = bytes((frame.command, status))
                self._answer(endpoint, cluster, frame, zcl.Command.DEFAULT_RESPONSE, told)
        elif cluster == self.plan.tunnel_cluster and cluster:
            if frame.command == tunnel.WRITE:
                for tunnelled in tunnel.decode(frame.payload)[1]:
                    if tunnelled.id in self.tunnelled:
                        self.tunnelled[tunnelled.id] = tunnelled.value
                        self._told.pop(tunnelled.id, None)
                self._tell_tunnelled()
            elif frame.command == tunnel.ASK_ALL:
                self._tell_tunnelled(every=True)
