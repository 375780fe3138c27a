"""Replay: an automation over recorded readings, by the machine that runs it live.

Nothing is done; what it would have decided, and what it would have wanted done, comes
back as values. A node counts as present all the while: whether it was is not kept.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import tzinfo
from typing import NamedTuple

from msgspec.structs import replace

from hombi.core.automation.actions import Effect
from hombi.core.automation.machine import due_ms, lost_ms, sooner, step
from hombi.core.automation.parts import unmoved
from hombi.core.automation.program import Program
from hombi.core.automation.state import Began, Passed, Phase, Seen, Sight, State, Why, World
from hombi.core.kinds import Kind
from hombi.core.rhythm import GAPS_TO_KNOW, learned, patience
from hombi.core.series.reading import Reading


@dataclass(frozen=True, slots=True)
class Course:
    """What is known of one entity over the past: its names, its kind, and its readings,
    oldest first. Some should be from before the span: they say how it stood then."""

    spoken: str
    room: str
    kind: Kind
    readings: Sequence[Reading]


class Acted(NamedTuple):
    """One edge: why, and what was to be done."""

    why: Why
    effects: tuple[Effect, ...]


class Move(NamedTuple):
    """It stood elsewhere from a moment on; `value` is what it saw then."""

    at_ms: int
    before: Phase
    after: Phase
    value: float | None


@dataclass(slots=True)
class Replayed:
    """What came of a span: the edges, all moves, where it stood at its end and what was
    known then; all that was to be done, and that of it which came between edges."""

    acted: list[Acted] = field(default_factory=list)
    moves: list[Move] = field(default_factory=list)
    state: State = field(default_factory=State)
    sights: dict[str, Sight] = field(default_factory=dict)
    world: World | None = None
    effects: list[Effect] = field(default_factory=list)
    later: list[tuple[int, tuple[Effect, ...]]] = field(default_factory=list)

    def on(self, start_ms: int, end_ms: int) -> list[tuple[int, int]]:
        """From when until when it was on, within a span."""
        found, since = [], None
        for move in self.moves:
            if move.after is Phase.ON:
                since = max(move.at_ms, start_ms)
            elif since is not None:
                found.append((since, min(move.at_ms, end_ms)))
                since = None
        if since is not None:
            found.append((since, end_ms))
        return [(a, b) for a, b in found if a < b]


class _Past:
    """The world as it was: what an automation saw at each moment."""

    def __init__(self, courses: Mapping[str, Course], zone: tzinfo) -> None:
        self.now_ms, self.zone = 0, zone
        self._known = {address: _Entity(one) for address, one in courses.items()}

    def hear(self, entity: str, reading: Reading) -> None:
        self._known[entity].hear(reading)

    def sight(self, entity: str) -> Sight:
        known = self._known.get(entity)
        # What is only switched has no past here.
        return Sight(entity) if known is None else known.sight()


class _Entity:
    def __init__(self, course: Course) -> None:
        self._spoken, self._room = course.spoken, course.room
        self._states = course.kind.words is not None
        self._latest: Reading | None = None
        self._interval_ms, self._gaps = 0.0, 0

    def hear(self, reading: Reading) -> None:
        if self._latest is not None and reading.at_ms > self._latest.at_ms:
            gap = float(reading.at_ms - self._latest.at_ms)
            self._interval_ms = learned(self._interval_ms, self._gaps, gap)
            self._gaps += 1
        self._latest = reading

    def sight(self) -> Sight:
        rhythm = 0.0
        if not self._states and self._gaps >= GAPS_TO_KNOW:
            rhythm = patience(self._interval_ms)
        latest = self._latest
        if latest is None:
            return Sight(self._spoken, self._room, rhythm_ms=rhythm)
        return Sight(
            self._spoken, self._room, latest.value, latest.quality, known=True, rhythm_ms=rhythm
        )


def replay(
    program: Program, courses: Mapping[str, Course], start_ms: int, end_ms: int, zone: tzinfo
) -> Replayed:
    """Run an automation from before a span to its end, as if it had been on duty. Edges
    and moves from before the span are left out. `courses` has all entities that it
    names."""
    world, found = _Past(courses, zone), Replayed()
    alone, state = not program.more, State()
    # When it must be stepped next although nothing is heard: by its holds and hours;
    # and by these, or because its value is lost.
    planned: int | None = None
    due: int | None = None

    def passed(until: int) -> None:
        """Step at all moments before one at which it must be."""
        nonlocal state, due
        while due is not None and due < until:
            world.now_ms, at = due, due
            taken(Passed())
            if due is not None and due <= at:
                due = None  # nothing follows until it is heard

    def taken(event: Seen | Passed | Began) -> None:
        nonlocal state, planned, due
        before = state
        done = step(program, before, event, world)
        state = done.state
        if state.phase is not before.phase and world.now_ms >= start_ms:
            found.moves.append(Move(world.now_ms, before.phase, state.phase, state.value))
        if world.now_ms >= start_ms:
            found.effects += done.effects
            if done.why is not None:
                found.acted.append(Acted(done.why, done.effects))
            elif done.effects:
                found.later.append((world.now_ms, done.effects))
        idle = state.phase is Phase.IDLE and not state.waits
        quiet = idle and program.moment is None
        planned = None if quiet else due_ms(program, state, world)
        due = sooner(planned, lost_ms(program, state, world))

    if program.moment is not None:
        world.now_ms = start_ms
        taken(Began())
    for entity, reading in _in_order(courses, end_ms):
        if due is not None and due < reading.at_ms:
            passed(reading.at_ms)
        world.hear(entity, reading)
        value = reading.value
        if alone and entity != program.watch.entity:
            if state.phase is Phase.IDLE:
                continue  # only what it watches begins anything (or the clock)
        elif alone and unmoved(program.watch, state, reading, world.sight(entity)):
            # Most readings change nothing.
            state = replace(state, value=value, heard_ms=reading.at_ms)
            if state.phase is Phase.ON:
                due = sooner(planned, lost_ms(program, state, world))
            continue
        world.now_ms = reading.at_ms
        taken(Seen(value, reading.quality, entity))
    passed(end_ms)
    if state.phase is Phase.ON and not any(move.after is Phase.ON for move in found.moves):
        # It was on before the span began.
        found.moves.insert(0, Move(start_ms, Phase.IDLE, Phase.ON, state.value))
    world.now_ms = end_ms
    found.state, found.world = state, world
    found.sights = {one: world.sight(one) for one in program.entities}
    return found


def _in_order(courses: Mapping[str, Course], end_ms: int) -> Iterator[tuple[str, Reading]]:
    """All readings before a moment, as they came."""

    def of(address: str, course: Course) -> Iterator[tuple[int, str, Reading]]:
        return ((one.at_ms, address, one) for one in course.readings if one.at_ms < end_ms)

    every = [of(address, course) for address, course in courses.items()]
    for _, address, reading in heapq.merge(*every, key=lambda one: one[0]):
        yield address, reading
