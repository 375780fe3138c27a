"""Replay: an automation over recorded readings, by the machine that runs it live.

Nothing is done; what it would have decided, and what it would have wanted done, comes
back as values. A node counts as present all the while: whether it was is not kept.
"""

from __future__ import annotations

import heapq
import math
from bisect import bisect_left
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import tzinfo
from functools import partial
from typing import NamedTuple

from msgspec.structs import replace

from hombi.core.automation.actions import Effect
from hombi.core.automation.acts import looks
from hombi.core.automation.comparisons import Comparison
from hombi.core.automation.machine import due_ms, lasting_ms, lost_ms, sooner, step
from hombi.core.automation.moving import Moving
from hombi.core.automation.parts import unmoved
from hombi.core.automation.program import Program
from hombi.core.automation.state import (
    Began,
    Called,
    Handled,
    Passed,
    Phase,
    Seen,
    Sight,
    State,
    Why,
    World,
)
from hombi.core.kinds import Kind
from hombi.core.quality import Quality
from hombi.core.rhythm import SILENT_AT_LEAST_MS, WITH_ITS_NODE, Rhythm, alone_ms
from hombi.core.series.reading import Reading

# After so many readings it is asked whether somebody still waits.
LOOKED_AT_ONCE = 2_000


@dataclass(frozen=True, slots=True)
class Course:
    """What is known of one entity over the past: its names, its kind, and its readings,
    oldest first. Some should be from before the span: they say how it stood then.

    `learns` and `agreed_ms` are those of the entity (`hub.house`): whether the gaps
    between its readings count, and how often its node has promised to send it.
    `rhythm` is what is known of those gaps at present; the past is looked at with that,
    or with what the readings themselves teach.
    """

    spoken: str
    room: str
    kind: Kind
    readings: Sequence[Reading]
    learns: bool = True
    agreed_ms: float = 0.0
    rhythm: Rhythm | None = None


class Hand(NamedTuple):
    """A person set an entity, at the node ("") or from afar (`by`)."""

    at_ms: int
    entity: str
    by: str


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
        result, since = [], None
        for move in self.moves:
            if move.after is Phase.ON:
                since = max(move.at_ms, start_ms)
            elif since is not None:
                result.append((since, min(move.at_ms, end_ms)))
                since = None
        if since is not None:
            result.append((since, end_ms))
        return [(a, b) for a, b in result if a < b]


class Past:
    """The world as it was: what an automation saw at each moment."""

    time_known = obeyed = True

    def __init__(self, courses: Mapping[str, Course], zone: tzinfo) -> None:
        self.now_ms, self.zone = 0, zone
        self._known = {address: _Entity(course) for address, course in courses.items()}

    def hear(self, entity: str, reading: Reading) -> None:
        self._known[entity].hear(reading)

    def entity(self, address: str) -> _Entity:
        return self._known[address]

    def knows(self, address: str) -> bool:
        return address in self._known

    def sight(self, entity: str) -> Sight:
        known = self._known.get(entity)
        # What is only switched has no past here.
        return Sight() if known is None else known.sight(self.now_ms)

    def called(self, entity: str) -> Called:
        known = self._known.get(entity)
        return Called(entity) if known is None else known.called


