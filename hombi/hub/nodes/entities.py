"""What a person changes of an entity, whatever it comes from."""

from __future__ import annotations

from typing import Any

from hombi.core.errors import UnitError, ValueTextError
from hombi.core.kinds import Kind
from hombi.core.seen import MOST_DECIMALS, as_seen
from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import Entity
from hombi.hub.kernel import Actor, Change, Done, Event, Right, while_stored
from hombi.hub.naming import proper_name
from hombi.hub.nodes.events import EntityChanged, EntityRemoved
from hombi.hub.nodes.picks import Picks
from hombi.hub.settings.config import kept_s


class ChangeEntity(Change[Picks, Entity], frozen=True):
    """Rename an entity (its address stays), hide or show it, or say in which unit and
    with how many decimals it is seen, and for how long its readings are kept; of these,
    "" and -1 are as for all others. Raises NotFound, Invalid."""

    entity: str
    title: str | None = None
    hidden: bool | None = None
    seen_in: str | None = None
    decimals: int | None = None
    keep: str | None = None

    feature = Picks
    right = Right.ARRANGE

    async def do(self, feature: Picks, by: Actor) -> Done[Entity]:
        entity = feature.house.entity(self.entity)
        with while_stored(entity, **self.changed(entity, entity.kind)):
            await feature.context.thread.run(feature.context.records.house.save_entity, entity)
        return Done(entity, self.event(entity))

    def changed(self, entity: Entity, kind: Kind) -> dict[str, Any]:
        """The attributes that an entity of this kind has with it. Raises Invalid."""
        title = entity.title
        if self.title is not None:
            title = proper_name(self.title, "the name of an entity")
            if not title:
                raise Invalid("an entity needs a name")
        hidden = entity.hidden if self.hidden is None else self.hidden
        return {"title": title, "hidden": hidden, "own": self._own(entity, kind)}

    def event(self, entity: Entity) -> Event:
        """What is said of it afterwards."""
        return EntityChanged(
            node=entity.node.address if entity.node else "",
            entity=entity.address,
            title=entity.title,
            hidden=entity.hidden,
        )

    def _own(self, entity: Entity, kind: Kind) -> dict[str, Any]:
        own = dict(entity.own)
        given = (("unit", self.seen_in), ("decimals", self.decimals), ("keep", self.keep))
        for name, value in given:
            if value in ("", -1):
                own.pop(name, None)
            elif value is not None:
                own[name] = value
        if (decimals := own.get("decimals", 0)) > MOST_DECIMALS:
            raise Invalid(f"a value has {MOST_DECIMALS} decimals at most, not {decimals}")
        if "unit" in own and not kind.unit:
            raise Invalid(f"a {kind.shown} has no unit")
        try:
            as_seen(kind, (), own.get("unit", ""), own.get("decimals"))
            if self.keep:
                own["keep_ms"] = round(1000 * kept_s(self.keep))
        except (UnitError, ValueTextError, ValueError) as error:
            raise Invalid(str(error)) from error
        if "keep" not in own:
            own.pop("keep_ms", None)
        return own


class RemoveEntity(Change[Picks, None], frozen=True):
    """Take an entity that was picked away, with its history. Raises NotFound,
    Refused."""

    entity: str

    feature = Picks
    right = Right.ADMIT

    async def do(self, feature: Picks, by: Actor) -> Done[None]:
        entity = feature.house.entity(self.entity)
        if not entity.source:
            raise Refused(
                f"{entity.address} is what its node says it has; it can be hidden, not removed"
            )
        others = feature.house.derived_from([entity.address])
        if others:
            raise Refused(f"{', '.join(others)} is computed from it; remove that first")
        await feature.remove(entity)
        node = entity.node.address if entity.node else ""
        return Done(None, EntityRemoved(node=node, entity=entity.address))
