"""The house in memory."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from itertools import count
from typing import Any

from hombi.core.kinds import kind_by_key
from hombi.core.series import Channel, Channels
from hombi.hub.house import Entity, Floor, House, Node, Room
from hombi.hub.nodes.pairing_port import ArrivalRecord
from hombi.hub.nodes.port import NewEntity, NewNode
from hombi.links.offer import offer_of
from tests.memory.history import MemoryHistory
from tests.memory.others import MemoryPairing


@dataclass
class _StoredNode:
    """A node's row, with its entities' by name."""

    id: int
    new: NewNode
    removed: bool = False
    entities: dict[str, tuple[int, NewEntity]] = field(default_factory=dict)


class MemoryHouse:
    """`HousePort` without a disk."""

    def __init__(self, history: MemoryHistory, pairing: MemoryPairing) -> None:
        self._ids = count(1)
        self._history, self._pairing = history, pairing
        self._floors: dict[int, Floor] = {}
        self._rooms: dict[int, Room] = {}
        self._nodes: dict[str, _StoredNode] = {}
        self._derived: dict[int, Entity] = {}
        self._own: dict[int, dict[str, Any]] = {}
        self.people: set[str] = set()

    def load(self, house: House) -> None:
        floors = {floor.id: replace(floor) for floor in self._floors.values()}
        house.floors.update(sorted(floors.items(), key=lambda item: item[1].position))
        rooms = {one.id: replace(one, floor=floors[one.floor.id]) for one in self._rooms.values()}
        house.rooms.update({room.slug: room for room in rooms.values()})
        for stored in self._nodes.values():
            if not stored.removed:
                house.add(self._node(stored, rooms))
        for one in self._derived.values():
            readings = self._history.readings_of(one.id)[-1:]
            own = rooms.get(one.own_room.id) if one.own_room else None
            latest = readings[0] if readings else None
            host = house.nodes.get(one.host.address) if one.host else None
            house.add_entity(replace(one, own_room=own, host=host, latest=latest))
        house.people = set(self.people)

    def _node(self, stored: _StoredNode, rooms: dict[int, Room]) -> Node:
        new = stored.new
        node = Node(
            stored.id,
            new.address,
            new.title,
            new.link,
            new.thing_id,
            new.key_hash,
            rooms.get(new.room_id or 0),
            new.admitted_ms,
            reach=dict(new.reach),
            offer=offer_of(new.offer),
        )
        for name, (number, entity) in stored.entities.items():
            channels = Channels(self._history.channels[number].values())
            placed = entity.placed(number, node, channels)
            placed.own = dict(self._own.get(number, {}))
            readings = self._history.readings_of(number)[-2:]
            if readings:
                placed.latest = readings[-1]
                placed.heard_ms = placed.latest.at_ms
                placed.recent = {r.at_ms: r.sent for r in readings}
            node.entities[name] = placed
        heard = (e.latest.at_ms for e in node.entities.values() if e.latest)
        node.heard_ms = max(heard, default=new.admitted_ms)
        return node

    def add_floor(self, name: str, position: int) -> Floor:
        floor = Floor(next(self._ids), name, position)
        self._floors[floor.id] = replace(floor)
        return floor

    def save_floor(self, floor: Floor) -> None:
        self._floors[floor.id] = replace(floor)

    def remove_floor(self, floor: Floor) -> None:
        del self._floors[floor.id]

    def add_room(self, slug: str, name: str, floor: Floor, position: int) -> Room:
        number = next(self._ids)
        self._rooms[number] = Room(number, slug, name, floor, position)
        return Room(number, slug, name, floor, position)

    def save_room(self, room: Room) -> None:
        self._rooms[room.id] = replace(room)

    def room_slugs(self) -> set[str]:
        """The addresses of the rooms that are there."""
        return {room.slug for room in self._rooms.values()}

    def remove_room(self, room: Room) -> None:
        self._rooms.pop(room.id, None)
        for stored in self._nodes.values():
            if stored.removed and stored.new.room_id == room.id:
                stored.new = replace(stored.new, room_id=None)

    def admit(
        self, new: NewNode, arrival: ArrivalRecord | None
    ) -> tuple[int, dict[str, tuple[int, Channels]]]:
        stored = self._nodes.get(new.thing_id)
        if stored is None:
            stored = self._nodes[new.thing_id] = _StoredNode(next(self._ids), new)
        stored.new, stored.removed = new, False
        ids = {e.name: self._entity(stored, e, new.admitted_ms) for e in new.entities}
        if arrival is not None:
            self._pairing.save(arrival)
        return stored.id, ids

    def add_entity(self, node: Node, new: NewEntity, since_ms: int) -> tuple[int, Channels]:
        return self._entity(self._nodes[node.thing_id], new, since_ms)

    def _entity(self, stored: _StoredNode, new: NewEntity, since_ms: int) -> tuple[int, Channels]:
        number, _ = stored.entities.get(new.name, (0, None))
        number = number or next(self._ids)
        stored.entities[new.name] = (number, new)
        self._history.entities.add(number)
        kind, known = kind_by_key(new.kind), self._history.channels.setdefault(number, {})
        same = [c for c in known.values() if (c.kind, c.unit) == (kind, new.wire_unit)]
        if same:
            channels = Channels(known.values())
            channels.now = same[0]
            return number, channels
        channel = Channel(max(known, default=-1) + 1, kind, new.wire_unit, since_ms)
        known[channel.number] = channel
        channels = Channels(known.values())
        channels.now = channel
        return number, channels

    def add_computed(self, entity: Entity) -> int:
        number = next(self._ids)
        self._derived[number] = replace(entity, id=number)
        self._history.entities.add(number)
        return number

    def add_told(self, entity: Entity) -> int:
        number = self.add_computed(entity)
        now = entity.channels.now
        self._history.channels.setdefault(number, {})[now.number] = now
        return number

    def save_entity(self, entity: Entity) -> None:
        self._own[entity.id] = dict(entity.own)
        if entity.id in self._derived:
            self._derived[entity.id] = replace(entity)
        stored = self._of(entity)
        if stored is not None and entity.name in stored.entities:
            number, new = stored.entities[entity.name]
            changed: dict[str, Any] = {
                "title": entity.title,
                "hidden": entity.hidden,
                "source": entity.source,
                "sink": entity.sink,
                "writable": entity.writable,
            }
            stored.entities[entity.name] = (number, replace(new, **changed))

    def remove_entity(self, entity: Entity) -> None:
        stored = self._of(entity)
        if stored is not None:
            stored.entities.pop(entity.name, None)
        self._derived.pop(entity.id, None)
        self._history.forget_entity(entity.id)

    def _of(self, entity: Entity) -> _StoredNode | None:
        return None if entity.node is None else self._nodes.get(entity.node.thing_id)

    def save_node(self, node: Node) -> None:
        stored = self._nodes.get(node.thing_id)
        if stored is not None:
            stored.new = replace(
                stored.new,
                title=node.title,
                room_id=node.room.id if node.room else None,
                key_hash=node.key_hash,
                reach=node.reach,
                offer=node.offer.as_data(),
            )

    def remove_node(self, node: Node, *, keep_history: bool) -> None:
        stored = self._nodes.get(node.thing_id)
        if stored is None:
            return
        if keep_history:
            stored.removed = True
            stored.new = replace(stored.new, key_hash="", room_id=None)
            return
        for number, _ in stored.entities.values():
            self._history.forget_entity(number)
        del self._nodes[node.thing_id]
