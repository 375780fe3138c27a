"""What a node says it has becomes entities: when it is let in, and when it says so anew
later (another profile, newer software, a value that it had not told before)."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import dataclass, field, replace

from hombi.core.units import convert
from hombi.hub.house import Entity, House, Node
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.ports import NewEntity, Records
from hombi.hub.records_thread import RecordsThread
from hombi.links.base import Driver, Found
from hombi.links.thing_description import DescriptionError, Promised, read_description


def as_stored(promised: Promised, title: str, *, hidden: bool) -> NewEntity:
    """The entity as it is stored: limits in the kind's unit, never wider than the
    kind's own."""
    kind = promised.kind

    def limit(value: float | None, own: float) -> float:
        if value is None:
            return own
        return convert(value, promised.wire_unit, kind.unit) if kind.unit else value

    low, high = (
        max(kind.low, limit(promised.low, kind.low)),
        min(kind.high, limit(promised.high, kind.high)),
    )
    return NewEntity(
        promised.name,
        title,
        kind.name,
        promised.wire_name,
        promised.wire_unit,
        low,
        high,
        promised.writable,
        hidden,
    )


@dataclass
class Redescribed:
    """Takes up what an admitted node says anew. Nothing is taken away: what it does not
    name any more only falls silent."""

    house: House
    records: Records
    thread: RecordsThread
    live: Live
    journal: Journal
    drivers: dict[str, Driver]
    house_changed: Callable[[], None]
    _one_by_one: asyncio.Lock = field(default_factory=asyncio.Lock)

    async def take_up(self, node: Node, found: Found) -> None:
        """Add the entities that are new, and bring the others up to date; their names
        and addresses stay."""
        async with self._one_by_one:
            if (
                found.description == node.reach.get("description")
                or self.house.nodes.get(node.address) is not node
            ):
                return
            try:
                thing = read_description(found.description)
            except DescriptionError as error:
                self.journal.fault(
                    "MessageRefused",
                    f"{node.address} says anew what it has: {error}",
                    node=node.address,
                )
                return
            new, changed = [], False
            for promised in thing.promised:
                entity = node.by_wire_name.get(promised.wire_name) or node.entities.get(
                    promised.name
                )
                if entity is None:
                    stored = as_stored(promised, promised.title, hidden=promised.hidden)
                    number = await self.thread.run(self.records.add_entity, node, stored)
                    entity = stored.placed(number, node)
                    self.house.add_entity(entity)
                    new.append(entity)
                elif not entity.source:
                    changed |= await self._bring_up_to_date(entity, promised)
            node.reach = {**node.reach, "description": found.description}
            await self.thread.run(self.records.save_node, node)
            node.described(thing)
        self.drivers[node.link].follow(node.on_link())
        if new:
            names = ", ".join(entity.title for entity in new)
            self.journal.note(
                "NodeDescribed", f"{node.title} has more values now: {names}", node=node.address
            )
        if new or changed:
            self.house_changed()
        self.live.publish("house", {"changed": "node", "node": node.address})

    async def _bring_up_to_date(self, entity: Entity, promised: Promised) -> bool:
        """Whether anything about it is another now."""
        before = (
            entity.kind,
            entity.wire_name,
            entity.wire_unit,
            entity.low,
            entity.high,
            entity.writable,
        )
        stored = as_stored(promised, entity.title, hidden=entity.hidden)
        after = (
            promised.kind,
            stored.wire_name,
            stored.wire_unit,
            stored.low,
            stored.high,
            stored.writable,
        )
        if before == after:
            return False
        name = entity.address.partition("/")[2]
        number = await self.thread.run(
            self.records.add_entity, entity.node, replace(stored, name=name)
        )
        self.house.take_out_entity(entity)
        if number != entity.id:  # of another kind: it begins anew, and so does its history
            self.house.add_entity(replace(stored, name=name).placed(number, entity.node))
            return True
        (
            entity.kind,
            entity.wire_name,
            entity.wire_unit,
            entity.low,
            entity.high,
            entity.writable,
        ) = after
        self.house.add_entity(entity)
        return True
