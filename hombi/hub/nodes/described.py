"""What a node says it has becomes entities: when it is let in, and when it says so
again later (another profile, newer software, a value that it had not told before)."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import msgspec

from hombi.core.errors import UnitError
from hombi.core.kinds import Kind, kind_by_key
from hombi.core.rhythm import Rhythm
from hombi.core.series import Channels
from hombi.core.units import conversion, convert
from hombi.hub.errors import Refused
from hombi.hub.house import Entity, House, Node
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right, while_stored
from hombi.hub.nodes.entities import ChangeEntity
from hombi.hub.nodes.events import EntityKindChanged, NodeDescribed
from hombi.hub.nodes.links import Links
from hombi.hub.nodes.picks import checked_kind
from hombi.hub.nodes.port import NewEntity
from hombi.links.base import Found
from hombi.links.offer import OfferedValue


def as_stored(offered: OfferedValue, title: str, *, hidden: bool) -> NewEntity:
    """The entity as it is stored: limits in the kind's unit, never wider than the
    kind's own."""
    kind = offered.kind

    def limit(value: float | None, own: float) -> float:
        if value is None:
            return own
        return convert(value, offered.unit, kind.unit) if kind.unit else value

    return NewEntity(
        offered.name,
        title,
        kind.key,
        offered.wire_name,
        offered.unit,
        max(kind.low, limit(offered.low, kind.low)),
        min(kind.high, limit(offered.high, kind.high)),
        offered.writable,
        hidden,
    )


# Where a node's `reach` has the kinds that a person chose: {wire name: [kind, unit]}.
CHOSEN = "kinds"


def as_chosen(offered: OfferedValue, reach: Mapping[str, Any]) -> OfferedValue:
    """A value with the kind and the unit that a person chose for it, in place of those
    that its node says."""
    kind, unit = reach.get(CHOSEN, {}).get(offered.wire_name, ("", ""))
    if not kind:
        return offered
    return msgspec.structs.replace(offered, kind_name=kind, unit=unit, low=None, high=None)


def with_chosen(reach: Mapping[str, Any], wire_name: str, kind: Kind, unit: str) -> dict[str, Any]:
    """What is kept of a node, with the kind that a person chose for one of its
    values."""
    return {**reach, CHOSEN: {**reach.get(CHOSEN, {}), wire_name: [kind.key, unit]}}


