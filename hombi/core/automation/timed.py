"""The machine of what depends on the time that has passed: `silent` and `changes`.

    idle ──so──> on ──so no more──> idle   (waiting, while it is so and not allowed)

`heard_ms` of the state is from when the time counts: the last change, or when it was
heard last.
"""

from __future__ import annotations

from msgspec.structs import replace

from hombi.core.automation.circumstances import ALWAYS, Circumstances
from hombi.core.automation.comparisons.timed import Changes, Timed
from hombi.core.automation.state import EdgeKind, Event, Phase, Seen, Sight, State, Why, World
from hombi.core.automation.watch import Watch
from hombi.core.quality import Quality
from hombi.core.rhythm import WITH_ITS_NODE
from hombi.core.values import show_span, show_value


def step_timed(
    watch: Watch,
    state: State,
    event: Event,
    world: World,
    sight: Sight,
    only: Circumstances = ALWAYS,
) -> tuple[State, Why | None]:
    """Step one watched entity."""
    compared, now = _compared(watch), world.now_ms
    state = _heard(compared, state, event, sight, now)
    so, held = _is_so(watch, compared, state, sight, now), now - state.since_ms
    if state.phase is Phase.ON:
        over = only.over(world)
        if so and not over:
            return state, None
        sentence = over or (
            "it is heard again" if compared.word == "silent" else "it stays the same"
        )
        phase = Phase.WAITING if so else Phase.IDLE
        why = _why(watch, EdgeKind.END, state, now, held, f"{sentence}, after {show_span(held)}")
        return replace(state, phase=phase, since_ms=now), why
    if not so:
        idle = state.phase is Phase.IDLE
        return (state if idle else replace(state, phase=Phase.IDLE, since_ms=now)), None
    if not only.allow_start(world):
        waits = state.phase is Phase.WAITING
        return (state if waits else replace(state, phase=Phase.WAITING, since_ms=now)), None
    why = _why(watch, EdgeKind.START, state, now, 0, _seen(watch, compared, state, now))
    return replace(state, phase=Phase.ON, since_ms=now), why


def due_timed(
    watch: Watch, state: State, world: World, sight: Sight, only: Circumstances = ALWAYS
) -> int | None:
    """When to step next although nothing was heard."""
    compared, now = _compared(watch), world.now_ms
    so = _is_so(watch, compared, state, sight, now)
    if compared.word == "silent":
        patience = _patience_ms(watch, compared, sight)
        seen = state.phase is not Phase.IDLE
        turns = None if patience is None or (so and seen) else state.heard_ms + patience
    else:
        turns = state.heard_ms + compared.span_ms if so else None
    moments = [one for one in (turns,) if one is not None]
    if so and (change := only.next_change_ms(world, on=state.phase is Phase.ON)) is not None:
        moments.append(change)
    return min(moments, default=None)


def gone(watch: Watch, state: State, sight: Sight) -> bool:
    """Whether the node of one with two states is gone, and it was not seen yet: nothing
    is due then, for such a one may say nothing for days."""
    compared = _compared(watch)
    usual = compared.word == "silent" and not compared.span_ms and _with_its_node(watch, sight)
    return usual and sight.silent and state.phase is Phase.IDLE


def silent_now(watch: Watch, sight: Sight, world: World) -> bool:
    """Whether an entity is silent now."""
    state = State(heard_ms=sight.heard_ms)
    return _is_so(watch, _compared(watch), state, sight, world.now_ms)


def _compared(watch: Watch) -> Timed:
    assert isinstance(watch.comparison, Timed)
    return watch.comparison


def _heard(compared: Timed, state: State, event: Event, sight: Sight, now: int) -> State:
    """With the last change, or with when it was heard last."""
    seen = isinstance(event, Seen) and event.value is not None and event.quality < Quality.STUCK
    if isinstance(compared, Changes):
        if not seen:
            return state
        value = event.value  # type: ignore[union-attr]
        changed = state.value is not None and value != state.value
        return replace(state, value=value, heard_ms=now if changed else state.heard_ms)
    if isinstance(event, Seen):
        value = event.value if seen else state.value
        return replace(state, value=value, heard_ms=now)
    # What was never heard counts from when it was looked for first.
    heard = max(state.heard_ms, sight.heard_ms) or now
    return state if heard == state.heard_ms else replace(state, heard_ms=heard)


def _is_so(watch: Watch, compared: Timed, state: State, sight: Sight, now: int) -> bool:
    if isinstance(compared, Changes):
        return state.heard_ms > 0 and now - state.heard_ms < compared.span_ms
    if _with_its_node(watch, sight) and not compared.span_ms:
        return sight.silent
    patience = _patience_ms(watch, compared, sight)
    return patience is not None and state.heard_ms > 0 and now - state.heard_ms >= patience


def _patience_ms(watch: Watch, compared: Timed, sight: Sight) -> int | None:
    """How long it may go unheard; None while that is not known."""
    if compared.span_ms:
        return compared.span_ms
    if _with_its_node(watch, sight) or not sight.rhythm_ms:
        return None
    return round(sight.rhythm_ms) + 1


def _with_its_node(watch: Watch, sight: Sight) -> bool:
    """Whether it is as fresh as its node."""
    return watch.kind.words is not None or sight.rhythm_ms == WITH_ITS_NODE


def _seen(watch: Watch, compared: Timed, state: State, now: int) -> str:
    if isinstance(compared, Changes):
        return (
            "it changed"
            if state.value is None
            else (f"it changed to {show_value(state.value, watch.kind)}")
        )
    return f"it was not heard for {show_span(now - state.heard_ms)}"


def _why(watch: Watch, edge: EdgeKind, state: State, now: int, held: int, text: str) -> Why:
    seen = 0.0 if state.value is None else state.value
    return Why(edge, now, seen, 0.0, held, text, entity=watch.entity)
