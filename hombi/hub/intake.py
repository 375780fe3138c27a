"""Intake: from what a node sent to readings, and on to everything that waits for
them."""

from __future__ import annotations

import logging
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

from msgspec.structs import replace

from hombi.core.errors import UnitError
from hombi.core.kinds import Kind
from hombi.core.node_clock import NodeClock
from hombi.core.quality import Quality
from hombi.core.senml import Resolved
from hombi.core.units import COUNTS, conversion
from hombi.core.values import show_span
from hombi.hub.clock import Clock
from hombi.hub.house import Entity, House, Node, Reading
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.ports import Row
from hombi.hub.writer import Writer

FUTURE_MS = 5 * 60_000
OLDEST_MS = 400 * 86_400_000
# What is older than this when it comes in was buffered by its sender: it is history,
# and nothing acts on it.
FRESH_MS = 10 * 60_000
# A reading from further ahead than this came before the hub's clock was set back.
AHEAD_MS = 1_000
# How many readings of an entity are remembered to tell a resent one from another.
RECENT = 16

log = logging.getLogger(__name__)


class Listener(Protocol):
    """Who hears each fresh reading, before it is committed."""

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A new reading of this entity."""


@dataclass(slots=True)
class Taken:
    """What became of one pack."""

    stored: int = 0
    refused: list[str] = field(default_factory=list)


class Intake:
    """Resolves what drivers observe against the house."""

    def __init__(
        self, house: House, clock: Clock, live: Live, journal: Journal, writer: Writer
    ) -> None:
        self._house, self._clock, self._live, self._journal, self._writer = (
            house,
            clock,
            live,
            journal,
            writer,
        )
        self.listeners: list[Listener] = []
        # Who hears how a node's own settings stand.
        self.told: Callable[[Node, str, Any], None] = lambda *_: None
        # Who hears that a node is heard for the first time in this run, or again.
        self.node_back: Callable[[Node], None] = lambda _: None
        self.dropped = 0

    def observed(
        self, node_address: str, values: Sequence[Resolved], acknowledge: Callable[[], None] | None
    ) -> Taken:
        """Take what a node sent. `acknowledge` is called when all that could be taken
        is committed.

        What cannot be taken (no such entity, a wrong unit, a time that cannot be) is
        listed in the answer and journaled; the rest of the pack is stored all the same.
        """
        taken = Taken()
        node = self._house.nodes.get(node_address)
        if node is None:
            taken.refused.append(f"no node {node_address} is admitted")
            return taken
        if self._writer.full:
            # Not acknowledged: whoever keeps what was not acknowledged sends it again
            # when there is room.
            self.dropped += len(values)
            self._journal.fault(
                "ReadingsRefused",
                "the disk does not keep up; readings are not taken in",
                node=node.address,
            )
            taken.refused.append("the hub holds as many readings as it can; send them again later")
            return taken
        now = self._clock.now_ms()
        self.heard(node, now)
        rows: list[Row] = []
        fresh: list[tuple[Entity, Reading]] = []
        for value in self._on_time(node, values, now):
            entity = node.by_wire_name.get(value.name)
            if entity is None and value.name in node.settings:
                self.told(node, value.name, value.value)
                continue
            if entity is None:
                taken.refused.append(f"{node.address} has no entity {value.name[:60]!r}")
                continue
            reading = _reading(entity, value, now)
            if isinstance(reading, str):
                taken.refused.append(f"{entity.address}: {reading}")
                continue
            reading = _apart(entity, reading, now, stamped=value.stamped)
            entity.heard_ms = now
            rows.append((entity.id, reading.at_ms, *reading.stored))
            fresh.append((entity, reading))
        taken.stored = len(rows)
        if taken.refused:
            node.refused += len(taken.refused)
            self._journal.fault(
                "ReadingRefused", f"{node.address}: {taken.refused[0]}", node=node.address
            )
        if rows:
            self._writer.put(rows, acknowledge)
        elif acknowledge is not None:
            acknowledge()
        # What is decided because of them is committed with them or after them.
        for entity, reading in fresh:
            self._spread(entity, reading, now)
        return taken

    def heard(self, node: Node, now: int) -> bool:
        """Something came from a node, whatever it was; whether it is back with that, or
        here for the first time in this run."""
        node.heard_ms, first = now, not node.heard_in_this_run
        node.heard_in_this_run = True
        if node.silent:
            node.silent, node.here, first = False, True, True
            self._journal.note(
                "NodeHeardAgain", f"{node.address} is heard again", node=node.address
            )
            self._live.publish(
                "node", {"node": node.address, "here": node.here, "silent": False, "heard_at": now}
            )
        if first:
            self.node_back(node)
        return first

    def _on_time(self, node: Node, values: Sequence[Resolved], now: int) -> Sequence[Resolved]:
        """The values of a node whose clock is wrong, by the hub's; what it had buffered
        keeps its stamps."""
        clock, was_wrong = node.clock, node.clock.wrong
        newest = max((value.at_ms for value in values if not value.stamped), default=None)
        if newest is not None:
            clock.learn(newest, now)
        clock.from_boot = any(value.from_boot for value in values) if values else clock.from_boot
        if clock.wrong and not was_wrong:
            text = f"{node.title}: {clock_said(clock)}. What it sends is taken at its arrival"
            self._journal.note("ClockWrong", text, node=node.address)
            self._live.publish("house", {"changed": "node", "node": node.address})
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
        if (
            latest is not None
            and reading.at_ms < latest.at_ms
            and not latest.at_ms > now + AHEAD_MS >= reading.at_ms >= now - AHEAD_MS
        ):
            # Out of order. But after the clock was set back, what is heard now is the
            # latest.
            return
        was_silent, entity.silent = entity.silent, False
        if reading.at_ms < now - FRESH_MS:
            entity.latest = reading
            return
        entity.heard(reading)
        for listener in self.listeners:
            try:
                listener.reading(entity, reading)
            except Exception as error:
                # Whoever listens, the reading is safe and the others hear it.
                log.exception(
                    "%s failed with a reading of %s", type(listener).__name__, entity.address
                )
                self._journal.fault(
                    "ListenerFailed",
                    f"{type(listener).__name__}: {error!r}",
                    node=entity.node.address,
                )
        self._live.publish(
            "reading",
            {
                "entity": entity.address,
                "at": reading.at_ms,
                "value": reading.known_value,
                "raw": reading.known_raw,
                "quality": reading.quality.level,
                "reason": reading.quality.reason,
            },
        )
        if was_silent:
            self._live.publish("house", {"changed": "node", "node": entity.node.address})


def clock_said(clock: NodeClock) -> str:
    """How a node's clock is wrong, in words."""
    if clock.from_boot:
        return "it counts the time from its own start"
    way = "behind" if clock.offset_ms > 0 else "ahead"
    return f"its clock is {show_span(abs(clock.offset_ms))} {way}"


