"""What a person changes of how an entity is conditioned."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping, Sequence

from hombi.core.series import Derivation
from hombi.core.series.conditioning import PlanError, checked, in_words
from hombi.hub.conditioning.feature import Conditioning
from hombi.hub.conditioning.plans import Conditioned
from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Actor, Change, Done, Right
from hombi.hub.readings.events import EntityConditioned


class ConditionEntity(Change[Conditioning, Conditioned], frozen=True):
    """Condition an entity's values by these steps from now on, or over its whole past
    too. Raises NotFound, Invalid, Refused."""

    entity: str
    steps: Sequence[Mapping[str, object]]
    past: bool = False

    feature = Conditioning
    right = Right.TUNE

    async def do(self, feature: Conditioning, by: Actor) -> Done[Conditioned]:
        entity = conditionable(feature.house, self.entity)
        try:
            # A formula is checked by a library that takes its time to load.
            plan = await asyncio.to_thread(checked, self.steps, entity.kind)
        except PlanError as error:
            raise Invalid(str(error)) from error
        made = await feature.set_plan(entity, plan, past=self.past, by=str(by))
        words = "; ".join(in_words(step) for step in plan) or "no steps"
        return Done(made, _told(entity, words, past=self.past))


class UndoConditioning(Change[Conditioning, Conditioned], frozen=True):
    """Take the latest conditioning of an entity back; its past becomes what it was.
    Raises NotFound, Refused."""

    entity: str

    feature = Conditioning
    right = Right.TUNE

    async def do(self, feature: Conditioning, by: Actor) -> Done[Conditioned]:
        entity = conditionable(feature.house, self.entity)
        gone = await feature.take_back(entity)
        words = "; ".join(in_words(step) for step in entity.plan) or "no steps"
        return Done(feature.of(entity), _told(entity, words, past=not gone.since_ms, undone=True))


def conditionable(house: House, name: str) -> Entity:
    """An entity whose values a node sends. Raises NotFound, Refused."""
    entity = house.entity(name)
    if isinstance(entity.origin, Derivation):
        raise Refused(f"{entity.address} is computed; set the steps of what it is computed from")
    if entity.writable:
        # A command is confirmed by a reading of the wanted value.
        raise Refused(
            f"{entity.address} is set from here; conditioned, a command would never be confirmed"
        )
    return entity


def _told(entity: Entity, words: str, *, past: bool, undone: bool = False) -> EntityConditioned:
    node = entity.node.address if entity.node else ""
    return EntityConditioned(
        node=node, entity=entity.address, words=words, past=past, undone=undone
    )
