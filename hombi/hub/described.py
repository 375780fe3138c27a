"""What a node says it has becomes entities: when it is let in, and when it says so anew
later (another profile, newer software, a value that it had not told before)."""

from __future__ import annotations

import asyncio
from dataclasses import replace

from hombi.core.units import convert
from hombi.hub.events import NodeDescribed
from hombi.hub.house import Entity, House, Node
from hombi.hub.kernel import Context, Part
from hombi.hub.links import Links
from hombi.hub.ports import NewEntity
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
        kind.name,
        offered.wire_name,
        offered.unit,
        max(kind.low, limit(offered.low, kind.low)),
        min(kind.high, limit(offered.high, kind.high)),
        offered.writable,
        hidden,
    )


class Described(Part):
    """Takes up what an admitted node says anew. Nothing is taken away: what it does not
    name any more only falls silent."""

    name = "descriptions"

    def __init__(self, context: Context, house: House, links: Links) -> None:
        super().__init__(context)
        self._house, self._links = house, links
        self._one_by_one = asyncio.Lock()

    async def take_up(self, node: Node, found: Found) -> None:
        """Add the entities that are new, and bring the others up to date; their names
        and addresses stay."""
        records, run = self.context.records.house, self.context.thread.run
        async with self._one_by_one:
            same = found.offer == node.offer
            if same or self._house.nodes.get(node.address) is not node:
                return
            new, changed = [], False
            for offered in found.offer.values:
                entity = node.by_wire_name.get(offered.wire_name)
                entity = entity or node.entities.get(offered.name)
                if entity is None:
                    stored = as_stored(offered, offered.title, hidden=offered.hidden)
                    now = self.context.clock.now_ms()
                    number, channels = await run(records.add_entity, node, stored, now)
                    entity = stored.placed(number, node, channels)
                    self._house.add_entity(entity)
                    new.append(entity)
                elif not entity.source:
                    changed |= await self._bring_up_to_date(node, entity, offered)
            node.offer = found.offer
            if "description" in found.reach:
                node.reach = {**node.reach, "description": found.reach["description"]}
            await run(records.save_node, node)
        self._links.follow(node)
        more = tuple(entity.title for entity in new)
        event = NodeDescribed(node=node.address, title=node.title, more=more)
        self.context.announce(event)

    async def _bring_up_to_date(self, node: Node, entity: Entity, offered: OfferedValue) -> bool:
        """Whether anything about it is another now. What it was sent before stays what
        it was: another kind or unit is another channel."""
        stored = replace(as_stored(offered, entity.title, hidden=entity.hidden), name=entity.name)
        before = (
            entity.kind,
            entity.wire_name,
            entity.wire_unit,
            entity.low,
            entity.high,
            entity.writable,
        )
        after = (
            offered.kind,
            stored.wire_name,
            stored.wire_unit,
            stored.low,
            stored.high,
            stored.writable,
        )
        if before == after:
            return False
        now = self.context.clock.now_ms()
        records = self.context.records.house
        _, entity.origin = await self.context.thread.run(records.add_entity, node, stored, now)
        self._house.take_out_entity(entity)
        if entity.kind is not offered.kind:
            # It begins anew: what it was before says nothing of what it is now.
            entity.latest, entity.interval_ms, entity.gaps = None, 0.0, 0
        entity.become(offered.kind, stored.low, stored.high)
        entity.wire_name, entity.wire_unit = stored.wire_name, stored.wire_unit
        entity.writable = stored.writable
        self._house.add_entity(entity)
        return True