class _Entity:
    def __init__(self, course: Course) -> None:
        self.called = Called(course.spoken, course.room)
        self._learns = course.learns and course.kind.a_number
        self._agreed_ms = course.agreed_ms
        self._latest: Reading | None = None
        known = course.rhythm is not None and course.rhythm.known
        self._rhythm = course.rhythm if course.rhythm is not None and known else Rhythm()
        self._learning = not known
        # What is known of it until it is heard again: it is looked at again and again.
        self._seen: Sight | None = None

    def hear(self, reading: Reading) -> None:
        self._seen = None
        if self._learning and self._latest is not None and reading.at_ms > self._latest.at_ms:
            self._rhythm.learn(float(reading.at_ms - self._latest.at_ms))
        self._latest = reading

    def skip(
        self,
        readings: Sequence[Reading],
        first: int,
        stays: Callable[[float], bool],
        until_ms: float = math.inf,
        *,
        heard: bool = False,
    ) -> int:
        """Hear readings from a place on while nothing comes of them: each is good, its
        value stays where it is, and it comes before a moment and (`heard`) before the
        one before is too long ago. The place of the first that is more."""
        latest, rhythm, learning = self._latest, self._rhythm, self._learning
        before = 0 if latest is None else latest.at_ms
        place = first
        for place in range(first, len(readings)):
            reading = readings[place]
            value, at_ms = reading.value, reading.at_ms
            if value is None or reading.quality >= Quality.STUCK or not stays(value):
                break
            gap = at_ms - before
            if at_ms > until_ms:
                break
            # Nothing counts as silent within its least patience.
            if heard and gap > SILENT_AT_LEAST_MS and 0 < self.rhythm_ms < gap:
                break
            if learning and latest is not None and gap > 0:
                rhythm.learn(float(gap))
            latest, before = reading, at_ms
        else:
            place = len(readings)
        self._latest, self._seen = latest, None
        return place

    def good_at(self, now_ms: int) -> float | None:
        """Its value at a moment; None where it is bad or silent, or not known."""
        latest = self._latest
        if latest is None or latest.quality >= Quality.STUCK:
            return None
        gap = now_ms - latest.at_ms
        # Nothing counts as silent within its least patience.
        overdue = gap > SILENT_AT_LEAST_MS and 0 < self.rhythm_ms < gap
        return None if overdue else latest.value

    @property
    def fades_ms(self) -> int | None:
        """From when on it counts as silent if nothing is heard."""
        seen = self._seen
        if seen is None:
            seen = self._seen = self._look()
        return seen.fades_ms

    @property
    def rhythmic(self) -> bool:
        """Whether it is known how long it may go unheard."""
        return not self._learns or self._rhythm.known

    @property
    def rhythm_ms(self) -> float:
        """How long it may go unheard by itself."""
        return alone_ms(self._rhythm, self._agreed_ms, learns=self._learns)

    def sight(self, now_ms: int) -> Sight:
        seen = self._seen
        if seen is None:
            seen = self._seen = self._look()
        return seen._replace(heard_ms=now_ms) if seen.rhythm_ms == WITH_ITS_NODE else seen

    def _look(self) -> Sight:
        rhythm, latest = self.rhythm_ms, self._latest
        if latest is None:
            return Sight(rhythm_ms=rhythm)
        return Sight(
            latest.value,
            latest.quality,
            known=True,
            rhythm_ms=rhythm,
            heard_ms=latest.at_ms,
            so_far_ms=0.0 if rhythm else self._rhythm.so_far_ms,
        )


class _Follows:
    """One value over or under a limit that follows others: most readings begin and end
    nothing, which is seen without a step."""

    @classmethod
    def of(cls, program: Program, world: Past) -> _Follows | None:
        """None for one that must be stepped with each reading."""
        watch, moving = program.watch, program.watch.moving
        if moving is None or not watch.comparison.side:
            return None
        if program.more or not all(map(world.knows, (watch.entity, *moving.sources))):
            return None
        also = [one.entity for one in (*program.when, *program.anyone)]
        also += [source for one in program.when if one.moving for source in one.moving.sources]
        return cls(watch.comparison, moving, (watch.entity, *moving.sources, *also), world)

    def __init__(
        self, comparison: Comparison, moving: Moving, every: Sequence[str], world: Past
    ) -> None:
        self._over = comparison.side > 0
        self._numbers = {"limit": comparison.limit, "until": comparison.until}
        self._formulas = {
            name: (formula.compute, [world.entity(source) for source in formula.sources])
            for name, formula in moving.formulas
        }
        self._watched = world.entity(every[0])
        self._all = [
            world.entity(address) for address in dict.fromkeys(every) if world.knows(address)
        ]

    def stays(self, state: State, now_ms: int) -> bool:
        """Whether what is idle or on stays so; False also where that takes a closer
        look."""
        value, limit = self._watched.good_at(now_ms), self._now("limit", now_ms)
        if value is None or limit is None or state.waits:
            return False
        if state.phase is Phase.IDLE:
            return value <= limit if self._over else value >= limit
        if state.phase is not Phase.ON or state.blind or state.back_ms:
            return False
        until = self._now("until", now_ms)
        if until is None:
            if "until" in self._formulas:
                return False
            until = limit  # it has none
        return value > until if self._over else value < until

    def fades_ms(self, now_ms: int) -> int | None:
        """From when on another of all that it looks at counts as silent if nothing is
        heard."""
        moments = [one.fades_ms for one in self._all]
        return min(
            (moment for moment in moments if moment is not None and moment > now_ms), default=None
        )

    def _now(self, name: str, now_ms: int) -> float | None:
        if name not in self._formulas:
            return self._numbers[name]
        compute, sources = self._formulas[name]
        known = [source.good_at(now_ms) for source in sources]
        if None in known:
            return None
        try:
            result = compute(known)  # type: ignore[arg-type]
        except (ValueError, ArithmeticError):
            return None
        return result if math.isfinite(result) else None


