"""The state machine of one automation. Live operation, rehearsal and replay all step
this one.

    idle ──over the limit──> holding ──held long enough──> on ──back past until──> idle
                                └──but not allowed now──> waiting ──allowed──> on

Once on, it ends when its value ends it, or when the circumstances of `only` are over,
whichever comes first: what was
switched on for the day is switched off in the evening. A value that is bad,
or not heard for too long, holds nothing: a
hold waits for it and begins anew. What is on ends then, or stays, as `lost` says.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import tzinfo
from enum import StrEnum

from hombi.core.automation.model import Automation, Lost
from hombi.core.values import show_limit, show_span, show_value


class Phase(StrEnum):
    """Where an automation stands."""

    IDLE = "idle"
    HOLDING = "holding"
    WAITING = "waiting"
    ON = "on"


@dataclass(frozen=True, slots=True)
class State:
    """The whole state of an automation. `since_ms` is when the phase (for waiting: the
    hold before it) began, `heard_ms` when a good value was heard last, `blind` that it
    stays on although its value is not to be seen."""

    phase: Phase = Phase.IDLE
    since_ms: int = 0
    value: float | None = None
    heard_ms: int = 0
    blind: bool = False


@dataclass(frozen=True, slots=True)
class Why:
    """The account of one decision: what was seen, what it was compared with, and how
    long it had been so."""

    seen: float
    limit: float
    held_ms: int
    text: str


class EdgeKind(StrEnum):
    """What an edge is: the start or the end of a watched state, or that one that is on
    cannot be seen any more."""

    START = "start"
    END = "end"
    LOST = "lost"


@dataclass(frozen=True, slots=True)
class Edge:
    """A start, an end, or a loss. `lost` says that an end came of a loss."""

    kind: EdgeKind
    at_ms: int
    why: Why
    lost: bool = False

    @property
    def starts(self) -> bool:
        """Whether it is a start."""
        return self.kind is EdgeKind.START


def step(
    automation: Automation,
    state: State,
    now_ms: int,
    zone: tzinfo,
    value: float | None = None,
    *,
    bad: bool = False,
    patience_ms: int | None = None,
) -> tuple[State, Edge | None]:
    """The next state, and the edge that was crossed, if one was.

    `value` is a new good reading in the unit of the kind; `bad` says that one came that
    is no ground to act on; without either only time has passed. `patience_ms` is how
    long the value may go unheard before it counts as unknown, None for ever. `now_ms`
    is in ms since 1970.
    """
    unheard = patience_ms is not None and now_ms - state.heard_ms > patience_ms
    if value is None:
        if state.phase is Phase.ON:
            if unheard and not state.blind:
                return _lost(automation, state, now_ms)
        elif bad:
            # What is held must be seen all the while: the hold begins anew with the
            # next good value.
            if state.phase is not Phase.IDLE:
                state = _idle(state, now_ms)
            return replace(state, value=None), None
        elif unheard and state.phase is not Phase.IDLE:
            return state, None  # suspended
        return _decide(automation, state, now_ms, zone)
    if unheard and state.phase in (Phase.HOLDING, Phase.WAITING):
        state = _idle(state, now_ms)
    return _decide(
        automation, replace(state, value=value, heard_ms=now_ms, blind=False), now_ms, zone
    )


def _decide(
    automation: Automation, state: State, now_ms: int, zone: tzinfo
) -> tuple[State, Edge | None]:
    watch, value = automation.watch, state.value
    if value is None:
        return state, None
    if state.phase is Phase.ON:
        held = now_ms - state.since_ms
        if not state.blind and watch.ends_with(value):
            return _idle(state, now_ms), Edge(
                EdgeKind.END, now_ms, _why(automation, value, held, starts=False)
            )
        if not automation.only.allows(now_ms, zone):
            why = Why(value, watch.limit, held, f"its hours were over, after {show_span(held)}")
            # The value still counts: it goes on when the hours come back, without a
            # second hold.
            after = replace(
                state, phase=Phase.WAITING, since_ms=now_ms - watch.held_ms, blind=False
            )
            return after, Edge(EdgeKind.END, now_ms, why)
        return state, None
    if not watch.starts_with(value):
        return (state if state.phase is Phase.IDLE else _idle(state, now_ms)), None
    if state.phase is Phase.IDLE:
        state = replace(state, phase=Phase.HOLDING, since_ms=now_ms)
    held = now_ms - state.since_ms
    if held < watch.held_ms:
        return state, None
    if not automation.only.allows(now_ms, zone):
        return (
            state if state.phase is Phase.WAITING else replace(state, phase=Phase.WAITING)
        ), None
    after = replace(state, phase=Phase.ON, since_ms=now_ms)
    return after, Edge(EdgeKind.START, now_ms, _why(automation, value, held, starts=True))


def ended(
    automation: Automation, state: State, now_ms: int, because: str
) -> tuple[State, Edge | None]:
    """The end that comes from outside (it is taken off duty, removed, or watches
    something else now); no edge unless it is on."""
    if state.phase is not Phase.ON:
        return State(), None
    held = now_ms - state.since_ms
    seen = automation.watch.limit if state.value is None else state.value
    return State(), Edge(
        EdgeKind.END,
        now_ms,
        Why(seen, automation.watch.limit, held, f"{because}, after {show_span(held)}"),
    )


def due_ms(
    automation: Automation,
    state: State,
    now_ms: int,
    zone: tzinfo,
    *,
    patience_ms: int | None = None,
) -> int | None:
    """When to step next although nothing was heard, in ms since 1970; None when only a
    reading can change it."""
    if state.phase is Phase.HOLDING:
        due = max(now_ms, state.since_ms + automation.watch.held_ms)
        return due if patience_ms is None or due - state.heard_ms <= patience_ms else None
    if state.phase in (Phase.WAITING, Phase.ON):
        return automation.only.next_change_ms(now_ms, zone)
    return None


def _idle(state: State, now_ms: int) -> State:
    return replace(state, phase=Phase.IDLE, since_ms=now_ms, blind=False)


def _lost(automation: Automation, state: State, now_ms: int) -> tuple[State, Edge]:
    watch, held = automation.watch, now_ms - state.since_ms
    seen = watch.limit if state.value is None else state.value
    unheard = f"its value is not heard any more, for {show_span(now_ms - state.heard_ms)}"
    if watch.lost is Lost.END:
        why = Why(seen, watch.limit, held, f"{unheard}; it ended after {show_span(held)}")
        return replace(_idle(state, now_ms), value=None), Edge(EdgeKind.END, now_ms, why, lost=True)
    why = Why(seen, watch.limit, held, f"{unheard}; it stays on")
    return replace(state, blind=True), Edge(EdgeKind.LOST, now_ms, why, lost=True)


def _why(automation: Automation, value: float, held_ms: int, *, starts: bool) -> Why:
    watch = automation.watch
    seen = show_value(value, watch.kind)
    if starts:
        limit = "" if watch.kind.words else f" {show_limit(watch.limit, watch.kind)}"
        compared = f"{seen} {watch.condition}{limit}" if limit else f"it is {seen}"
        return Why(
            value,
            watch.limit,
            held_ms,
            compared + (f", held for {show_span(held_ms)}" if watch.held_ms else ""),
        )
    target = watch.until if watch.until is not None else watch.limit
    back = (
        f"it is {seen}"
        if watch.kind.words
        else f"{seen}, back past {show_limit(target, watch.kind)}"
    )
    return Why(value, target, held_ms, f"{back}, after {show_span(held_ms)}")
