"""What the state machine of automations is stepped with, what it sees, and what comes
of a step."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import tzinfo
from enum import StrEnum
from typing import Any, NamedTuple, Protocol

import msgspec
from msgspec.structs import replace

from hombi.core.automation.effects import Effect
from hombi.core.quality import Quality


class Phase(StrEnum):
    """Where an automation stands."""

    IDLE = "idle"
    HOLDING = "holding"
    WAITING = "waiting"
    ON = "on"


class Waiting(msgspec.Struct, frozen=True, tag="actions"):
    """The rest of the actions of an edge, which are to be done at a moment. They go on
    behind the step whose key is `at` ("" for all of them); with `until` that step is
    what they wait for, till that moment at most."""

    due_ms: int
    edge: str
    at: str = ""
    fields: dict[str, str] = {}
    until: bool = False


class GoesBack(msgspec.Struct, frozen=True, tag="back"):
    """An entity that goes back to a value at a moment."""

    due_ms: int
    entity: str
    to: float


class State(msgspec.Struct, frozen=True):
    """The whole state of an automation.

    `since_ms` is when the phase (for waiting: the hold before it) began, `heard_ms`
    when a good value was heard last, `blind` that it stays on although its value is not
    to be seen. `parts` are the states of the several that it watches, where it does.
    `waits` is what is still to be done, `started_ms` when it started last, `reminded`
    how often each reminder was given since. `back_ms` is since when what is on is back,
    and not for long enough yet. `past` are values of before, each with its time, where
    it counts how far one has moved. `by_hand` are the entities that a person set since
    it started: it leaves them alone until it starts anew.
    """

    phase: Phase = Phase.IDLE
    since_ms: int = 0
    value: float | None = None
    heard_ms: int = 0
    blind: bool = False
    parts: tuple[State, ...] = ()
    waits: tuple[Waiting | GoesBack, ...] = ()
    started_ms: int = 0
    reminded: tuple[int, ...] = ()
    back_ms: int = 0
    past: tuple[tuple[int, float], ...] = ()
    by_hand: tuple[str, ...] = ()

    @property
    def standing(self) -> tuple[object, ...]:
        """What is worth keeping when it changes: all but the values and when they were
        heard."""
        parts = tuple(part.standing for part in self.parts)
        own = (self.phase, self.since_ms, self.blind, self.back_ms)
        return *own, self.waits, self.reminded, self.by_hand, parts

    def shifted(self, by_ms: int) -> State:
        """The same by a clock that was set."""

        def moved(at_ms: int) -> int:
            return at_ms + by_ms if at_ms else 0

        return replace(
            self,
            since_ms=moved(self.since_ms),
            heard_ms=moved(self.heard_ms),
            started_ms=moved(self.started_ms),
            back_ms=moved(self.back_ms),
            past=tuple((moved(at_ms), value) for at_ms, value in self.past),
            parts=tuple(part.shifted(by_ms) for part in self.parts),
            waits=tuple(replace(wait, due_ms=moved(wait.due_ms)) for wait in self.waits),
        )


# What an automation is stepped with


class Seen(msgspec.Struct, frozen=True):
    """An entity has a new reading (the first one that it watches, unless another is
    named); a value of None is no value."""

    value: float | None
    quality: Quality = Quality.GOOD
    entity: str = ""


@dataclass(frozen=True, slots=True)
class Began:
    """It is new, or on duty again: it looks at what is known now, and does not wait for
    the next reading."""


@dataclass(frozen=True, slots=True)
class Passed:
    """Time has passed, and nothing was heard."""


@dataclass(frozen=True, slots=True)
class Acknowledged:
    """Somebody has seen to it: it reminds nobody any more, until it starts again."""


@dataclass(frozen=True, slots=True)
class Handled:
    """A person has set an entity, at the node or from afar."""

    entity: str


@dataclass(frozen=True, slots=True)
class Taken:
    """It is taken off duty, removed, or watches something else now: the reason, in
    words. `silently` leaves what it switched as it is."""

    because: str
    silently: bool = False


Event = Seen | Began | Passed | Acknowledged | Handled | Taken


class Sight(NamedTuple):
    """What is known of one entity. `present` says whether its node is heard;
    `rhythm_ms` is how long it may usually go unheard, 0 while that is not known and
    infinite where it is as fresh as its node; `heard_ms` is when it (or then its node)
    was heard last, 0 for never; `so_far_ms` is how long it has gone unheard up to now,
    with a margin, for as long as its rhythm is not known."""

    value: float | None = None
    quality: Quality = Quality.GOOD
    known: bool = False
    present: bool = True
    silent: bool = False
    rhythm_ms: float = 0.0
    heard_ms: int = 0
    so_far_ms: float = 0.0

    def unheard(self, now_ms: int) -> bool:
        """Whether it is silent: its hub says so, or will with its next look."""
        overdue = 0 < self.rhythm_ms < now_ms - self.heard_ms
        return self.silent or (overdue and self.heard_ms > 0)

    @property
    def fades_ms(self) -> int | None:
        """From when on it counts as silent if nothing is heard; None for never by
        itself, and for what is silent."""
        if self.silent or not self.heard_ms or not 0 < self.rhythm_ms < math.inf:
            return None
        return self.heard_ms + round(self.rhythm_ms) + 1


class Called(NamedTuple):
    """What people call one entity, and its room."""

    spoken: str
    room: str = ""


class World(Protocol):
    """What an automation sees. Times are ms since 1970."""

    @property
    def now_ms(self) -> int: ...

    @property
    def zone(self) -> tzinfo: ...

    @property
    def time_known(self) -> bool:
        """Whether the time is right, and not only what has passed since something."""

    @property
    def obeyed(self) -> bool:
        """Whether what is switched counts as confirmed: in a past, nobody was asked."""

    def sight(self, entity: str) -> Sight:
        """What is known of an entity now."""

    def called(self, entity: str) -> Called:
        """What it is called; apart from the sight, since only texts ask for it."""


class EdgeKind(StrEnum):
    """What an edge is: the start or the end of a watched state, or that one that is on
    cannot be seen any more."""

    START = "start"
    END = "end"
    LOST = "lost"


class Why(msgspec.Struct, frozen=True):
    """The account of one decision: which edge it was, what was seen, what it was
    compared with, and how long it had been so. `said` says it in words, or is who says
    it and of what: what is to be switched does not wait for that. `lost` says that it
    came of a value that is no longer heard."""

    edge: EdgeKind
    at_ms: int
    seen: float
    limit: float
    held_ms: int
    said: str | tuple[Any, ...]
    lost: bool = False
    # The entity that decided, where several are watched.
    entity: str = ""

    @property
    def text(self) -> str:
        """It in words."""
        if isinstance(self.said, str):
            return self.said
        says, *words = self.said
        return str(says(*words))


class Step(NamedTuple):
    """What a step came to: the next state, what is to be done, and why; no `why` where
    nothing was decided."""

    state: State
    effects: tuple[Effect, ...] = ()
    why: Why | None = None
