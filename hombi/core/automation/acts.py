"""What is done at an edge, after a wait, and as a reminder, as values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from msgspec.structs import replace

from hombi.core.automation.actions import (
    Action,
    Effect,
    Move,
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
from hombi.core.automation.state import EdgeKind, GoesBack, Phase, State, Waiting, World
from hombi.core.automation.watch import Watch
from hombi.core.values import show_span

Done = tuple[State, list[Effect]]


def begin(
    program: Program, state: State, edge: EdgeKind, fields: Mapping[str, str], world: World
) -> Done:
    """The actions of an edge, up to the first wait."""
    steps = program.flows[edge]
    return _walk(steps, str(edge), 0, state, fields, world) if len(steps) else (state, [])


def resume(program: Program, state: State, world: World) -> Done:
    """What waited for a moment that has come, or for something that is so now."""
    effects: list[Effect] = []
    while waitings := _ready(program, state, world):
        first, place = waitings
        state = replace(state, waits=tuple(wait for wait in state.waits if wait is not first))
        if isinstance(first, GoesBack):
            effects.append(SwitchTo(first.entity, first.to))
            continue
        steps = program.flows[EdgeKind(first.edge)]
        state, more = _walk(steps, first.edge, place, state, first.fields, world)
        effects += more
    return state, effects


def _queued(state: State, waiting: Waiting) -> bool:
    """Whether this is a start that begins when the actions of one before are done, and
    they are not."""
    if waiting.at:
        return False
    under_way = (wait for wait in state.waits if isinstance(wait, Waiting) and wait.at)
    return any(wait.edge == waiting.edge for wait in under_way)


def _ready(program: Program, state: State, world: World) -> tuple[Waiting | GoesBack, int] | None:
    """The first that waits no longer, and at which place it goes on."""
    now = world.now_ms
    if not any(wait.due_ms <= now or looks(wait) for wait in state.waits):
        return None  # as nearly always
    for wait in sorted(state.waits, key=lambda one: one.due_ms):
        place = _goes_on_at(program, wait, state, world)
        if place is not None:
            return wait, place
    return None


def looks(wait: Waiting | GoesBack) -> bool:
    """Whether it waits for something to be so."""
    return isinstance(wait, Waiting) and wait.until


def _goes_on_at(
    program: Program, waiting: Waiting | GoesBack, state: State, world: World
) -> int | None:
    """At which place it goes on now; None while it waits. Beyond the last one, it is
    over."""
    late = waiting.due_ms <= world.now_ms
    if isinstance(waiting, GoesBack):
        return 0 if late else None
    steps = program.flows[EdgeKind(waiting.edge)]
    place = steps.place(waiting.at, until=waiting.until)
    if not waiting.until:
        return place if late and not _queued(state, waiting) else None
    until = steps[place] if place < len(steps) else None
    if not isinstance(until, WaitUntil) or (late and not until.goes_on):
        return len(steps)
    so = is_so(until.watch, world.sight(until.watch.entity), world)
    return place + 1 if so or late else None


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
    left = (n < remind.at_most for n, remind in zip(given, program.reminds, strict=False))
    return state.phase is Phase.ON and any(left)


def let_go(program: Program | None, state: State, world: World, *, wholly: bool) -> Done:
    """Nobody goes on with what waits (`wholly`: not with the ways back either). What an
    end still had to do is done at once, or a lamp would stay on for ever; what a start
    had to do is not done any more."""
    effects: list[Effect] = []
    left = [] if wholly else [wait for wait in state.waits if isinstance(wait, GoesBack)]
    for number, waiting in enumerate(state.waits):
        if program is None or isinstance(waiting, GoesBack):
            continue
        if waiting.edge == EdgeKind.END.value:
            place = program.flows[EdgeKind.END].place(waiting.at, until=waiting.until)
            others = state.waits[number + 1 :]
            effects += at_once(program.ends, waiting.fields, world, place + waiting.until, others)
    done = {effect.entity for effect in effects if isinstance(effect, SwitchTo)}
    if wholly:
        effects += [
            SwitchTo(wait.entity, wait.to)
            for wait in state.waits
            if isinstance(wait, GoesBack) and wait.entity not in done
        ]
    return replace(state, waits=tuple(left)), effects


def at_once(
    actions: Sequence[Step],
    fields: Mapping[str, str],
    world: World,
    place: int = 0,
    others: Sequence[Waiting | GoesBack] = (),
) -> list[Effect]:
    """What some actions want done, from a place on, where nothing can wait, nor go
    back. `others` are what waits beside it, and goes on itself."""
    walk = _Walk(flow(actions), EdgeKind.END.value, fields, world, list(others), at_once=True)
    walk.go(place)
    return walk.effects


def next_act_ms(program: Program, state: State) -> int | None:
    """When something is to be done next although nothing was heard."""
    moments = [
        wait.due_ms
        for wait in state.waits
        if isinstance(wait, GoesBack) or not _queued(state, wait)
    ]
    if state.phase is Phase.ON:
        for place, waiting in enumerate(program.reminds):
            given = state.reminded[place] if place < len(state.reminded) else 0
            if given < waiting.at_most:
                moments.append(state.since_ms + (given + 1) * waiting.every_ms)
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
    waits: list[Waiting | GoesBack]
    at_once: bool = False
    effects: list[Effect] = field(default_factory=list)

    def go(self, place: int, stop: int = -1) -> None:
        """From a place on; till `stop`."""
        while place < len(self.steps) and place != stop:
            step = self.steps[place]
            if not isinstance(step, SAYS_WHEN):
                self._do(step)
                place += 1
            elif isinstance(step, Fork):
                for lane in step.lanes:
                    self.go(lane, step.join)
                place = step.join
            elif isinstance(step, Jump):
                place = step.to
            elif isinstance(step, Unless):
                place = place + 1 if self._so(step.watch) else step.to
            elif self._waits_at(step, place):
                return
            else:
                place += 1

    def _waits_at(self, action: Wait | WaitUntil | Join, at: int) -> bool:
        """Whether what follows comes later."""
        now = self.world.now_ms
        if isinstance(action, Join):
            own = (
                self.steps.place(wait.at, until=wait.until)
                for wait in self.waits
                if isinstance(wait, Waiting) and wait.edge == self.edge
            )
            return any(action.begin < place < at for place in own)
        if self.at_once:
            return False
        if isinstance(action, Wait):
            self.waits.append(
                Waiting(now + action.ms, self.edge, self.steps.key(at), dict(self.fields))
            )
            return True
        if self._so(action.watch) or (action.confirms and self.world.obeyed):
            return False
        due = now + action.at_most_ms
        self.waits.append(
            Waiting(due, self.edge, self.steps.key(at), dict(self.fields), until=True)
        )
        return True

    def _do(self, action: Action) -> None:
        for_ms = getattr(action, "for_ms", 0)
        if self.at_once and for_ms:
            return
        self.effects.append(action.effect(self.fields))
        if isinstance(action, (Switch, Set, Other, Move)):
            # What is switched anew does not go back at a moment of before.
            if self.waits:
                self.waits[:] = [
                    wait
                    for wait in self.waits
                    if isinstance(wait, Waiting) or wait.entity != action.entity
                ]
            if not for_ms:
                return
            assert not isinstance(action, Move)  # it has no `for`
            back = action.back(self.world.sight(action.entity).value)
            if back is not None:
                due = self.world.now_ms + for_ms
                self.waits.append(GoesBack(due, action.entity, back))

    def _so(self, watch: Watch) -> bool:
        return is_so(watch, self.world.sight(watch.entity), self.world)
