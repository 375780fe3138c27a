"""The state machine of automations. Live operation, rehearsal and replay all step this
one: `step(program, state, event, world) -> (state, effects, why)`."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from datetime import datetime
from functools import cached_property, partial

from msgspec.structs import replace

from hombi.core.automation.actions import (
    Effect,
    MoveBy,
    Notify,
    Recall,
    SwitchOver,
    SwitchTo,
    Tell,
)
from hombi.core.automation.acts import at_once, begin, let_go, next_act_ms, remind, resume
from hombi.core.automation.circumstances import Circumstances
from hombi.core.automation.comparisons.timed import Timed
from hombi.core.automation.group import due_group, lost_group, step_group
from hombi.core.automation.moments import due_moment, step_moment
from hombi.core.automation.parts import (
    due_part,
    first_look,
    is_so,
    limit_of,
    lost_part,
    step_part,
)
from hombi.core.automation.program import Again, Program
from hombi.core.automation.state import (
    Acknowledged,
    Began,
    EdgeKind,
    Event,
    GoesBack,
    Handled,
    Passed,
    Phase,
    Seen,
    State,
    Step,
    Taken,
    Waiting,
    Why,
    World,
)
from hombi.core.automation.watch import Watch
from hombi.core.values import show_limit, show_since, show_span, show_value

# With again = "after", so many starts wait for their turn at most.
MOST_QUEUED = 10


def step(program: Program, state: State, event: Event, world: World) -> Step:
    """Step one automation."""
    if isinstance(event, Taken):
        return _taken(program, state, event, world)
    if isinstance(event, Handled):
        return Step(_left_alone(program, state, event.entity))
    if isinstance(event, Acknowledged):
        all_given = tuple(one.at_most for one in program.reminds)
        return Step(replace(state, reminded=all_given) if state.phase is Phase.ON else state)
    only = circumstances(program, state)
    if program.moment is not None:
        after, why = step_moment(program.moment, state, event, world, only)
    elif program.more:
        after, why = step_group(program, state, event, world, only)
    else:
        watch = program.watch
        sight = world.sight(watch.entity)
        if isinstance(event, Began):
            event = first_look(watch, sight)
        elif isinstance(event, Seen) and event.entity not in ("", watch.entity):
            event = Passed()
        after, why = step_part(watch, state, event, world, sight, only)
    if why is not None and why.edge is EdgeKind.START and state.phase is not Phase.WAITING:
        after = replace(after, by_hand=())  # it starts anew
    return _without_hands(_acted(program, after, why, world))


def _left_alone(program: Program, state: State, entity: str) -> State:
    """What a person sets while it is under way is theirs until it starts anew."""
    under_way = state.phase is not Phase.IDLE or bool(state.waits)
    if not under_way or entity in state.by_hand or entity not in program.acted_on:
        return state
    return replace(state, by_hand=(*state.by_hand, entity))


def _without_hands(done: Step) -> Step:
    """The step, without what it would do to entities that a person has set."""
    hands = done.state.by_hand
    if not hands or not done.effects:
        return done
    effects = tuple(left for effect in done.effects if (left := _spared(effect, hands)) is not None)
    return done._replace(effects=effects)


def _spared(effect: Effect, hands: tuple[str, ...]) -> Effect | None:
    if isinstance(effect, (SwitchTo, SwitchOver, MoveBy)):
        return None if effect.entity in hands else effect
    if isinstance(effect, Recall):
        return replace(
            effect, states=tuple(state for state in effect.states if state[0] not in hands)
        )
    return effect


def due_ms(program: Program, state: State, world: World) -> int | None:
    """When to step next although nothing was heard; None when only a reading can change
    it."""
    return sooner(lasting_ms(program, state, world), _fades_ms(program, state, world))


def lasting_ms(program: Program, state: State, world: World) -> int | None:
    """When to step next because of the time alone, whatever falls silent until then."""
    only = circumstances(program, state)
    if program.moment is not None:
        on = state.phase is Phase.ON
        due = due_moment(program.moment, state, world)
        due = sooner(due, only.next_change_ms(world, on=True)) if on else due
    elif program.more:
        due = due_group(program, state, world, only)
    else:
        sight = world.sight(program.watch.entity)
        due = due_part(program.watch, state, world, sight, only)
    return sooner(due, next_act_ms(program, state))


def _fades_ms(program: Program, state: State, world: World) -> int | None:
    """From when on something that it looks at beside its value counts as silent: what
    `when` and `home` ask for is not so any more then, and a limit is not known."""
    if state.phase is Phase.IDLE:
        return None
    asked = [world.sight(watch.entity).fades_ms for watch in (*program.when, *program.anyone)]
    watched = () if program.moment is not None else program.parts
    limits = [
        watch.moving.fades_ms(world)
        for watch in (*watched, *program.when)
        if watch.moving is not None
    ]
    ahead = [one for one in (*asked, *limits) if one is not None and one > world.now_ms]
    return min(ahead, default=None)


def lost_ms(program: Program, state: State, world: World) -> int | None:
    """From when on the value of what is on counts as no longer heard; None for never,
    or when that is known already."""
    if program.moment is not None:
        return None
    if program.more:
        return lost_group(program, state, world)
    return lost_part(program.watch, state, world.sight(program.watch.entity))


def rejoined(
    program: Program, state: State, heard: Callable[[str], int | None], now_ms: int
) -> State:
    """Where it stood before a restart: what is on has its usual time to be heard; what
    was held was heard when its last reading came (None: never). What is not silent yet
    has its time from now on: while the hub was away it heard nobody."""

    def own(watch: Watch, state: State) -> State:
        if isinstance(watch.comparison, Timed):
            begins = watch.comparison.counts_anew and state.phase is not Phase.ON
            return replace(state, heard_ms=now_ms) if begins else state
        last = heard(watch.entity)
        if last is None or state.value is None:
            return state
        return replace(state, heard_ms=now_ms if state.phase is Phase.ON else last)

    if program.moment is not None:
        return state
    if not program.more:
        return own(program.watch, state)
    return replace(state, parts=tuple(map(own, program.parts, state.parts)))


def sooner(*moments: int | None) -> int | None:
    """The first of some moments, where there is one."""
    return min((moment for moment in moments if moment is not None), default=None)


def circumstances(program: Program, state: State) -> Circumstances:
    """What stands in the way of it, or does not."""
    also = partial(_also, program) if program.when or program.anyone else None
    rests = state.started_ms + program.pause_ms if program.pause_ms and state.started_ms else 0
    return Circumstances(program.only, also, rests, program.by_the_clock)


def alone(
    program: Program, state: State, edge: EdgeKind, world: World
) -> tuple[State, list[Effect]]:
    """The actions of an edge by themselves, as somebody asks for them."""
    return begin(program, state, edge, _Fields(program, None, state, world), world)


def _also(program: Program, world: World) -> str:
    """What of `when` is not so, in words."""
    for watch in program.when:
        sight = world.sight(watch.entity)
        if not is_so(watch, sight, world):
            name, wanted = world.called(watch.entity).spoken, watch.wanted
            if not sight.known or sight.value is None:
                return f"{name} was not known to be {wanted}"
            return f"{name} was {show_value(sight.value, watch.kind)}, not {wanted}"
    if program.anyone and not somebody(program, world):
        return "nobody was home"
    return ""


def somebody(program: Program, world: World) -> bool:
    """Whether one of the people is home of whom one must be."""
    return any(is_so(watch, world.sight(watch.entity), world) for watch in program.anyone)


def _taken(program: Program, state: State, event: Taken, world: World) -> Step:
    why = _why_taken(program, state, event, world)
    effects: list[Effect] = []
    if not event.silently:
        # Nobody is left to see to what would still wait.
        _, effects = let_go(program, state, world, wholly=True)
        if why is not None:
            fields = _Fields(program, why, state, world)
            effects = at_once(program.ends, fields, world) + effects
    return Step(State(), tuple(dict.fromkeys(effects)), why)


def _why_taken(program: Program, state: State, event: Taken, world: World) -> Why | None:
    if state.phase is not Phase.ON:
        return None
    now, limit = world.now_ms, limit_of(program.watch, world)
    held = now - state.since_ms
    seen = limit if state.value is None else state.value
    sentence = f"{event.because}, after {show_span(held)}"
    return Why(EdgeKind.END, now, seen, limit, held, sentence)


def _acted(program: Program, state: State, why: Why | None, world: World) -> Step:
    """The step, with what is to be done: what waited for this moment, what belongs to
    its edge, and reminders. No effect waits for the one before, unless the text says
    so: a notice about a mister is true whether or not the mister answers."""
    if why is None and not state.waits and not program.reminds:
        return Step(state)
    effects: list[Effect] = []
    if why is not None and why.edge is not EdgeKind.LOST:
        # What an edge before would still do is not wanted any more.
        left = tuple(
            [
                wait
                for wait in state.waits
                if isinstance(wait, GoesBack) or _stays(program, wait, why)
            ]
        )
        started_ms = world.now_ms if why.edge is EdgeKind.START else state.started_ms
        state = replace(state, waits=left, reminded=(), started_ms=started_ms)
    if state.waits:
        state, effects = resume(program, state, world)
    if why is not None:
        state, more = _at_edge(program, state, why, world)
        effects += more
    due = next_act_ms(program, state) if program.reminds else None
    if due is not None and due <= world.now_ms:
        state, more = remind(program, state, _Fields(program, why, state, world), world)
        effects += more
    return Step(state, tuple(effects), why)


def _stays(program: Program, waiting: Waiting, why: Why) -> bool:
    """Whether what waits is left to go on although it starts once more."""
    same = why.edge is EdgeKind.START and waiting.edge == EdgeKind.START.value
    return same and program.again is not Again.AFRESH


class _Fields(Mapping[str, str]):
    """What stands for the fields in texts. It is put into words when a text asks: a
    switch need not wait for that."""

    def __init__(self, program: Program, why: Why | None, state: State, world: World) -> None:
        self._of = (program, why, state, world)

    @cached_property
    def _said(self) -> dict[str, str]:
        return _fields(*self._of)

    def __getitem__(self, name: str) -> str:
        return self._said[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._said)

    def __len__(self) -> int:
        return len(self._said)


def _at_edge(program: Program, state: State, why: Why, world: World) -> tuple[State, list[Effect]]:
    fields = _Fields(program, why, state, world)
    under_way = [
        wait for wait in state.waits if isinstance(wait, Waiting) and _stays(program, wait, why)
    ]
    effects: list[Effect] = []
    if not under_way:
        state, effects = begin(program, state, why.edge, fields, world)
    elif program.again is Again.AFTER and len(under_way) < MOST_QUEUED:
        due = max(waiting.due_ms for waiting in under_way)
        queued = Waiting(due, EdgeKind.START.value, "", dict(fields))
        state = replace(state, waits=(*state.waits, queued))
    if why.lost:
        # Whoever is told of this automation is told that it cannot see any more; else
        # everybody.
        told = {a.to for a in (*program.starts, *program.ends) if isinstance(a, Notify)}
        to = {"everyone"} if not told or "everyone" in told else told
        title, text = f"{fields['entity']} is not heard", f"{program.name}: {why.text}"
        effects += [Tell(one, title, text) for one in sorted(to)]
    return state, effects


def _fields(program: Program, why: Why | None, state: State, world: World) -> dict[str, str]:
    """Of the entity that decided."""
    watch = program.watch
    if why is not None and why.entity:
        watch = next((part for part in program.parts if part.entity == why.entity), watch)
    if program.moment is not None:
        clock = datetime.fromtimestamp(world.now_ms / 1000, world.zone).strftime("%H:%M")
        lasted = show_span(why.held_ms if why is not None else 0)
        fields = {"name": program.name, "entity": program.name, "room": "", "value": clock}
        return {**fields, "limit": clock, "held": lasted, "for": lasted, "since": clock}
    value = why.seen if why is not None else world.sight(watch.entity).value
    spoken, room = world.called(watch.entity)
    limit = limit_of(watch, world) if why is None else why.limit
    held = world.now_ms - state.since_ms if why is None else why.held_ms
    return {
        "name": program.name,
        "entity": spoken,
        "room": room,
        "value": "not known" if value is None else show_value(value, watch.kind),
        "limit": show_limit(limit, watch.kind),
        "held": show_span(held),
        "for": show_span(held),
        "since": show_since(world.now_ms - held, world.now_ms, world.zone),
    }