class Overtaken(Exception):
    """Nobody waits for this replay any more."""


def never() -> bool:
    """For a replay that is always waited for."""
    return False


def replay(
    program: Program,
    courses: Mapping[str, Course],
    start_ms: int,
    end_ms: int,
    zone: tzinfo,
    overtaken: Callable[[], bool] = never,
    hands: Iterable[Hand] = (),
) -> Replayed:
    """Run an automation from before a span to its end, as if it had been on duty. Edges
    and moves from before the span are left out. `courses` has all entities that it
    names, `hands` is what people set meanwhile. Raises Overtaken once `overtaken` says
    so."""
    world, replayed = Past(courses, zone), Replayed()
    alone, state, clocked = not program.more, State(), program.clocked
    # What `when` and `home` look at, also by way of a limit that follows: each of its
    # readings may end what is on.
    asked = {watch.entity for watch in (*program.when, *program.anyone)}
    asked |= {source for watch in program.when if watch.moving for source in watch.moving.sources}
    plain = (
        alone
        and program.watch.moving is None
        and program.watch.of_value
        and program.watch.entity not in asked
    )
    own_sight = partial(world.sight, program.watch.entity)
    follows = _Follows.of(program, world)
    # When it must be stepped next although nothing is heard: by its holds and hours;
    # and by these, or because its value is lost.
    planned: int | None = None
    due: int | None = None
    # The first of these that no reading moves, once it was asked for.
    lasting: tuple[int | None] | None = None
    theirs = deque(sorted(hand for hand in hands if hand.entity in program.acted_on))

    def passed(until: int) -> None:
        """Step at all moments before one at which it must be."""
        nonlocal state, due
        while True:
            hand_ms = theirs[0].at_ms if theirs else math.inf
            if hand_ms < until and (due is None or hand_ms <= due):
                world.now_ms = theirs[0].at_ms
                taken(Handled(theirs.popleft().entity))
            elif due is not None and due < until:
                world.now_ms, at = due, due
                taken(Passed())
                if due is not None and due <= at:
                    due = None  # nothing follows until it is heard
            else:
                return

    def taken(event: Seen | Passed | Began | Handled) -> None:
        nonlocal state, planned, due, lasting
        before, lasting = state, None
        done = step(program, before, event, world)
        state = done.state
        if state.phase is not before.phase and world.now_ms >= start_ms:
            replayed.moves.append(Move(world.now_ms, before.phase, state.phase, state.value))
        if world.now_ms >= start_ms:
            replayed.effects += done.effects
            if done.why is not None:
                replayed.acted.append(Acted(done.why, done.effects))
            elif done.effects:
                replayed.later.append((world.now_ms, done.effects))
        idle = state.phase is Phase.IDLE and not state.waits
        quiet = idle and not clocked
        planned = None if quiet else due_ms(program, state, world)
        due = sooner(planned, lost_ms(program, state, world))

    if clocked:
        # A moment at which the span begins is one of it.
        world.now_ms = start_ms - 1
        taken(Began())
    watched = courses.get(program.watch.entity)
    if plain and watched is not None and len(courses) == 1:
        readings = _before(watched.readings, end_ms)
        known, compared = world.entity(program.watch.entity), program.watch.comparison
        place = 0
        while place < len(readings):
            one = readings[place]
            if theirs or (due is not None and due < one.at_ms):
                passed(one.at_ms)
            hand_ms = theirs[0].at_ms if theirs else math.inf
            after = place
            if not (state.waits or state.blind or state.back_ms or program.reminds):
                # Most readings change nothing.
                if state.phase is Phase.IDLE:
                    after = known.skip(readings, place, lambda v: not compared.starts_with(v))
                elif state.phase is Phase.ON:
                    until = min(hand_ms, math.inf if planned is None else planned)
                    stays = lambda v: not compared.ends_with(v)  # noqa: E731
                    after = known.skip(readings, place, stays, until, heard=True)
                elif known.rhythmic:
                    until = math.inf if planned is None else planned - 1
                    if state.phase is Phase.HOLDING:
                        until = state.since_ms + program.watch.held_ms - 1
                    until = min(hand_ms, until)
                    after = known.skip(readings, place, compared.starts_with, until, heard=True)
            if after > place:
                last = readings[after - 1]
                state = replace(state, value=last.value, heard_ms=last.at_ms)
                world.now_ms = last.at_ms
                if state.phase is Phase.HOLDING:
                    planned = due_ms(program, state, world)
                if state.phase is not Phase.IDLE:
                    due = sooner(planned, lost_ms(program, state, world))
                place = after
                continue
            known.hear(one)
            world.now_ms = one.at_ms
            taken(Seen(one.value, one.quality, program.watch.entity))
            place += 1
        courses = {}
    for number, (entity, reading) in enumerate(in_order(courses, end_ms)):
        if number % LOOKED_AT_ONCE == 0 and overtaken():
            raise Overtaken
        if theirs or (due is not None and due < reading.at_ms):
            passed(reading.at_ms)
        world.hear(entity, reading)
        value = reading.value
        asks = any(map(looks, state.waits))
        if plain and entity != program.watch.entity:
            if state.phase is Phase.IDLE and not state.waits:
                continue  # only what it watches begins anything (or the clock)
        elif follows is not None and entity not in asked and follows.stays(state, reading.at_ms):
            if entity == program.watch.entity:
                state = replace(state, value=value, heard_ms=reading.at_ms)
            if state.phase is Phase.ON:
                world.now_ms = reading.at_ms
                if lasting is None:
                    lasting = (lasting_ms(program, state, world),)
                due = sooner(*lasting, follows.fades_ms(world.now_ms))
            continue
        elif plain and not asks and unmoved(program.watch, state, reading, own_sight):
            state = replace(state, value=value, heard_ms=reading.at_ms)
            if state.phase is Phase.ON:
                due = sooner(planned, lost_ms(program, state, world))
            continue
        world.now_ms = reading.at_ms
        taken(Seen(value, reading.quality, entity))
    passed(end_ms)
    if state.phase is Phase.ON and not any(move.after is Phase.ON for move in replayed.moves):
        # It was on before the span began.
        replayed.moves.insert(0, Move(start_ms, Phase.IDLE, Phase.ON, state.value))
    world.now_ms = end_ms
    replayed.state, replayed.world = state, world
    replayed.sights = {one: world.sight(one) for one in program.entities}
    return replayed


def in_order(courses: Mapping[str, Course], end_ms: int) -> Iterator[tuple[str, Reading]]:
    """All readings before a moment, as they came."""

    def of(address: str, course: Course) -> Iterator[tuple[int, str, Reading]]:
        return (
            (reading.at_ms, address, reading)
            for reading in course.readings
            if reading.at_ms < end_ms
        )

    every = [of(address, course) for address, course in courses.items()]
    for _, address, reading in heapq.merge(*every, key=lambda one: one[0]):
        yield address, reading


def _before(readings: Sequence[Reading], end_ms: int) -> Sequence[Reading]:
    """Those before a moment."""
    return readings[: bisect_left(readings, end_ms, key=lambda one: one.at_ms)]
