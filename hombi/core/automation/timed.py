"""The machine of what depends on the time that has passed: `silent` and `changes`.

    idle ──so──> on ──so no more──> idle   (waiting, while it is so and not allowed)

`heard_ms` of the state is from when the time counts: the last change, or when it was
heard last.
"""

from __future__ import annotations

from msgspec.structs import replace

from hombi.core.automation.circumstances import ALWAYS, Circumstances
from hombi.core.automation.comparisons import Silent, Timed
from hombi.core.automation.state import EdgeKind, Event, Phase, Sight, State, Why, World
from hombi.core.automation.watch import Watch
from hombi.core.values import show_span


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
    state = compared.heard(state, event, sight, now)
    so, held = compared.is_so(watch.kind, state, sight, now), now - state.since_ms
    if state.phase is Phase.ON:
        over = only.over(world)
        if so and not over:
            return state, None
        phase = Phase.WAITING if so else Phase.IDLE
        text = f"{over or compared.over}, after {show_span(held)}"
        return replace(state, phase=phase, since_ms=now), _why(
            watch, EdgeKind.END, state, now, held, text
        )
    if not so:
        idle = state.phase is Phase.IDLE
        return (state if idle else replace(state, phase=Phase.IDLE, since_ms=now)), None
    if not only.allow_start(world):
        waits = state.phase is Phase.WAITING
        return (state if waits else replace(state, phase=Phase.WAITING, since_ms=now)), None
    text = compared.started(watch.kind, state, now)
    why = _why(watch, EdgeKind.START, state, now, 0, text)
    return replace(state, phase=Phase.ON, since_ms=now), why


def due_timed(
    watch: Watch, state: State, world: World, sight: Sight, only: Circumstances = ALWAYS
) -> int | None:
    """When to step next although nothing was heard."""
    compared = _compared(watch)
    so = compared.is_so(watch.kind, state, sight, world.now_ms)
    moments = [compared.turns_ms(watch.kind, state, sight, so=so)]
    if so:
        moments.append(only.next_change_ms(world, on=state.phase is Phase.ON))
    return min((moment for moment in moments if moment is not None), default=None)


def gone(watch: Watch, state: State, sight: Sight) -> bool:
    """Whether the node of one with two states is gone, and it was not seen yet: nothing
    is due then, for such a one may say nothing for days."""
    compared = watch.comparison
    usual = isinstance(compared, Silent) and compared.goes_with_its_node(watch.kind, sight)
    return usual and sight.silent and state.phase is Phase.IDLE


def is_now(watch: Watch, sight: Sight, world: World) -> bool:
    """Whether what is asked of the time that has passed is so now."""
    state = State(heard_ms=sight.heard_ms)
    return _compared(watch).is_so(watch.kind, state, sight, world.now_ms)


def _compared(watch: Watch) -> Timed:
    assert isinstance(watch.comparison, Timed)
    return watch.comparison


def _why(watch: Watch, edge: EdgeKind, state: State, now: int, held: int, text: str) -> Why:
    seen = 0.0 if state.value is None else state.value
    return Why(edge, now, seen, 0.0, held, text, entity=watch.entity)
