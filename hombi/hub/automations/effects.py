"""What automations want done, carried out: each by itself, whatever becomes of the
others."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, Protocol

from hombi.core.automation import (
    Doing,
    Effect,
    MoveBy,
    OnDuty,
    Program,
    Recall,
    SwitchOver,
    SwitchTo,
    Tell,
    TuneTo,
    Why,
)
from hombi.core.same import same
from hombi.core.values import show_value
from hombi.hub.acting.actuation import SwitchEntity
from hombi.hub.acting.events import ActionFailed
from hombi.hub.errors import HubError
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Actor, Change, Context
from hombi.hub.nodes.settings import Act, ChangeSetting
from hombi.hub.notices.outbox import Told

# How long what an automation switched counts as the cause of what happens there.
CAUSE_MS = 30_000


def subject_of(automation: str) -> str:
    """What the notices of an automation are about."""
    return f"automation/{automation}"


def page_of(automation: str) -> str:
    """The page that says why an automation told something."""
    return f"/automations/{automation}"


class Teller(Protocol):
    """Who brings a notice to people."""

    def tell(self, notice: Told) -> None:
        """Send a notice, after the commit."""

    def over(self, subject: str, say: Callable[[str], str], path: str) -> None:
        """What was told of is over; `say` makes the text of how long it lasted."""

    def forget(self, subject: str) -> None:
        """What was told of it before belongs to a time that is past."""


def first_switches(effects: Sequence[Effect]) -> int:
    """How many of them switch something before anything else is to be done."""
    for place, effect in enumerate(effects):
        if not isinstance(effect, (SwitchTo, SwitchOver, MoveBy, Recall)):
            return place
    return len(effects)


class Effects:
    """Carries them out, and knows what automations switched lately."""

    def __init__(
        self,
        context: Context,
        house: House,
        teller: Teller,
        duty: Callable[[OnDuty, str, Actor], None],
        buttons: Callable[[str], tuple[dict[str, Any], ...]],
        present: Callable[[Entity], float],
    ) -> None:
        self._buttons, self._present = buttons, present
        self.context, self._house, self._teller, self._duty = context, house, teller, duty
        # By which chain of automations an entity was switched, when, and to what.
        self._causes: dict[str, tuple[tuple[str, ...], int, float]] = {}

    def carry_out(
        self,
        effects: Iterable[Effect],
        name: str,
        actor: Actor,
        chain: tuple[str, ...],
        at_ms: int,
    ) -> None:
        """Begin them, in their order; `chain` are the automations that led to them,
        `name` the last."""
        at_once = True
        for effect in effects:
            self._carry_out(effect, name, actor, chain, at_ms, at_once=at_once)
            # What is asked for has its turn later; nothing overtakes it.
            at_once = at_once and not isinstance(effect, (Doing, TuneTo))

    def _carry_out(
        self,
        effect: Effect,
        name: str,
        actor: Actor,
        chain: tuple[str, ...],
        at_ms: int,
        *,
        at_once: bool,
    ) -> None:
        if isinstance(effect, SwitchTo):
            entity = self._house.entities.get(effect.entity)
            if entity is not None:
                self._causes[effect.entity] = (chain, at_ms, effect.to)
                change = SwitchEntity(entity, effect.to, name, at_once, effect.taking_ms)
                asking = self.context.changes.begin(change, actor)
                self.context.tasks.start(asking, name=f"{name} switches {effect.entity}")
        elif isinstance(effect, (SwitchOver, MoveBy)):
            try:
                switched = self._from_where_it_is(effect)
            except HubError as error:
                self.context.announce(ActionFailed(automation=name, problem=str(error)), actor)
                return
            if switched is not None:
                self._carry_out(switched, name, actor, chain, at_ms, at_once=at_once)
        elif isinstance(effect, Recall):
            for address, to in effect.states:
                self._carry_out(SwitchTo(address, to), name, actor, chain, at_ms, at_once=at_once)
        elif isinstance(effect, OnDuty):
            self._duty(effect, name, actor)
        elif isinstance(effect, Doing):
            self.ask(Act(effect.node, effect.action, dict(effect.inputs)), name, actor)
        elif isinstance(effect, TuneTo):
            self.ask(ChangeSetting(effect.node, effect.setting, effect.to), name, actor)
        elif isinstance(effect, Tell):
            notice = Told(
                effect.to, effect.title, effect.text, page_of(name), subject_of(name),
                effect.urgent, sorts=effect.sorts, buttons=self._buttons(name),
                picture=effect.picture,
            )  # fmt: skip
            self._teller.tell(notice)

    def _from_where_it_is(self, effect: SwitchOver | MoveBy) -> SwitchTo | None:
        """What an entity is to be that is to be switched over, or to go up or down;
        None for one that is not there any more. Raises Invalid where it is not known
        how it is."""
        entity = self._house.entities.get(effect.entity)
        if entity is None:
            return None
        present = self._present(entity)
        if isinstance(effect, SwitchOver):
            return SwitchTo(effect.entity, 1.0 - present)
        by = effect.by
        if effect.source:
            dial = self._house.entities.get(effect.source)
            by *= (dial.latest_value if dial is not None else None) or 0.0
        if effect.share:
            by *= (entity.high - entity.low) / 100
        moved = entity.kind.arithmetic.settled(present + by)
        to = min(max(moved, entity.low), entity.high)
        return SwitchTo(effect.entity, to, show_value(to, entity.kind), effect.taking_ms)

    def over(self, name: str, say: Callable[[str], str]) -> None:
        """An automation has ended, and tells nobody itself: who was told that it
        started learns that it is over."""
        self._teller.over(subject_of(name), say, page_of(name))

    def forget(self, name: str) -> None:
        """What was told of an automation so far belongs to a time that is past: it
        starts again, or nobody is to learn that it is over."""
        self._teller.forget(subject_of(name))

    def ask(self, change: Change[Any, Any], name: str, actor: Actor) -> None:
        """Make a change that may be refused; that is told, and the rest goes on."""

        async def asking() -> None:
            try:
                await self.context.changes.do(change, actor)
            except HubError as error:
                self.context.announce(ActionFailed(automation=name, problem=str(error)), actor)

        self.context.tasks.start(asking(), name=f"what {name} asks for")

    def chain(self, program: Program, why: Why) -> tuple[str, ...]:
        """The automations that led to what this one sees: those that switched it to
        that a moment ago."""
        watched = [why.entity or program.watch.entity, *(watch.entity for watch in program.when)]
        for address in watched:
            chain, at_ms, value = self._causes.get(address, ((), 0, 0.0))
            # What was held for long was caused when it began.
            began_ms = why.at_ms - why.held_ms
            entity = self._house.entities.get(address)
            if chain and entity is not None and began_ms - at_ms <= CAUSE_MS:
                seen = why.seen if address == watched[0] else entity.latest_value
                if seen is not None and same(value, seen, entity.step):
                    return chain
        return ()
