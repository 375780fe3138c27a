"""What a person changes of an entity, whatever it comes from."""

from __future__ import annotations

from dataclasses import dataclass

from hombi.hub.errors import Invalid, Refused
from hombi.hub.events import EntityChanged, EntityRemoved
from hombi.hub.house import Entity
from hombi.hub.kernel import Actor, Change, Done, Right
from hombi.hub.picks import Picks


@dataclass(frozen=True, slots=True)
class ChangeEntity(Change[Picks, Entity]):
    """Rename an entity (its address stays), hide or show it. Raises NotFound,
    Invalid."""

    entity: str
    title: str | None = None
    hidden: bool | None = None

    part = Picks
    right = Right.ARRANGE

    async def do(self, part: Picks, by: Actor) -> Done[Entity]:
        entity = part.house.entity(self.entity)
        if self.title is not None:
            if not self.title.strip():
                raise Invalid("an entity needs a name")
            entity.title = self.title.strip()
        if self.hidden is not None:
            entity.hidden = self.hidden
        await part.context.thread.run(part.context.records.house.save_entity, entity)
        event = EntityChanged(
            node=entity.node.address if entity.node else "",
            entity=entity.address,
            title=entity.title,
            hidden=entity.hidden,
        )
        return Done(entity, event)


@dataclass(frozen=True, slots=True)
class RemoveEntity(Change[Picks, None]):
    """Take an entity that was picked away, with its history. Raises NotFound,
    Refused."""

    entity: str

    part = Picks
    right = Right.ADMIT

    async def do(self, part: Picks, by: Actor) -> Done[None]:
        entity = part.house.entity(self.entity)
        if not entity.source:
            raise Refused(
                f"{entity.address} is what its node says it has; it can be hidden, not removed"
            )
        others = part.house.derived_from([entity.address])
        if others:
            raise Refused(f"{', '.join(others)} is derived from it; remove that first")
        await part.remove(entity)
        node = entity.node.address if entity.node else ""
        return Done(None, EntityRemoved(node=node, entity=entity.address))
