"""One watched entity: idle, holding, so (on), and back. An automation that watches one
is this machine; one that watches several steps one for each.

    idle ──over the limit──> holding ──held long enough──> on ──back past until──> idle
                                └──but not allowed now──> waiting ──allowed──> on

Once on, it ends when its value ends it, or when the circumstances of `only` are over,
whichever comes first: what was switched on for the day is switched off in the evening.
A value that is bad, or not heard for too long, holds nothing: a hold waits for it and
begins again. What is on ends then, or stays, as `lost` says.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from msgspec.structs import replace

from hombi.core.automation.circumstances import ALWAYS, Circumstances
from hombi.core.automation.comparisons import Slope
from hombi.core.automation.momentary import due_momentary, step_momentary
from hombi.core.automation.state import (
    EdgeKind,
    Event,
    Passed,
    Phase,
    Seen,
    Sight,
    State,
    Why,
    World,
)
from hombi.core.automation.timed import due_timed, gone, is_now, step_timed
from hombi.core.automation.watch import Lost, Watch
from hombi.core.quality import Quality
from hombi.core.rhythm import WITH_ITS_NODE
from hombi.core.series.reading import Reading
from hombi.core.values import show_span

# How long the value may go unheard during a hold, while its rhythm is not known: at
# least so long, and as long as it did before.
UNKNOWN_RHYTHM_MS = 60_000


def step_part(
    watch: Watch,
    state: State,
    event: Event,
    world: World,
    sight: Sight,
    only: Circumstances = ALWAYS,
) -> tuple[State, Why | None]:
    """Step one watched entity."""
    if watch.timed:
        return step_timed(watch, state, event, world, sight, only)
    if watch.happens:
        return step_momentary(watch, state, event, world, only)
    if watch.slope is not None and isinstance(event, Seen):
        state, event = _measured(watch.slope, state, event, world.now_ms)
    now, patience = world.now_ms, _patience_ms(watch, state, sight)
    unheard = patience is not None and now - state.heard_ms > patience
    known = watch.now(world)
    if known is None:
        return _without_limit(watch, state, event, world, only, unheard=unheard)
    watch = known
    if isinstance(event, Seen) and event.value is not None and event.quality < Quality.STUCK:
        if unheard and state.phase in (Phase.HOLDING, Phase.WAITING):
            state = idle(state, now)
        seen = replace(state, value=event.value, heard_ms=now, blind=False)
        return _decide(watch, seen, world, only)
    if state.phase is Phase.ON:
        if unheard and not state.blind:
            return _lost(watch, state, now)
    elif isinstance(event, Seen):
        # A bad value is not a ground to act on. What is held must be seen all the
        # while: the hold begins again with the next good value.
        return replace(state if state.phase is Phase.IDLE else idle(state, now), value=None), None
    elif unheard:
        return state, None  # what was heard long ago begins nothing; a hold is suspended
    return _decide(watch, state, world, only)


def _without_limit(
    watch: Watch, state: State, event: Event, world: World, only: Circumstances, *, unheard: bool
) -> tuple[State, Why | None]:
    """Its limit follows a value that is not known: nothing begins, and what is on stays
    on for as long as its own value is heard."""
    now = world.now_ms
    if isinstance(event, Seen):
        good = event.value is not None and event.quality < Quality.STUCK
        if good:
            state = replace(state, value=event.value, heard_ms=now, blind=False)
        elif state.phase is not Phase.ON:
            state = replace(state, value=None)
        unheard = unheard and not good
    if state.phase is not Phase.ON:
        return (state if state.phase is Phase.IDLE else idle(state, now)), None
    if unheard and not state.blind:
        return _lost(watch, state, now)
    over = only.over(world)
    return _hours_over(watch, state, over, now) if over else (state, None)


def _measured(slope: Slope, state: State, event: Seen, now: int) -> tuple[State, Seen]:
    """How far the value has moved, in the place of the value."""
    if event.value is None or event.quality >= Quality.STUCK:
        return state, event
    past, moved = slope.moved(state.past, now, event.value)
    return replace(state, past=past), Seen(moved, event.quality, event.entity)


def due_part(
    watch: Watch, state: State, world: World, sight: Sight, only: Circumstances = ALWAYS
) -> int | None:
    """When to step next although nothing was heard; None when only a reading can change
    it."""
    if watch.timed:
        return due_timed(watch, state, world, sight, only)
    if watch.happens:
        return due_momentary(watch, state, world, only)
    now = world.now_ms
    if state.phase is Phase.HOLDING:
        due = max(now, state.since_ms + watch.held_ms)
        patience = _patience_ms(watch, state, sight)
        return due if patience is None or due - state.heard_ms <= patience else None
    if state.phase is Phase.IDLE:
        return None
    change = only.next_change_ms(world, on=state.phase is Phase.ON)
    if not state.back_ms:
        return change
    back = state.back_ms + watch.until_held_ms
    return back if change is None else min(back, change)


def lost_part(watch: Watch, state: State, sight: Sight) -> int | None:
    """From when on the value of what is on counts as no longer heard; None for never,
    or when that is known already."""
    if watch.timed:
        return 0 if gone(watch, state, sight) else None
    if state.phase is not Phase.ON or state.blind or watch.happens:
        return None
    patience = _patience_ms(watch, state, sight)
    return None if patience is None else state.heard_ms + patience + 1


def unmoved(watch: Watch, state: State, reading: Reading, sight: Callable[[], Sight]) -> bool:
    """Whether a reading that comes before anything is due only becomes the latest one:
    it begins, breaks and ends nothing. For one whose limit is a value; not for what is
    held, which time alone can start."""
    value, phase = reading.value, state.phase
    if watch.happens:
        return False
    if value is None or reading.quality >= Quality.STUCK or state.blind:
        return False
    if phase is Phase.IDLE:
        return not watch.comparison.starts_with(value)
    if phase is Phase.ON:
        return not (state.back_ms or watch.comparison.ends_with(value))
    if phase is Phase.WAITING and watch.comparison.starts_with(value):
        patience = _patience_ms(watch, state, sight())
        return patience is None or reading.at_ms - state.heard_ms <= patience
    return False


def is_so(watch: Watch, sight: Sight, world: World) -> bool:
    """Whether an entity is so now; one that is bad or not heard is not."""
    if watch.timed:
        return is_now(watch, sight, world)
    if watch.happens:
        return False
    if not sight.known or sight.unheard(world.now_ms):
        return False
    if sight.value is None or sight.quality >= Quality.STUCK:
        return False
    known = watch.now(world)
    return known is not None and known.comparison.starts_with(sight.value)


def limit_of(watch: Watch, world: World) -> float:
    """The limit of this moment; 0 where it follows a value that is not known."""
    known = watch.now(world)
    limit = math.nan if known is None else known.comparison.limit
    return limit if math.isfinite(limit) else 0.0


def first_look(watch: Watch, sight: Sight) -> Event:
    """What is known of an entity, as if it had just been heard; what has happened is
    over."""
    if watch.happens or not sight.known or sight.silent or sight.quality >= Quality.STUCK:
        return Passed()
    return Seen(sight.value, sight.quality, watch.entity)


def idle(state: State, now_ms: int) -> State:
    """Nothing is so any more."""
    return replace(state, phase=Phase.IDLE, since_ms=now_ms, blind=False, back_ms=0)


def _patience_ms(watch: Watch, state: State, sight: Sight) -> int | None:
    """How long the watched value may go unheard before it counts as unknown; None for
    ever."""
    if not watch.kind.a_number or sight.rhythm_ms == WITH_ITS_NODE:
        # A door tells when it is opened, and then nothing for hours: it is known as
        # long as its node is.
        return None if sight.present else 0
    if sight.rhythm_ms:
        return round(sight.rhythm_ms)
    if state.phase is Phase.ON:
        return None
    return max(UNKNOWN_RHYTHM_MS, round(sight.so_far_ms))


def _decide(
    watch: Watch, state: State, world: World, only: Circumstances
) -> tuple[State, Why | None]:
    value, now = state.value, world.now_ms
    compared = watch.comparison
    if value is None:
        return state, None
    held = now - state.since_ms
    if state.phase is Phase.ON:
        back = not state.blind and compared.ends_with(value)
        if back and now - (state.back_ms or now) >= watch.until_held_ms:
            return idle(state, now), _ended(watch, value, held, now)
        if over := only.over(world):
            return _hours_over(watch, state, over, now)
        return replace(state, back_ms=(state.back_ms or now) if back else 0), None
    if not compared.starts_with(value):
        return (state if state.phase is Phase.IDLE else idle(state, now)), None
    if state.phase is Phase.IDLE:
        state = replace(state, phase=Phase.HOLDING, since_ms=now)
    held = now - state.since_ms
    if held < watch.held_ms:
        return state, None
    if not only.allow_start(world):
        waits = state.phase is Phase.WAITING
        return (state if waits else replace(state, phase=Phase.WAITING)), None
    said = (_begun, watch, value, held)
    why = Why(EdgeKind.START, now, value, compared.limit, held, said, entity=watch.entity)
    return replace(state, phase=Phase.ON, since_ms=now), why


def _begun(watch: Watch, value: float, held: int) -> str:
    sentence = watch.comparison.seen(value, watch.kind)
    return sentence + (f", held for {show_span(held)}" if watch.held_ms else "")


def _hours_over(watch: Watch, state: State, over: str, now: int) -> tuple[State, Why]:
    """It is on, and may not be any more. A value beyond the limit still counts: it goes
    on when the circumstances come back, without a second hold. One that is back, and
    has not reached `until`, begins nothing."""
    held, limit = now - state.since_ms, watch.comparison.limit
    limit = limit if math.isfinite(limit) else 0.0
    seen = limit if state.value is None else state.value
    sentence = f"{over}, after {show_span(held)}"
    why = Why(EdgeKind.END, now, seen, limit, held, sentence, entity=watch.entity)
    begun = now - watch.held_ms
    if state.value is None or not watch.comparison.starts_with(state.value):
        return idle(state, now), why
    waiting = replace(state, phase=Phase.WAITING, since_ms=begun, blind=False, back_ms=0)
    return waiting, why


def _ended(watch: Watch, value: float, held: int, now: int) -> Why:
    compared = watch.comparison
    target = compared.limit if compared.until is None else compared.until
    said = (_over, watch, value, target, held)
    return Why(EdgeKind.END, now, value, target, held, said, entity=watch.entity)


def _over(watch: Watch, value: float, target: float, held: int) -> str:
    back = watch.comparison.ended(value, target, watch.kind)
    back += f", for {show_span(watch.until_held_ms)}" if watch.until_held_ms else ""
    return f"{back}, after {show_span(held)}"


def _lost(watch: Watch, state: State, now: int) -> tuple[State, Why]:
    held, limit = now - state.since_ms, watch.comparison.limit
    limit = limit if math.isfinite(limit) else 0.0
    seen = limit if state.value is None else state.value
    unheard = f"its value is no longer heard, for {show_span(now - state.heard_ms)}"
    ends = watch.lost is Lost.END
    edge = EdgeKind.END if ends else EdgeKind.LOST
    then = f"it ended after {show_span(held)}" if ends else "it stays on"
    text = f"{unheard}; {then}"
    why = Why(edge, now, seen, limit, held, text, lost=True, entity=watch.entity)
    after = replace(idle(state, now), value=None) if ends else replace(state, blind=True, back_ms=0)
    return after, why
