"""Intake: from what a node sent to samples and readings, and on to everything that
waits for them."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Protocol

from msgspec.structs import replace

from hombi.core.errors import NotASample
from hombi.core.node_clock import NodeClock
from hombi.core.outcome import Acknowledge, Outcome, after
from hombi.core.senml import Resolved
from hombi.core.series import Channel, Reading, Sample, sample_of
from hombi.core.values import show_span
from hombi.hub.house import Entity, House, Node
from hombi.hub.kernel import Context, Feature
from hombi.hub.readings.events import (
    ClockWrong,
    EntitySilenceChanged,
    NodeBack,
    NodeHeardAgain,
    ReadingRefused,
    ReadingsRefused,
    ReadingTaken,
    SettingTold,
)
from hombi.hub.readings.port import Row
from hombi.hub.readings.writer import Writer

# What is older than this when it comes in was buffered by its sender: it is history,
# and nothing acts on it.
FRESH_MS = 10 * 60_000
# A moment that is older happened to somebody who has given up by now: it acts no more.
MOMENT_FRESH_MS = 5_000
# A reading from further ahead than this came before the hub's clock was set back.
AHEAD_MS = 1_000
# How many readings of an entity are remembered to tell a resent one from another.
RECENT = 16
# So many of one pack are taken before others have a turn.
AT_ONCE = 250


class Listener(Protocol):
    """Who hears each fresh reading, before it is committed."""

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A new reading of this entity."""


@dataclass(slots=True)
class Taken:
    """What became of one pack."""

    stored: int = 0
    refused: list[str] = field(default_factory=list)
    outcome: Outcome = Outcome.SAFE


