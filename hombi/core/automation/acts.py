"""What is done at an edge, after a wait, and as a reminder, as values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from hombi.core.automation.actions import Action, Effect, Set, Switch, SwitchTo, Wait
from hombi.core.automation.program import Program
from hombi.core.automation.state import EdgeKind, Phase, State, Waiting, World
from hombi.core.values import show_span

Done = tuple[State, list[Effect]]


def begin(
    program: Program, state: State, edge: EdgeKind, fields: Mapping[str, str], world: World
) -> Done:
    """The actions of an edge, up to the first wait."""
    return _walk(_actions(program, edge), edge.value, 0, state, fields, world)


def resume(program: Program, state: State, world: World) -> Done:
    """What waited for a moment that has come."""
    effects: list[Effect] = []
    while due := [one for one in state.waits if one.due_ms <= world.now_ms]:
        first = min(due, key=lambda one: one.due_ms)
        state = replace(state, waits=tuple(one for one in state.waits if one is not first))
        if first.edge:
            actions = _actions(program, EdgeKind(first.edge))
            state, more = _walk(actions, first.edge, first.place, state, first.fields, world)
            effects += more
        else:
            effects.append(SwitchTo(first.entity, first.to))
    return state, effects


def remind(program: Program, state: State, fields: Mapping[str, str], world: World) -> Done:
    """The reminders whose time has come; one that was missed is not made up for."""
    effects: list[Effect] = []
    if state.phase is not Phase.ON or not program.reminds:
        return state, effects
    given = list(state.reminded or (0,) * len(program.reminds))
    for place, one in enumerate(program.reminds[: len(given)]):
        lasted = world.now_ms - state.since_ms
        wanted = min(one.at_most, lasted // one.every_ms)
        if wanted > given[place]:
            given[place] = wanted
            effects.append(one.notify.effect({**fields, "for": show_span(lasted)}))
    return replace(state, reminded=tuple(given)), effects


def let_go(program: Program | None, state: State, *, wholly: bool) -> Done:
    """Nobody goes on with what waits (`wholly`: not with the ways back either). What an
    end still had to do is done at once, or a lamp would stay on for ever; what a start
    had to do is not done any more."""
    effects: list[Effect] = []
    left = [] if wholly else [one for one in state.waits if not one.edge]
    for one in state.waits:
        if one.edge == EdgeKind.END.value and program is not None:
            effects += at_once(program.ends[one.place :], one.fields)
    done = {one.entity for one in effects if isinstance(one, SwitchTo)}
    if wholly:
        effects += [
            SwitchTo(one.entity, one.to)
            for one in state.waits
            if not one.edge and one.entity not in done
        ]
    return replace(state, waits=tuple(left)), effects


def at_once(actions: Sequence[Action | Wait], fields: Mapping[str, str]) -> list[Effect]:
    """What some actions want done where nothing can wait, nor go back."""
    timed = (one for one in actions if not isinstance(one, Wait))
    return [one.effect(fields) for one in timed if not getattr(one, "for_ms", 0)]


def next_act_ms(program: Program, state: State) -> int | None:
    """When something is to be done next although nothing was heard."""
    moments = [one.due_ms for one in state.waits]
    if state.phase is Phase.ON:
        for place, one in enumerate(program.reminds):
            given = state.reminded[place] if place < len(state.reminded) else 0
            if given < one.at_most:
                moments.append(state.since_ms + (given + 1) * one.every_ms)
    return min(moments, default=None)


def _actions(program: Program, edge: EdgeKind) -> Sequence[Action | Wait]:
    return {EdgeKind.START: program.starts, EdgeKind.END: program.ends}.get(edge, ())


def _walk(
    actions: Sequence[Action | Wait],
    edge: str,
    place: int,
    state: State,
    fields: Mapping[str, str],
    world: World,
) -> Done:
    effects: list[Effect] = []
    waits = list(state.waits)
    for at, action in enumerate(actions[place:], start=place):
        if isinstance(action, Wait):
            waits.append(Waiting(world.now_ms + action.ms, edge, at + 1, dict(fields)))
            break
        effects.append(action.effect(fields))
        if isinstance(action, (Switch, Set)):
            # What is switched anew does not go back at a moment of before.
            waits = [one for one in waits if one.edge or one.entity != action.entity]
            back = action.back(world.sight(action.entity).value)
            if action.for_ms and back is not None:
                due = world.now_ms + action.for_ms
                waits.append(Waiting(due, entity=action.entity, to=back))
    return replace(state, waits=tuple(waits)), effects
