"""The machine of what happens and does not last: a press, a ring. Each time it happens,
or each so many times within a while, the automation starts; with `lasts` it is on for
so long after that.

    idle ──it happens──> idle          idle ──it happens──> on ──lasts is over──> idle
"""

from __future__ import annotations

from msgspec.structs import replace

from hombi.core.automation.circumstances import ALWAYS, Circumstances
from hombi.core.automation.state import EdgeKind, Event, Phase, Seen, State, Why, World
from hombi.core.automation.watch import Watch
from hombi.core.quality import Quality
from hombi.core.values import show_span, show_value


def step_momentary(
    watch: Watch, state: State, event: Event, world: World, only: Circumstances = ALWAYS
) -> tuple[State, Why | None]:
    """Step one watched entity. The reading that is given with `Seen` is the only thing
    that starts it: what happened before it was looked at is over."""
    now = world.now_ms
    known = watch.now(world)
    if isinstance(event, Seen) and event.value is not None and event.quality < Quality.STUCK:
        state = replace(state, value=event.value, heard_ms=now)
        happens = known is not None and known.comparison.starts_with(event.value)
        if happens:
            state, happens = _often_enough(watch, state, now)
        if known is not None and happens and only.allow_start(world):
            phase = Phase.ON if watch.lasts_ms else Phase.IDLE
            text = f"it sent {show_value(event.value, watch.kind)}"
            text += f", {watch.times} times" if watch.times > 1 else ""
            why = Why(
                EdgeKind.START, now, event.value, known.comparison.limit, 0, text,
                entity=watch.entity,
            )  # fmt: skip
            return replace(state, phase=phase, since_ms=now), why
    if state.phase is not Phase.ON:
        return state, None
    held, over = now - state.since_ms, only.over(world)
    if held < watch.lasts_ms and not over:
        return state, None
    text = f"{over}, after {show_span(held)}" if over else f"after {show_span(held)}"
    seen = 0.0 if state.value is None else state.value
    why = Why(EdgeKind.END, now, seen, 0.0, held, text, entity=watch.entity)
    return replace(state, phase=Phase.IDLE, since_ms=now), why


def _often_enough(watch: Watch, state: State, now: int) -> tuple[State, bool]:
    """The state with one more time, and whether it has come as often as it must; then
    it is counted anew."""
    if watch.times == 1:
        return state, True
    recent = [(at_ms, value) for at_ms, value in state.past if now - at_ms <= watch.times_ms]
    recent.append((now, 1.0))
    enough = len(recent) >= watch.times
    return replace(state, past=() if enough else tuple(recent)), enough


def due_momentary(
    watch: Watch, state: State, world: World, only: Circumstances = ALWAYS
) -> int | None:
    """When to step next although nothing was heard."""
    if state.phase is not Phase.ON:
        return None
    ends = state.since_ms + watch.lasts_ms
    change = only.next_change_ms(world, on=True)
    return ends if change is None else min(ends, change)
