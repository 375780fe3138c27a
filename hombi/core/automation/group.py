"""Several entities watched together: all of them, any, or so many of them.

Each is stepped by itself, with its own limit, hold and end. The whole is so while
enough of them are; it starts when the circumstances allow it, and ends when too few
are so.
"""

from __future__ import annotations

from msgspec.structs import replace

from hombi.core.automation.circumstances import Circumstances
from hombi.core.automation.parts import (
    due_part,
    first_look,
    idle,
    limit_of,
    lost_part,
    step_part,
)
from hombi.core.automation.program import Program
from hombi.core.automation.state import (
    Began,
    EdgeKind,
    Event,
    Passed,
    Phase,
    Seen,
    State,
    Why,
    World,
)
from hombi.core.automation.watch import Watch
from hombi.core.values import show_span


def step_group(
    program: Program, state: State, event: Event, world: World, only: Circumstances
) -> tuple[State, Why | None]:
    """Step all of the parts that an event is about, and the whole."""
    parts = state.parts if len(state.parts) == len(program.parts) else None
    stepped, edges = [], []
    for place, watch in enumerate(program.parts):
        before = parts[place] if parts else State()
        if isinstance(event, Seen) and _untouched(watch, before, event.entity):
            stepped.append(before)
            continue
        sight = world.sight(watch.entity)
        own: Event = Passed()
        if isinstance(event, Began):
            own = first_look(watch, sight)
        elif isinstance(event, Seen) and watch.entity == (event.entity or program.watch.entity):
            own = event
        after, why = step_part(watch, before, own, world, sight)
        stepped.append(after)
        if why is not None:
            edges.append(why)
    state = replace(state, parts=tuple(stepped))
    return _whole(program, state, edges, world, only)


def _untouched(watch: Watch, state: State, heard: str) -> bool:
    """Whether a reading of another entity leaves a part as it is: it is idle, its value
    is none to begin with, and its limits do not follow that entity."""
    if not heard or watch.entity == heard or state.phase is not Phase.IDLE or not watch.of_value:
        return False
    if watch.moving is not None:
        return heard not in watch.moving.sources
    return state.value is None or not watch.comparison.starts_with(state.value)


def _whole(
    program: Program, state: State, edges: list[Why], world: World, only: Circumstances
) -> tuple[State, Why | None]:
    now, held = world.now_ms, world.now_ms - state.since_ms
    if program.watch.happens:
        return _happened(program, state, edges, world, only)
    on = [one.phase is Phase.ON for one in state.parts]
    if state.phase is not Phase.ON:
        # What is not heard keeps an automation on, if its text says so; it starts none.
        on = [so and not one.blind for so, one in zip(on, state.parts, strict=True)]
    enough = sum(on) >= program.need
    if state.phase is Phase.ON:
        lost = next((edge for edge in edges if edge.lost), None)
        if not enough:
            last = next((edge for edge in edges if edge.edge is EdgeKind.END), None)
            sentence = _of(last, world) if last else "too few are so"
            base = last or _any(program, state, world)
            return idle(state, now), _why(base, EdgeKind.END, now, held, sentence)
        if over := only.over(world):
            sentence = f"{over}, after {show_span(held)}"
            why = _why(_any(program, state, world), EdgeKind.END, now, held, sentence)
            # Those that are back, and have not reached their `until`, begin nothing.
            parts = tuple(
                idle(part, now) if _is_back(watch, part, world) else part
                for watch, part in zip(program.parts, state.parts, strict=True)
            )
            state = replace(state, parts=parts)
            if sum(one.phase is Phase.ON for one in parts) < program.need:
                return idle(state, now), why
            return replace(state, phase=Phase.WAITING, since_ms=now), why
        if lost is not None and lost.edge is EdgeKind.LOST:
            return state, _why(lost, EdgeKind.LOST, now, held, _of(lost, world))
        return state, None
    if not enough:
        holds = any(one.phase is Phase.HOLDING for one in state.parts)
        phase = Phase.HOLDING if holds else Phase.IDLE
        return (state if state.phase is phase else replace(state, phase=phase, since_ms=now)), None
    if not only.allow_start(world):
        waits = state.phase is Phase.WAITING
        return (state if waits else replace(state, phase=Phase.WAITING, since_ms=now)), None
    decided = next((edge for edge in edges if edge.edge is EdgeKind.START), None)
    present = [one.now(world) or one for one in program.parts]
    sentence = "; ".join(
        f"{world.called(watch.entity).spoken}: {watch.comparison.seen(part.value, watch.kind)}"
        for watch, part, so in zip(present, state.parts, on, strict=True)
        if so and part.value is not None
    )
    base = decided or _any(program, state, world)
    return replace(state, phase=Phase.ON, since_ms=now), _why(
        base, EdgeKind.START, now, base.held_ms, sentence
    )


def _happened(
    program: Program, state: State, edges: list[Why], world: World, only: Circumstances
) -> tuple[State, Why | None]:
    """Of several that happen, each starts the whole."""
    now = world.now_ms
    begun = next((edge for edge in edges if edge.edge is EdgeKind.START), None)
    lasts = any(part.phase is Phase.ON for part in state.parts)
    if begun is not None and only.allow_start(world):
        phase = Phase.ON if lasts else Phase.IDLE
        why = _why(begun, EdgeKind.START, now, 0, _of(begun, world))
        return replace(state, phase=phase, since_ms=now), why
    over = only.over(world) if state.phase is Phase.ON else None
    if state.phase is not Phase.ON or (lasts and not over):
        return state, None
    held = now - state.since_ms
    text = f"{over}, after {show_span(held)}" if over else f"after {show_span(held)}"
    return idle(state, now), _why(_any(program, state, world), EdgeKind.END, now, held, text)


def _is_back(watch: Watch, part: State, world: World) -> bool:
    known = None if watch.timed else watch.now(world)
    if part.phase is not Phase.ON or known is None or part.value is None:
        return False
    return not known.comparison.starts_with(part.value)


def due_group(program: Program, state: State, world: World, only: Circumstances) -> int | None:
    """When to step next although nothing was heard."""
    moments = [
        due_part(watch, part, world, world.sight(watch.entity))
        for watch, part in zip(program.parts, state.parts, strict=False)
        if part.phase is Phase.HOLDING or part.back_ms or watch.timed or watch.happens
    ]
    if state.phase in (Phase.WAITING, Phase.ON):
        moments.append(only.next_change_ms(world, on=state.phase is Phase.ON))
    return min((moment for moment in moments if moment is not None), default=None)


def lost_group(program: Program, state: State, world: World) -> int | None:
    """When the value of one that is so counts as no longer heard."""
    moments = [
        lost_part(watch, part, world.sight(watch.entity))
        for watch, part in zip(program.parts, state.parts, strict=False)
    ]
    return min((moment for moment in moments if moment is not None), default=None)


def _any(program: Program, state: State, world: World) -> Why:
    """A value to name where none decided: the first one that is known."""
    pairs = zip(program.parts, state.parts, strict=True)
    known = ((watch, part.value) for watch, part in pairs if part.value is not None)
    watch, value = next(known, (program.watch, None))
    limit = limit_of(watch, world)
    seen = limit if value is None else value
    return Why(EdgeKind.END, world.now_ms, seen, limit, 0, "", entity=watch.entity)


def _why(base: Why, edge: EdgeKind, now: int, held: int, text: str) -> Why:
    return Why(edge, now, base.seen, base.limit, held, text, base.lost, base.entity)


def _of(why: Why, world: World) -> str:
    return f"{world.called(why.entity).spoken}: {why.text}"
