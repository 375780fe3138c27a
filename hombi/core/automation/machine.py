"""The state machine of automations. Live operation, rehearsal and replay all step this
one: `step(program, state, event, world) -> (state, effects, why)`.

    idle ──over the limit──> holding ──held long enough──> on ──back past until──> idle
                                └──but not allowed now──> waiting ──allowed──> on

Once on, it ends when its value ends it, or when the circumstances of `only` are over,
whichever comes first: what was switched on for the day is switched off in the evening.
A value that is bad, or not heard for too long, holds nothing: a hold waits for it and
begins again. What is on ends then, or stays, as `lost` says.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import tzinfo
from enum import StrEnum
from typing import NamedTuple, Protocol

import msgspec
from msgspec.structs import replace

from hombi.core.automation.actions import Effect, Notify, Tell
from hombi.core.automation.program import Lost, Program
from hombi.core.quality import Quality
from hombi.core.values import show_limit, show_span, show_value

# How long the value may go unheard during a hold, while its rhythm is not known.
UNKNOWN_RHYTHM_MS = 60_000


class Phase(StrEnum):
    """Where an automation stands."""

    IDLE = "idle"
    HOLDING = "holding"
    WAITING = "waiting"
    ON = "on"


class State(msgspec.Struct, frozen=True):
    """The whole state of an automation.

    `since_ms` is when the phase (for waiting: the hold before it) began, `heard_ms`
    when a good value was heard last, `blind` that it stays on although its value is not
    to be seen.
    """

    phase: Phase = Phase.IDLE
    since_ms: int = 0
    value: float | None = None
    heard_ms: int = 0
    blind: bool = False


# What an automation is stepped with


@dataclass(frozen=True, slots=True)
class Seen:
    """Its entity has a new reading; a value of None is no value."""

    value: float | None
    quality: Quality = Quality.GOOD


@dataclass(frozen=True, slots=True)
class Began:
    """It is new, or on duty again: it looks at what is known now, and does not wait for
    the next reading."""


@dataclass(frozen=True, slots=True)
class Passed:
    """Time has passed, and nothing was heard."""


@dataclass(frozen=True, slots=True)
class Taken:
    """It is taken off duty, removed, or watches something else now: the reason, in
    words. `silently` leaves what it switched as it is."""

    because: str
    silently: bool = False


Event = Seen | Began | Passed | Taken


class Sight(NamedTuple):
    """What is known of one entity. `present` says whether its node is heard;
    `rhythm_ms` is how long it may usually go unheard, 0 while that is not known."""

    spoken: str = ""
    room: str = ""
    value: float | None = None
    quality: Quality = Quality.GOOD
    known: bool = False
    present: bool = True
    silent: bool = False
    rhythm_ms: float = 0.0


class World(Protocol):
    """What an automation sees. Times are ms since 1970."""

    @property
    def now_ms(self) -> int: ...

    @property
    def zone(self) -> tzinfo: ...

    def sight(self, entity: str) -> Sight:
        """What is known of an entity now."""


class EdgeKind(StrEnum):
    """What an edge is: the start or the end of a watched state, or that one that is on
    cannot be seen any more."""

    START = "start"
    END = "end"
    LOST = "lost"


@dataclass(frozen=True, slots=True)
class Why:
    """The account of one decision: which edge it was, what was seen, what it was
    compared with, and how long it had been so. `lost` says that it came of a value that
    is no longer heard."""

    edge: EdgeKind
    at_ms: int
    seen: float
    limit: float
    held_ms: int
    text: str
    lost: bool = False


class Step(NamedTuple):
    """What a step came to: the next state, what is to be done, and why; no `why` where
    nothing was decided."""

    state: State
    effects: tuple[Effect, ...] = ()
    why: Why | None = None


def step(program: Program, state: State, event: Event, world: World) -> Step:
    """Step one automation."""
    sight = world.sight(program.watch.entity)
    if isinstance(event, Taken):
        after, why = _taken(program, state, event, world)
        return _told(program, after, why, sight, silently=event.silently)
    seen = _first_look(sight) if isinstance(event, Began) else event
    after, why = _step(program, state, seen, world, sight)
    return _told(program, after, why, sight)


def due_ms(program: Program, state: State, world: World) -> int | None:
    """When to step next although nothing was heard; None when only a reading can change
    it."""
    now = world.now_ms
    if state.phase is Phase.HOLDING:
        due = max(now, state.since_ms + program.watch.held_ms)
        patience = _patience_ms(program, state, world.sight(program.watch.entity))
        return due if patience is None or due - state.heard_ms <= patience else None
    if state.phase in (Phase.WAITING, Phase.ON):
        return program.only.next_change_ms(now, world.zone)
    return None


def lost_ms(program: Program, state: State, world: World) -> int | None:
    """From when on the value of what is on counts as no longer heard; None for never,
    or when that is known already."""
    if state.phase is not Phase.ON or state.blind:
        return None
    patience = _patience_ms(program, state, world.sight(program.watch.entity))
    return None if patience is None else state.heard_ms + patience + 1


def unmoved(program: Program, state: State, value: float, quality: Quality) -> bool:
    """Whether a value that is heard in time only becomes the latest one: it begins,
    breaks and ends nothing. Not for what is held, which time alone can start."""
    if quality >= Quality.STUCK or state.blind or state.phase is Phase.WAITING:
        return False
    compared = program.watch.comparison
    if state.phase is Phase.ON:
        return not compared.ends_with(value)
    return state.phase is Phase.IDLE and not compared.starts_with(value)


def _patience_ms(program: Program, state: State, sight: Sight) -> int | None:
    """How long the watched value may go unheard before it counts as unknown; None for
    ever."""
    if program.watch.kind.words is not None:
        # A door tells when it is opened, and then nothing for hours: it is known as
        # long as its node is.
        return None if sight.present else 0
    if sight.rhythm_ms:
        return round(sight.rhythm_ms)
    return None if state.phase is Phase.ON else UNKNOWN_RHYTHM_MS


def _first_look(sight: Sight) -> Event:
    if not sight.known or sight.silent or sight.quality >= Quality.STUCK:
        return Passed()
    return Seen(sight.value, sight.quality)


def _step(
    program: Program, state: State, event: Event, world: World, sight: Sight
) -> tuple[State, Why | None]:
    now, patience = world.now_ms, _patience_ms(program, state, sight)
    unheard = patience is not None and now - state.heard_ms > patience
    if isinstance(event, Seen) and event.value is not None and event.quality < Quality.STUCK:
        if unheard and state.phase in (Phase.HOLDING, Phase.WAITING):
            state = _idle(state, now)
        seen = replace(state, value=event.value, heard_ms=now, blind=False)
        return _decide(program, seen, world)
    if state.phase is Phase.ON:
        if unheard and not state.blind:
            return _lost(program, state, now)
    elif isinstance(event, Seen):
        # A bad value is no ground to act on. What is held must be seen all the while:
        # the hold begins again with the next good value.
        return replace(state if state.phase is Phase.IDLE else _idle(state, now), value=None), None
    elif unheard and state.phase is not Phase.IDLE:
        return state, None  # suspended
    return _decide(program, state, world)


def _decide(program: Program, state: State, world: World) -> tuple[State, Why | None]:
    watch, value, now = program.watch, state.value, world.now_ms
    compared = watch.comparison
    if value is None:
        return state, None
    held = now - state.since_ms
    if state.phase is Phase.ON:
        if not state.blind and compared.ends_with(value):
            return _idle(state, now), _ended(program, value, held, now)
        if not program.only.allows(now, world.zone):
            said = f"its hours were over, after {show_span(held)}"
            why = Why(EdgeKind.END, now, value, compared.limit, held, said)
            # The value still counts: it goes on when the hours come back, without a
            # second hold.
            begun = now - watch.held_ms
            return replace(state, phase=Phase.WAITING, since_ms=begun, blind=False), why
        return state, None
    if not compared.starts_with(value):
        return (state if state.phase is Phase.IDLE else _idle(state, now)), None
    if state.phase is Phase.IDLE:
        state = replace(state, phase=Phase.HOLDING, since_ms=now)
    held = now - state.since_ms
    if held < watch.held_ms:
        return state, None
    if not program.only.allows(now, world.zone):
        waits = state.phase is Phase.WAITING
        return (state if waits else replace(state, phase=Phase.WAITING)), None
    said = compared.seen(value, watch.kind)
    said += f", held for {show_span(held)}" if watch.held_ms else ""
    why = Why(EdgeKind.START, now, value, compared.limit, held, said)
    return replace(state, phase=Phase.ON, since_ms=now), why


def _ended(program: Program, value: float, held: int, now: int) -> Why:
    watch = program.watch
    compared, kind = watch.comparison, watch.kind
    target = compared.limit if compared.until is None else compared.until
    seen = show_value(value, kind)
    back = f"it is {seen}" if kind.words else f"{seen}, back past {show_limit(target, kind)}"
    return Why(EdgeKind.END, now, value, target, held, f"{back}, after {show_span(held)}")


def _taken(program: Program, state: State, event: Taken, world: World) -> tuple[State, Why | None]:
    if state.phase is not Phase.ON:
        return State(), None
    now, limit = world.now_ms, program.watch.comparison.limit
    held = now - state.since_ms
    seen = limit if state.value is None else state.value
    said = f"{event.because}, after {show_span(held)}"
    return State(), Why(EdgeKind.END, now, seen, limit, held, said)


def _lost(program: Program, state: State, now: int) -> tuple[State, Why]:
    watch, held = program.watch, now - state.since_ms
    limit = watch.comparison.limit
    seen = limit if state.value is None else state.value
    unheard = f"its value is no longer heard, for {show_span(now - state.heard_ms)}"
    if watch.lost is Lost.END:
        said = f"{unheard}; it ended after {show_span(held)}"
        why = Why(EdgeKind.END, now, seen, limit, held, said, lost=True)
        return replace(_idle(state, now), value=None), why
    why = Why(EdgeKind.LOST, now, seen, limit, held, f"{unheard}; it stays on", lost=True)
    return replace(state, blind=True), why


def _told(
    program: Program, state: State, why: Why | None, sight: Sight, *, silently: bool = False
) -> Step:
    """The step, with what is to be done at its edge. No effect waits for the one
    before: a notice about a mister is true whether or not the mister answers."""
    if why is None or silently:
        return Step(state, (), why)
    watch = program.watch
    fields = {
        "name": program.name,
        "entity": sight.spoken,
        "room": sight.room,
        "value": show_value(why.seen, watch.kind),
        "limit": show_limit(why.limit, watch.kind),
        "held": show_span(why.held_ms),
    }
    by_edge = {EdgeKind.START: program.starts, EdgeKind.END: program.ends}
    effects = [action.effect(fields) for action in by_edge.get(why.edge, ())]
    if why.lost:
        # Whoever is told of this automation is told that it cannot see any more; else
        # everybody.
        told = {a.to for a in (*program.starts, *program.ends) if isinstance(a, Notify)}
        to = {"everyone"} if not told or "everyone" in told else told
        title, text = f"{sight.spoken} is not heard", f"{program.name}: {why.text}"
        effects += [Tell(one, title, text) for one in sorted(to)]
    return Step(state, tuple(effects), why)


def _idle(state: State, now_ms: int) -> State:
    return replace(state, phase=Phase.IDLE, since_ms=now_ms, blind=False)