class Described(Feature):
    """Adds what an admitted node says again. Nothing is taken away: what it does not
    name any more only falls silent."""

    name = "descriptions"

    def __init__(self, context: Context, house: House, links: Links) -> None:
        super().__init__(context)
        self.house, self._links = house, links
        self._one_by_one = asyncio.Lock()

    async def take_up(self, node: Node, finding: Found) -> None:
        """Add the entities that are new, and bring the others up to date; their names
        and addresses stay."""
        records, run = self.context.records.house, self.context.thread.run
        async with self._one_by_one:
            same = finding.offer == node.offer
            if same or self.house.nodes.get(node.address) is not node:
                return
            new, changed = [], False
            for value in finding.offer.values:
                offered = as_chosen(value, node.reach)
                entity = node.by_wire_name.get(offered.wire_name)
                entity = entity or node.entities.get(offered.name)
                if entity is None:
                    stored = as_stored(offered, offered.title, hidden=offered.hidden)
                    stored = replace(stored, name=self.house.own_name(node.address, stored.name))
                    now = self.context.clock.now_ms()
                    number, channels = await run(records.add_entity, node, stored, now)
                    entity = stored.placed(number, node, channels)
                    self.house.add_entity(entity)
                    new.append(entity)
                elif not entity.source:
                    stored = as_stored(offered, entity.title, hidden=entity.hidden)
                    changed |= await self.become(entity, replace(stored, name=entity.name))
            node.offer = finding.offer
            if "description" in finding.reach:
                node.reach = {**node.reach, "description": finding.reach["description"]}
            await run(records.save_node, node)
        self._links.follow(node)
        more = tuple(entity.title for entity in new)
        event = NodeDescribed(node=node.address, title=node.title, more=more)
        self.context.announce(event)

    async def become(
        self,
        entity: Entity,
        stored: NewEntity,
        store: Callable[[NewEntity], Channels] | None = None,
    ) -> bool:
        """Make an entity what is to be stored of it, by `store` where more is stored
        with it; whether anything about it is another now. What it was sent before stays
        what it was: another kind or unit is another channel."""
        node, kind = entity.node, kind_by_key(stored.kind)
        assert node is not None, "a node says what its own entities are"
        before = (
            entity.kind,
            entity.wire_name,
            entity.wire_unit,
            entity.low,
            entity.high,
            entity.writable,
        )
        after = (
            kind,
            stored.wire_name,
            stored.wire_unit,
            stored.low,
            stored.high,
            stored.writable,
        )
        if before == after:
            return False
        entity.origin = await self.context.thread.run(store or partial(self._store, node), stored)
        self.house.take_out_entity(entity)
        if entity.kind != kind:
            # It begins again: what it was before says nothing of what it is now.
            entity.latest, entity.rhythm = None, Rhythm()
        entity.become(kind, stored.low, stored.high)
        entity.wire_name, entity.wire_unit = stored.wire_name, stored.wire_unit
        entity.writable = stored.writable
        self.house.add_entity(entity)
        return True

    def _store(self, node: Node, stored: NewEntity) -> Channels:
        """In the records thread."""
        now = self.context.clock.now_ms()
        return self.context.records.house.add_entity(node, stored, now)[1]

    async def choose_kind(
        self, entity: Entity, kind: Kind, unit: str, more: Mapping[str, Any]
    ) -> None:
        """Take an entity for another kind from now on, with `more` of its attributes
        changed."""
        node, records = entity.node, self.context.records
        assert node is not None, "what is computed has no channel"

        def keep() -> None:
            with records.together():
                records.house.save_node(node)
                records.house.save_entity(entity)

        def store(stored: NewEntity) -> Channels:
            with records.together():
                channels = self._store(node, stored)
                keep()
            return channels

        async with self._one_by_one:
            reach = node.reach
            if not entity.source:
                reach = with_chosen(reach, entity.wire_name, kind, unit)
            stored = NewEntity(
                entity.name,
                more.get("title", entity.title),
                kind.key,
                entity.wire_name,
                unit,
                kind.low,
                kind.high,
                entity.writable,
                more.get("hidden", entity.hidden),
                source=entity.source,
                sink=entity.sink,
            )
            with while_stored(node, reach=reach), while_stored(entity, **more):
                if not await self.become(entity, stored, store):
                    await self.context.thread.run(keep)
        self._links.follow(node)


class ChangeKind(Change[Described, Entity], frozen=True):
    """Take an entity for another kind from now on; its past keeps what it was. `unit`
    is the one that its node speaks, the kind's own unless given. Raises NotFound,
    Invalid, Refused."""

    entity: str
    kind: str
    unit: str = ""
    # What else of it is changed with it.
    rest: ChangeEntity | None = None

    feature = Described
    right = Right.ADMIT

    async def do(self, feature: Described, by: Actor) -> Done[Entity]:
        entity = feature.house.entity(self.entity)
        # What is of this kind already keeps the words of its node.
        same = entity.kind.brings and entity.kind.name == self.kind and not self.unit
        kind = entity.kind if same else checked_kind(self.kind, self.unit)
        if entity.node is None:
            raise Refused(f"{entity.title} is computed; its kind follows from how")
        before, unit = entity.kind.shown, self.unit or _unit(entity.wire_unit, kind)
        more = self.rest.changed(entity, kind) if self.rest is not None else {}
        await feature.choose_kind(entity, kind, unit, more)
        event = EntityKindChanged(
            node=entity.node.address, entity=entity.address, kind=kind.shown, before=before
        )
        return Done(entity, event, also=(self.rest.event(entity),) if self.rest else ())


def _unit(sent: str, kind: Kind) -> str:
    """The unit that a node goes on sending, if it fits the kind; else the kind's."""
    try:
        conversion(sent, kind.unit)
    except UnitError:
        return kind.unit
    return sent if kind.unit else ""
