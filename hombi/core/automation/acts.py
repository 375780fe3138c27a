"""What is done at an edge, after a wait, and as a reminder, as values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from msgspec.structs import replace

from hombi.core.automation.actions import (
    Action,
    Effect,
    Other,
    Set,
    Step,
    Switch,
    SwitchTo,
    Wait,
    WaitUntil,
)
from hombi.core.automation.flow import SAYS_WHEN, Flow, Fork, Join, Jump, Unless, flow
from hombi.core.automation.parts import is_so
from hombi.core.automation.program import Program
from hombi.core.automation.state import EdgeKind, Phase, State, Waiting, World
from hombi.core.automation.watch import Watch
from hombi.core.values import show_span

Done = tuple[State, list[Effect]]


def begin(
    program: Program, state: State, edge: EdgeKind, fields: Mapping[str, str], world: World
) -> Done:
    """The actions of an edge, up to the first wait."""
    steps = program.flows[edge]
    return _walk(steps, str(edge), 0, state, fields, world) if steps else (state, [])


def resume(program: Program, state: State, world: World) -> Done:
    """What waited for a moment that has come, or for something that is so now."""
    effects: list[Effect] = []
    while found := _ready(program, state, world):
        first, place = found
        state = replace(state, waits=tuple(one for one in state.waits if one is not first))
        if not first.edge:
            effects.append(SwitchTo(first.entity, first.to))
            continue
        steps = program.flows[EdgeKind(first.edge)]
        state, more = _walk(steps, first.edge, place, state, first.fields, world)
        effects += more
    return state, effects


def _queued(state: State, waiting: Waiting) -> bool:
    """Whether this is a start that begins when the actions of one before are done, and
    they are not."""
    if not waiting.edge or waiting.place or waiting.until:
        return False
    return any(one.edge == waiting.edge and (one.place or one.until) for one in state.waits)


def _ready(program: Program, state: State, world: World) -> tuple[Waiting, int] | None:
    """The first that waits no longer, and at which place it goes on."""
    now = world.now_ms
    if not any(one.due_ms <= now or one.until for one in state.waits):
        return None  # as nearly always
    for one in sorted(state.waits, key=lambda one: one.due_ms):
        place = _goes_on_at(program, one, state, world)
        if place is not None:
            return one, place
    return None


def _goes_on_at(program: Program, waiting: Waiting, state: State, world: World) -> int | None:
    """At which place it goes on now; None while it waits. Beyond the last one, it is
    over."""
    late = waiting.due_ms <= world.now_ms
    if not waiting.edge:
        return 0 if late else None
    if not waiting.until:
        return waiting.place if late and not _queued(state, waiting) else None
    steps = program.flows[EdgeKind(waiting.edge)]
    one = steps[waiting.place] if waiting.place < len(steps) else None
    if not isinstance(one, WaitUntil) or (late and not one.goes_on):
        return len(steps)
    so = is_so(one.watch, world.sight(one.watch.entity), world)
    return waiting.place + 1 if so or late else None


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


def reminds(program: Program, state: State) -> bool:
    """Whether it will give a reminder yet."""
    given = state.reminded or (0,) * len(program.reminds)
    left = (n < one.at_most for n, one in zip(given, program.reminds, strict=False))
    return state.phase is Phase.ON and any(left)


def let_go(program: Program | None, state: State, world: World, *, wholly: bool) -> Done:
    """Nobody goes on with what waits (`wholly`: not with the ways back either). What an
    end still had to do is done at once, or a lamp would stay on for ever; what a start
    had to do is not done any more."""
    effects: list[Effect] = []
    left = [] if wholly else [one for one in state.waits if not one.edge]
    for number, one in enumerate(state.waits):
        if one.edge == EdgeKind.END.value and program is not None:
            others = state.waits[number + 1 :]
            effects += at_once(program.ends, one.fields, world, one.place + one.until, others)
    done = {one.entity for one in effects if isinstance(one, SwitchTo)}
    if wholly:
        effects += [
            SwitchTo(one.entity, one.to)
            for one in state.waits
            if not one.edge and one.entity not in done
        ]
    return replace(state, waits=tuple(left)), effects


def at_once(
    actions: Sequence[Step],
    fields: Mapping[str, str],
    world: World,
    place: int = 0,
    others: Sequence[Waiting] = (),
) -> list[Effect]:
    """What some actions want done, from a place on, where nothing can wait, nor go
    back. `others` are what waits beside it, and goes on itself."""
    walk = _Walk(flow(actions), EdgeKind.END.value, fields, world, list(others), at_once=True)
    walk.go(place)
    return walk.effects


def next_act_ms(program: Program, state: State) -> int | None:
    """When something is to be done next although nothing was heard."""
    moments = [one.due_ms for one in state.waits if not _queued(state, one)]
    if state.phase is Phase.ON:
        for place, one in enumerate(program.reminds):
            given = state.reminded[place] if place < len(state.reminded) else 0
            if given < one.at_most:
                moments.append(state.since_ms + (given + 1) * one.every_ms)
    return min(moments, default=None)


def _walk(
    steps: Flow,
    edge: str,
    place: int,
    state: State,
    fields: Mapping[str, str],
    world: World,
) -> Done:
    walk = _Walk(steps, edge, fields, world, list(state.waits))
    walk.go(place)
    waits = tuple(walk.waits)
    return (state if waits == state.waits else replace(state, waits=waits)), walk.effects


@dataclass(slots=True)
class _Walk:
    """Goes through the steps of an edge, as their branches lead, up to what waits; with
    `at_once`, nothing waits and nothing goes back."""

    steps: Flow
    edge: str
    fields: Mapping[str, str]
    world: World
    waits: list[Waiting]
    at_once: bool = False
    effects: list[Effect] = field(default_factory=list)

    def go(self, place: int, stop: int = -1) -> None:
        """From a place on; till `stop`."""
        while place < len(self.steps) and place != stop:
            one = self.steps[place]
            if not isinstance(one, SAYS_WHEN):
                self._do(one)
                place += 1
            elif isinstance(one, Fork):
                for lane in one.lanes:
                    self.go(lane, one.join)
                place = one.join
            elif isinstance(one, Jump):
                place = one.to
            elif isinstance(one, Unless):
                place = place + 1 if self._so(one.watch) else one.to
            elif self._waits_at(one, place):
                return
            else:
                place += 1

    def _waits_at(self, one: Wait | WaitUntil | Join, at: int) -> bool:
        """Whether what follows comes later."""
        now = self.world.now_ms
        if isinstance(one, Join):
            own = (wait.place for wait in self.waits if wait.edge == self.edge)
            return any(one.begin < place < at for place in own)
        if self.at_once:
            return False
        if isinstance(one, Wait):
            self.waits.append(Waiting(now + one.ms, self.edge, at + 1, dict(self.fields)))
            return True
        if self._so(one.watch) or (one.confirms and self.world.obeyed):
            return False
        due = now + one.at_most_ms
        self.waits.append(Waiting(due, self.edge, at, dict(self.fields), until=True))
        return True

    def _do(self, action: Action) -> None:
        for_ms = getattr(action, "for_ms", 0)
        if self.at_once and for_ms:
            return
        self.effects.append(action.effect(self.fields))
        if isinstance(action, (Switch, Set, Other)):
            # What is switched anew does not go back at a moment of before.
            if self.waits:
                self.waits[:] = [w for w in self.waits if w.edge or w.entity != action.entity]
            if not for_ms:
                return
            back = action.back(self.world.sight(action.entity).value)
            if back is not None:
                due = self.world.now_ms + for_ms
                self.waits.append(Waiting(due, entity=action.entity, to=back))

    def _so(self, watch: Watch) -> bool:
        return is_so(watch, self.world.sight(watch.entity), self.world)
