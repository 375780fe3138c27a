"""Intake: from what a node sent to readings, and on to everything that waits for them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

from msgspec.structs import replace

from hombi.core.errors import UnitError
from hombi.core.kinds import Kind
from hombi.core.quality import Quality
from hombi.core.senml import Resolved
from hombi.core.units import COUNTS, conversion
from hombi.hub.clock import Clock
from hombi.hub.house import Entity, House, Node, Reading
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.ports import Row
from hombi.hub.writer import Writer

FUTURE_MS = 5 * 60_000
OLDEST_MS = 400 * 86_400_000
# What is older than this when it comes in was buffered by its sender: it is history, and nothing acts on it.
FRESH_MS = 10 * 60_000
# A reading from further ahead than this came before the hub's clock was set back.
AHEAD_MS = 1_000


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

    def __init__(self, house: House, clock: Clock, live: Live, journal: Journal, writer: Writer) -> None:
        self._house, self._clock, self._live, self._journal, self._writer = house, clock, live, journal, writer
        self.listeners: list[Listener] = []
        # Who hears how a node's own settings stand.
        self.told: Callable[[Node, str, Any], None] = lambda *_: None
        self.dropped = 0

    def observed(self, node_address: str, values: Sequence[Resolved], acknowledge: Callable[[], None] | None) -> Taken:
        """Take what a node sent. `acknowledge` is called when all that could be taken is committed.

        What cannot be taken (no such entity, a wrong unit, a time that cannot be) is listed in the answer and journaled;
        the rest of the pack is stored all the same.
        """
        taken = Taken()
        node = self._house.nodes.get(node_address)
        if node is None:
            taken.refused.append(f"no node {node_address} is admitted")
            return taken
        if self._writer.full:
            # Not acknowledged: whoever keeps what was not acknowledged sends it again when there is room.
            self.dropped += len(values)
            self._journal.fault("ReadingsRefused", "the disk does not keep up; readings are not taken in", node=node.address)
            taken.refused.append("the hub holds as many readings as it can; send them again later")
            return taken
        now = self._clock.now_ms()
        self.heard(node, now)
        rows: list[Row] = []
        for value in values:
            entity = node.by_wire_name.get(value.name)
            if entity is None and value.name in node.settings:
                self.told(node, value.name, value.value)
                continue
            if entity is None:
                taken.refused.append(f"{node.address} has no entity {value.name!r}")
                continue
            reading = _reading(entity, value, now)
            if isinstance(reading, str):
                taken.refused.append(f"{entity.address}: {reading}")
                continue
            latest = entity.latest
            if value.stamped and latest is not None and reading.at_ms <= latest.at_ms <= now + AHEAD_MS:
                # Two that came in the same millisecond are two readings.
                reading = replace(reading, at_ms=latest.at_ms + 1)
            rows.append((entity.id, reading.at_ms, *reading.stored))
            self._spread(entity, reading, now)
        taken.stored = len(rows)
        if taken.refused:
            node.refused += len(taken.refused)
            self._journal.fault("ReadingRefused", f"{node.address}: {taken.refused[0]}", node=node.address)
        if rows:
            self._writer.put(rows, acknowledge)
        elif acknowledge is not None:
            acknowledge()
        return taken

    def heard(self, node: Node, now: int) -> None:
        """Something came from a node, whatever it was."""
        node.heard_ms = now
        if node.silent:
            node.silent, node.here = False, True
            self._journal.note("NodeHeardAgain", f"{node.address} is heard again", node=node.address)
            self._live.publish("node", {"node": node.address, "here": node.here, "silent": False, "heard_at": now})

    def _spread(self, entity: Entity, reading: Reading, now: int) -> None:
        latest = entity.latest
        if (
            latest is not None
            and reading.at_ms < latest.at_ms
            and not latest.at_ms > now + AHEAD_MS >= reading.at_ms >= now - AHEAD_MS
        ):
            return  # out of order; but after the clock was set back, what is heard now is the latest
        if reading.at_ms < now - FRESH_MS:
            entity.latest = reading
            return
        entity.heard(reading)
        for listener in self.listeners:
            listener.reading(entity, reading)
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


def _reading(entity: Entity, sent: Resolved, now: int) -> Reading | str:
    return measure(entity.kind, entity.wire_unit, entity.low, entity.high, sent, now)


def measure(kind: Kind, wire_unit: str, low: float, high: float, sent: Resolved, now: int) -> Reading | str:
    """The reading that a sent value makes for an entity of this kind, or why it makes none."""
    if sent.at_ms > now + FUTURE_MS:
        return f"its time lies {(sent.at_ms - now) / 1000:.0f} s ahead of the hub's; check the node's clock"
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
