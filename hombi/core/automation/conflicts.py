"""What is allowed and hardly meant: automations that fight over a switch, feed
themselves, or can never start."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, tzinfo
from itertools import product
from math import inf
from typing import NamedTuple

from hombi.core.automation.actions import Move, Other, Set, Switch
from hombi.core.automation.flow import each
from hombi.core.automation.program import Program
from hombi.core.automation.state import Called, Sight
from hombi.core.automation.watch import Watch
from hombi.core.house_facts import HouseFacts
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path

# Where a formula is tried, between the ends of what its values can be.
SHARES = (0.0, 0.01, 0.2, 0.4, 0.5, 0.6, 0.8, 0.99, 1.0)
MOST_TRIED = 4


class Warned(NamedTuple):
    """One warning: at which place of the text, what, and what to do."""

    path: Path
    what: str
    hint: str


def warned(program: Program, others: Mapping[str, Program], facts: HouseFacts) -> list[Warned]:
    """All that is to be said of an automation beside the others that are on duty, by
    their names."""
    return [
        *_feeds_itself(program),
        *_moves_itself(program, facts),
        *_never(program, lambda one: facts.entities[one].kind if one in facts.entities else None),
        *_fights(program, others),
    ]


def _moves_itself(program: Program, facts: HouseFacts) -> list[Warned]:
    """Its own actions change what lets it start, or keeps it on."""
    result = []
    for number, action in each(program.starts):
        if not isinstance(action, (Switch, Set, Other, Move)):
            continue
        own = ("starts", number, action.word)
        for watch in program.when:
            if _leads(action, watch.entity, watch.comparison.ends_with):
                what = f"it sets {action.entity}, and `when` asks for {watch.entity} to be "
                what += f"{watch.wanted}: its own action ends it"
                hint = "ask for that in a branch of starts, which is asked once"
                result.append(Warned(own, what, hint))
        for watch in (*program.parts, *program.when):
            followed = watch.moving.sources if watch.moving is not None else ()
            if action.entity in followed:
                what = f"it sets {action.entity}, and the limit of {watch.entity} follows that"
                result.append(Warned(own, what, "give the limit a value, or follow another one"))
            elif _lights(action, watch, facts):
                what = f"if {action.entity} gives light, it moves {watch.entity}, which is to be "
                what += f"{watch.wanted}: it can end itself by its own light"
                hint = "ask for darkness in a branch of starts, which is asked once"
                result.append(Warned(own, what, hint))
    return result


def _lights(action: Switch | Set | Other | Move, watch: Watch, facts: HouseFacts) -> bool:
    """Whether an action may light up the sensor that is to say that it is dark."""
    dark = watch.kind.name == "illuminance" and watch.comparison.side < 0
    on = isinstance(action, (Other, Move)) or action.to > 0
    sensor, lamp = facts.entities.get(watch.entity), facts.entities.get(action.entity)
    if sensor is None or lamp is None:
        return False
    return dark and on and bool(sensor.room) and lamp.room == sensor.room


def _feeds_itself(program: Program) -> list[Warned]:
    """It switches what it watches, back and forth without end."""
    if program.more or program.moment is not None:
        return []
    watch, compared = program.watch, program.watch.comparison
    back = any(_leads(a, watch.entity, compared.starts_with) for _, a in each(program.ends))
    return [
        Warned(
            ("starts", number, "switch"),
            "it switches what it watches, and its end switches that back: it would start "
            "itself again and again",
            "the hub stops it after a few rounds; leave one of the two out, or give it a "
            "time to hold",
        )
        for number, action in each(program.starts)
        if back and _leads(action, watch.entity, compared.ends_with)
    ]


def _leads(action: object, entity: str, where: Callable[[float], bool]) -> bool:
    """Whether an action switches this entity to where it wants to know."""
    if isinstance(action, (Other, Move)):
        return action.entity == entity
    return isinstance(action, (Switch, Set)) and action.entity == entity and where(action.to)


def _never(program: Program, kinds: Callable[[str], Kind | None]) -> list[Warned]:
    """What must be so at the same time cannot be."""
    together = program.parts if program.need == len(program.parts) else ()
    limits: dict[str, tuple[float, float]] = {}
    for watch in (*together, *program.when):
        low, high = _span(watch)
        before = limits.get(watch.entity, (low, high))
        limits[watch.entity] = max(before[0], low), min(before[1], high)
    followed = [
        Warned(
            ("watch",),
            f"it can never start: {watch.entity} is never {watch.wanted}",
            "look at the signs and units of the formula",
        )
        for watch in (program.watch, *(one for one in program.more if program.need > 1))
        if program.moment is None and _never_followed(watch, kinds)
    ]
    return followed + [
        Warned(
            ("watch",),
            f"it can never start: {entity} cannot be all of that at once",
            "leave one of the limits out",
        )
        for entity, (low, high) in limits.items()
        if low > high or (low == high and not _exact(together, program.when, entity))
    ]


class _Pretended(NamedTuple):
    """A house in which each entity has a value of the test's own."""

    values: Mapping[str, float]
    now_ms: int = 0
    zone: tzinfo = UTC
    time_known: bool = True
    obeyed: bool = True

    def sight(self, entity: str) -> Sight:
        value = self.values.get(entity)
        return Sight(value, known=value is not None)

    def called(self, entity: str) -> Called:
        return Called(entity)


def _never_followed(watch: Watch, kinds: Callable[[str], Kind | None]) -> bool:
    """Whether no values of what its limit follows let it start: tried with the ends of
    what each can be, and between them."""
    moving = watch.moving
    if moving is None:
        return False
    names = list(dict.fromkeys((watch.entity, *moving.sources)))
    known = [watch.kind if name == watch.entity else kinds(name) for name in names]
    if any(one is None for one in known) or len(names) > MOST_TRIED:
        return False
    some = [
        [kind.low + share * (kind.high - kind.low) for share in SHARES] for kind in known if kind
    ]
    for values in product(*some):
        world = _Pretended(dict(zip(names, values, strict=True)))
        now = watch.now(world)
        if now is not None and now.comparison.starts_with(values[0]):
            return False
    return True


def _span(watch: Watch) -> tuple[float, float]:
    """Between which values it is so; from -inf to inf where that says nothing."""
    return (-inf, inf) if watch.moving is not None else watch.comparison.span()


def _exact(together: Sequence[Watch], when: Sequence[Watch], entity: str) -> bool:
    """Whether an entity is compared with one value only by `is`, or within up to it."""
    own = [watch.comparison for watch in (*together, *when) if watch.entity == entity]
    return all(comparison.exact for comparison in own)


def _fights(program: Program, others: Mapping[str, Program]) -> list[Warned]:
    """Another one gives the same switch another value."""
    return [
        Warned(
            ("starts", number, action.word),
            f"{name} gives {action.entity} another value: the two can fight over it",
            "let one of them do both, or give them different hours",
        )
        for number, action in each(program.starts)
        if isinstance(action, (Switch, Set))
        for name, other in others.items()
        if _opposed(action, other)
    ]


def _opposed(action: Switch | Set, other: Program) -> bool:
    return any(
        isinstance(one, (Switch, Set)) and one.entity == action.entity and one.to != action.to
        for _, one in each((*other.starts, *other.ends))
    )