class Intake(Feature):
    """Resolves what drivers observe against the house."""

    name = "intake"

    def __init__(self, context: Context, house: House, writer: Writer) -> None:
        super().__init__(context)
        self._house, self._writer = house, writer
        self._clock, self._live = context.clock, context.live
        self._listeners: list[Listener] = []
        self._late: list[Callable[[Entity, int], None]] = []
        self.dropped = 0

    def hear(self, listener: Listener) -> None:
        """From now on this hears each fresh reading."""
        self._listeners.append(listener)

    def hear_late(self, call: Callable[[Entity, int], None]) -> None:
        """Have this called with each reading that came after later ones, where the
        chain of its entity looks back."""
        self._late.append(call)

    def observed(
        self,
        node_address: str,
        values: Sequence[Resolved],
        acknowledge: Acknowledge | None,
    ) -> Taken:
        """Take what a node sent. `acknowledge` is called in any case: when all that
        could be taken is committed, or at once when nothing of it can be.

        What cannot be taken (no such entity, a wrong unit, a time that cannot be) is
        listed in the answer and journaled; the rest of the pack is stored all the same.
        """
        taken, now = Taken(), self._clock.now_ms()
        node = self._welcome(node_address, values, now, taken)
        if node is not None:
            self._take(node, self._on_time(node, values, now), now, acknowledge, taken)
        elif acknowledge is not None:
            acknowledge(taken.outcome)
        return taken

    async def observed_in_parts(
        self,
        node_address: str,
        values: Sequence[Resolved],
        acknowledge: Acknowledge | None,
    ) -> Taken:
        """The same for a pack that may be large: others have their turn after each part
        of it. What the stamps say of the node's clock, they say as a whole."""
        taken, now = Taken(), self._clock.now_ms()
        node = self._welcome(node_address, values, now, taken)
        if node is None:
            if acknowledge is not None:
                acknowledge(taken.outcome)
            return taken
        values = self._on_time(node, values, now)
        begins = range(0, max(1, len(values)), AT_ONCE)
        safe = None if acknowledge is None else after(len(begins), acknowledge)
        for begin in begins:
            if self._house.nodes.get(node_address) is node:
                self._take(node, values[begin : begin + AT_ONCE], now, safe, taken)
            elif safe is not None:  # it was taken out meanwhile
                safe(Outcome.REFUSED)
            if begin != begins[-1]:
                await asyncio.sleep(0)
        return taken

    def _welcome(
        self, node_address: str, values: Sequence[Resolved], now: int, taken: Taken
    ) -> Node | None:
        """The node that sent these, if they can be taken now."""
        node = self._house.nodes.get(node_address)
        if node is None:
            taken.refused.append(f"no node {node_address} is admitted")
            taken.outcome = Outcome.REFUSED
            return None
        if self._writer.full:
            taken.outcome = Outcome.LATER
            self.dropped += len(values)
            what = "the disk does not keep up; readings are not taken in"
            self.context.announce(ReadingsRefused(node=node.address, what=what))
            taken.refused.append("the hub holds as many readings as it can; send them again later")
            return None
        self.heard(node, now)
        return node

    def _take(
        self,
        node: Node,
        values: Sequence[Resolved],
        now: int,
        acknowledge: Acknowledge | None,
        taken: Taken,
    ) -> None:
        rows: list[Row] = []
        fresh: list[tuple[Entity, Reading]] = []
        refused: list[str] = []
        for value in values:
            entity = node.by_wire_name.get(value.name)
            if entity is None:
                if value.name in node.settings:
                    told = SettingTold(node=node.address, wire_name=value.name, value=value.value)
                    self.context.announce(told)
                else:
                    refused.append(f"{node.address} has no entity {value.name[:60]!r}")
                continue
            try:
                sample = _sample(entity, value, now)
            except NotASample as error:
                refused.append(f"{entity.address}: {error}")
                continue
            if sample.value is None and entity.kind.moment:
                # Many nodes say null or nothing once a press is over: nothing happened.
                entity.heard_ms = now
                continue
            sample = _apart(entity, sample, now, stamped=value.stamped)
            channel = self._channel(entity, sample)
            chain = entity.chain(channel)
            if chain.warm_ms and sample.at_ms < chain.last_ms:
                # A chain's times never go back: this one is put in its place later.
                chain = entity.fresh_chain(channel)
                for call in self._late:
                    call(entity, sample.at_ms)
            reading = chain.reading(sample, channel)
            entity.heard_ms = now
            rows.append(
                (
                    entity.id,
                    reading.at_ms,
                    channel.number,
                    reading.sent,
                    reading.value,
                    reading.quality,
                )
            )
            fresh.append((entity, reading))
        taken.stored += len(rows)
        taken.refused += refused
        if refused:
            node.refused += len(refused)
            self.context.announce(ReadingRefused(node=node.address, what=refused[0]))
        if rows:
            committed = None if acknowledge is None else partial(acknowledge, Outcome.SAFE)
            self._writer.put(rows, committed)
        elif acknowledge is not None:
            acknowledge(Outcome.REFUSED if refused else Outcome.SAFE)
        # What is decided because of them is committed with them or after them.
        for entity, reading in fresh:
            self._spread(entity, reading, now)

    def _channel(self, entity: Entity, sample: Sample) -> Channel:
        """The channel over which a sample came; a unit that was never sent before is
        another one."""
        channels = entity.channels
        now = channels.now
        if now.unit == sample.unit and (now.kind is entity.kind or now.kind == entity.kind):
            return now
        channel = channels.find(entity.kind, sample.unit)
        if channel is None:
            begun = channels.begin(entity.kind, sample.unit, sample.at_ms)
            number = entity.id
            self._writer.also(lambda records: records.history.begin_channel(number, begun))
            channel = begun
        channels.now = channel
        return channel

    def heard(self, node: Node, now: int) -> bool:
        """Something came from a node, whatever it was; whether it is back with that, or
        here for the first time in this run."""
        node.heard_ms, first = now, not node.heard_in_this_run
        node.heard_in_this_run = True
        if node.silent:
            node.silent, node.here, first = False, True, True
            self.context.announce(NodeHeardAgain(node=node.address))
        if first:
            self.context.announce(NodeBack(node=node.address))
        return first

    def _on_time(self, node: Node, values: Sequence[Resolved], now: int) -> Sequence[Resolved]:
        """The values of a node whose clock is wrong, by the hub's; what it had buffered
        keeps its stamps."""
        clock, was_wrong = node.clock, node.clock.wrong
        newest, from_boot = None, False
        for value in values:
            from_boot = from_boot or value.from_boot
            if not value.stamped and (newest is None or value.at_ms > newest):
                newest = value.at_ms
        if newest is not None:
            clock.learn(newest, now)
        if values:
            clock.from_boot = from_boot
        if clock.wrong and not was_wrong:
            how = clock_said(clock)
            self.context.announce(ClockWrong(node=node.address, title=node.title, how=how))
        if newest is None or not clock.is_live(newest, now):
            return values
        return [
            value
            if value.stamped or newest - value.at_ms > FRESH_MS
            else replace(value, at_ms=clock.hub_time(value.at_ms))
            for value in values
        ]

    def _spread(self, entity: Entity, reading: Reading, now: int) -> None:
        latest = entity.latest
        if latest is not None and reading.at_ms < latest.at_ms:
            # Out of order. But after the clock was set back, what is heard now is the
            # latest.
            set_back = latest.at_ms > now + AHEAD_MS >= reading.at_ms >= now - AHEAD_MS
            if not set_back:
                return
        was_silent, entity.silent = entity.silent, False
        fresh_ms = MOMENT_FRESH_MS if entity.kind.moment else FRESH_MS
        if reading.at_ms < now - fresh_ms:
            entity.take(reading)
            return
        entity.heard(reading)
        self.tell(entity, reading)
        if was_silent:
            node = entity.node.address if entity.node else ""
            changed = EntitySilenceChanged(node=node, entity=entity.address, silent=False)
            self.context.announce(changed)

    def tell(self, entity: Entity, reading: Reading) -> None:
        """A fresh reading is there: everything that waits for it hears of it."""
        for listener in self._listeners:
            try:
                listener.reading(entity, reading)
            except Exception as error:  # noqa: BLE001 - the reading is safe, and the others hear it
                who = f"{type(listener).__name__}, with a reading of {entity.address},"
                self.context.tasks.failed(who, error)
        self.show(entity, reading)

    def show(self, entity: Entity, reading: Reading) -> None:
        """Whoever looks on sees this reading; nothing is decided by it."""
        seen = self._house.seen(entity).as_seen
        self._live.publish(ReadingTaken(entity.address, reading, seen))