def _apart(entity: Entity, reading: Reading, now: int, *, stamped: bool) -> Reading:
    """Two different values of one millisecond are two readings; the same value again is
    the same one."""
    latest, at_ms = entity.latest, reading.at_ms
    if stamped and latest is not None and at_ms <= latest.at_ms <= now + AHEAD_MS:
        at_ms = latest.at_ms + 1
    recent, raw = entity.recent, reading.stored[0]
    while at_ms in recent and (stamped or recent[at_ms] != raw):
        at_ms += 1
    recent[at_ms] = raw
    if len(recent) > RECENT:
        del recent[next(iter(recent))]
    return reading if at_ms == reading.at_ms else replace(reading, at_ms=at_ms)


def _reading(entity: Entity, sent: Resolved, now: int) -> Reading | str:
    return measure(entity.kind, entity.wire_unit, entity.low, entity.high, sent, now)


def measure(
    kind: Kind, wire_unit: str, low: float, high: float, sent: Resolved, now: int
) -> Reading | str:
    """The reading that a sent value makes for an entity of this kind, or why it makes
    none."""
    if sent.at_ms > now + FUTURE_MS:
        return (
            f"its time lies {(sent.at_ms - now) / 1000:.0f} s ahead of the hub's; check the "
            f"node's clock"
        )
    if sent.at_ms < now - OLDEST_MS:
        return "its time lies more than 400 days back; a node without a clock leaves the time out"
    value = sent.value
    if value is None:
        return Reading(sent.at_ms, math.nan, math.nan, Quality.NO_VALUE)
    if isinstance(value, str):
        if kind.words is None or value not in kind.words:
            return f"a number was expected, not the text {value!r}"
        raw = float(kind.words.index(value))
    else:
        raw = float(value)
        if isinstance(value, bool) and kind.words is None:
            return "a number was expected, not true or false"
    if not kind.unit:
        if sent.unit and sent.unit not in COUNTS:
            return f"a {kind.name} has no unit, but {sent.unit!r} was sent"
        if kind.words is not None and raw not in (0.0, 1.0):
            return f"a {kind.name} is 0 or 1, not {raw:g}"
        return Reading(sent.at_ms, raw, raw, _quality(low, high, raw))
    try:
        if sent.unit and sent.unit != wire_unit:
            factor, addend = conversion(sent.unit, wire_unit)
            raw = raw * factor + addend
        factor, addend = conversion(wire_unit, kind.unit)
    except UnitError as error:
        return str(error)
    converted = raw * factor + addend
    if not math.isfinite(converted):
        return "its value is no finite number"
    return Reading(sent.at_ms, raw, converted, _quality(low, high, converted))


def _quality(low: float, high: float, value: float) -> Quality:
    return Quality.GOOD if low <= value <= high else Quality.OUT_OF_RANGE
