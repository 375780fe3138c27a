"""What each part of an automation said over a span: a line of time for each."""

from __future__ import annotations

import heapq
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import tzinfo

from hombi.core.automation.parts import is_so
from hombi.core.automation.program import Program
from hombi.core.automation.replay import Course, Past, in_order
from hombi.core.automation.state import World
from hombi.core.automation.watch import Watch
from hombi.core.quality import Quality

# Over a longer span, a line would say nothing.
LONGEST_MS = 2 * 86_400_000
TICK_MS = 60_000


@dataclass(slots=True)
class Lane:
    """What one part said: from each moment of `since_ms` on, yes, no, or (None) that
    nothing was known."""

    text: str
    since_ms: list[int] = field(default_factory=list)
    said: list[bool | None] = field(default_factory=list)

    def say(self, at_ms: int, what: bool | None) -> None:
        """From this moment on it says this."""
        if not self.said or self.said[-1] is not what:
            self.since_ms.append(at_ms)
            self.said.append(what)


def lanes(
    program: Program, courses: Mapping[str, Course], span: tuple[int, int], zone: tzinfo
) -> list[Lane]:
    """A line for each value whose state counts, and for the hours. Holds are not in it:
    each line says how things were."""
    start, end = span
    if end - start > LONGEST_MS:
        return []
    world = Past(courses, zone)
    values = [
        (watch, Lane(f"{courses[watch.entity].spoken} {watch.wanted}"), watch in program.parts)
        for watch in (*program.parts, *program.when)
        if watch.of_value and watch.entity in courses
    ]
    hours = program.only.sentence().removeprefix(", ")
    allowed = [Lane(hours)] if hours else []

    def look(at_ms: int) -> None:
        world.now_ms = at_ms
        for watch, lane, watched in values:
            lane.say(at_ms, _said(watch, world) if watched else _when(watch, world))

    ticks = range(-(-start // TICK_MS) * TICK_MS, end, TICK_MS)
    readings = ((one.at_ms, address, one) for address, one in in_order(courses, end))
    for at_ms, address, reading in heapq.merge(
        readings, ((tick, "", None) for tick in ticks), key=lambda one: one[0]
    ):
        if reading is not None:
            world.hear(address, reading)
        if at_ms >= start:
            look(at_ms)
        if reading is None:
            for lane in allowed:
                lane.say(at_ms, program.only.allows(at_ms, zone))
    return [*(lane for _, lane, _ in values), *allowed]


def _said(watch: Watch, world: World) -> bool | None:
    sight, now = world.sight(watch.entity), watch.now(world)
    lost = 0 < sight.rhythm_ms < world.now_ms - sight.heard_ms
    if now is None or sight.value is None or sight.quality >= Quality.STUCK or lost:
        return None
    return now.comparison.starts_with(sight.value)


def _when(watch: Watch, world: World) -> bool | None:
    sight = world.sight(watch.entity)
    return is_so(watch, sight, world) if sight.known else None
