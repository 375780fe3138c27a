"""The state machine of one automation. Live operation, rehearsal and replay all step this one.

    idle ──value on the side that counts──> holding ──held long enough──> on ──back past until──> idle
                                               └──but not allowed now──> waiting ──allowed──> on
Once on, it ends when its value ends it, or when the circumstances of `only` are over, whichever comes first: what was
switched on for the day is switched off in the evening.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import tzinfo
from enum import StrEnum

from hombi.core.automation.model import Automation
from hombi.core.values import show_limit, show_span, show_value


class Phase(StrEnum):
    """Where an automation stands."""

    IDLE = "idle"
    HOLDING = "holding"
    WAITING = "waiting"
    ON = "on"


@dataclass(frozen=True, slots=True)
class State:
    """The whole state of an automation. `since_ms` is when the phase (for waiting: the hold before it) began."""

    phase: Phase = Phase.IDLE
    since_ms: int = 0
    value: float | None = None


@dataclass(frozen=True, slots=True)
class Why:
    """The account of one decision: what was seen, what it was compared with, and how long it had been so."""

    seen: float
    limit: float
    held_ms: int
    text: str


@dataclass(frozen=True, slots=True)
class Edge:
    """The start or the end of a watched state."""

    starts: bool
    at_ms: int
    why: Why


def step(automation: Automation, state: State, now_ms: int, zone: tzinfo, value: float | None = None) -> tuple[State, Edge | None]:
    """The next state, and the edge that was crossed, if one was.

    `value` is a new good reading in the unit of the kind; without one only time has passed. `now_ms` is in ms since 1970.
    """
    watch = automation.watch
    if value is None:
        value = state.value
    if value is None:
        return state, None
    if value != state.value:
        state = replace(state, value=value)
    if state.phase is Phase.ON:
        held = now_ms - state.since_ms
        if watch.ends_with(value):
            return State(Phase.IDLE, now_ms, value), Edge(False, now_ms, _why(automation, value, held, starts=False))
        if not automation.only.allows(now_ms, zone):
            why = Why(value, watch.limit, held, f"its hours were over, after {show_span(held)}")
            # The value still counts: it goes on when the hours come back, without a second hold.
            return State(Phase.WAITING, now_ms - watch.held_ms, value), Edge(False, now_ms, why)
        return state, None
    if not watch.starts_with(value):
        return (state if state.phase is Phase.IDLE else State(Phase.IDLE, now_ms, value)), None
    if state.phase is Phase.IDLE:
        state = State(Phase.HOLDING, now_ms, value)
    held = now_ms - state.since_ms
    if held < watch.held_ms:
        return state, None
    if not automation.only.allows(now_ms, zone):
        return (state if state.phase is Phase.WAITING else replace(state, phase=Phase.WAITING)), None
    return State(Phase.ON, now_ms, value), Edge(True, now_ms, _why(automation, value, held, starts=True))


def due_ms(automation: Automation, state: State, now_ms: int, zone: tzinfo) -> int | None:
    """When to step next although nothing was heard, in ms since 1970; None when only a reading can change it."""
    if state.phase is Phase.HOLDING:
        return max(now_ms, state.since_ms + automation.watch.held_ms)
    if state.phase in (Phase.WAITING, Phase.ON):
        return automation.only.next_change_ms(now_ms, zone)
    return None


def _why(automation: Automation, value: float, held_ms: int, *, starts: bool) -> Why:
    watch = automation.watch
    seen = show_value(value, watch.kind)
    if starts:
        limit = "" if watch.kind.words else f" {show_limit(watch.limit, watch.kind)}"
        compared = f"{seen} {watch.condition}{limit}" if limit else f"it is {seen}"
        return Why(value, watch.limit, held_ms, compared + (f", held for {show_span(held_ms)}" if watch.held_ms else ""))
    target = watch.until if watch.until is not None else watch.limit
    back = f"it is {seen}" if watch.kind.words else f"{seen}, back past {show_limit(target, watch.kind)}"
    return Why(value, target, held_ms, f"{back}, after {show_span(held_ms)}")