def clock_said(clock: NodeClock) -> str:
    """How a node's clock is wrong, in words."""
    if clock.from_boot:
        return "it counts the time from its own start"
    way = "behind" if clock.offset_ms > 0 else "ahead"
    return f"its clock is {show_span(abs(clock.offset_ms))} {way}"


def _sample(entity: Entity, sent: Resolved, now_ms: int) -> Sample:
    """The sample in what a node sent. A unit that the hub does not know, but that the
    node's description names, stands for the one that a person chose in its place.
    Raises NotASample."""
    try:
        return sample_of(sent, entity.kind, entity.wire_unit, now_ms)
    except NotASample:
        node = entity.node
        if not sent.unit or node is None or sent.unit != node.offer.unknown_unit(sent.name):
            raise
        own = replace(sent, unit="")
        return sample_of(own, entity.kind, entity.wire_unit, now_ms)


def _apart(entity: Entity, sample: Sample, now: int, *, stamped: bool) -> Sample:
    """Two different values of one millisecond are two samples; the same value again is
    the same one."""
    latest, at_ms = entity.latest, sample.at_ms
    if stamped and latest is not None and at_ms <= latest.at_ms <= now + AHEAD_MS:
        at_ms = latest.at_ms + 1
    recent, value = entity.recent, sample.value
    while at_ms in recent and (stamped or recent[at_ms] != value):
        at_ms += 1
    recent[at_ms] = value
    if len(recent) > RECENT:
        del recent[next(iter(recent))]
    return sample if at_ms == sample.at_ms else replace(sample, at_ms=at_ms)
