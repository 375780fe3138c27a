"""The house port: floors, rooms, nodes and entities."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Protocol

from hombi.core.kinds import kind_by_key
from hombi.core.series import Channels, Reading
from hombi.hub.house import Entity, Floor, House, Node, Room
from hombi.hub.nodes.pairing_port import ArrivalRecord


@dataclass(frozen=True, slots=True)
class NewEntity:
    """An entity as it is admitted."""

    name: str
    title: str
    kind: str
    wire_name: str
    wire_unit: str
    low: float
    high: float
    writable: bool
    hidden: bool = False
    source: dict[str, Any] = field(default_factory=dict)
    sink: dict[str, Any] = field(default_factory=dict)

    def placed(
        self, number: int, node: Node, channels: Channels, latest: Reading | None = None
    ) -> Entity:
        """The entity that it becomes, with the number under which it is stored."""
        return Entity(
            number,
            f"{node.address}/{self.name}",
            self.title,
            kind_by_key(self.kind),
            channels,
            self.low,
            self.high,
            node=node,
            wire_name=self.wire_name,
            wire_unit=self.wire_unit,
            writable=self.writable,
            latest=latest,
            hidden=self.hidden,
            source=self.source,
            sink=self.sink,
        )


@dataclass(frozen=True, slots=True)
class NewNode:
    """A node as it is admitted. `replaces` is the id of the node that it was before, 0
    for a new one; `offer` is what it has, as plain data."""

    address: str
    title: str
    link: str
    thing_id: str
    room_id: int | None
    admitted_ms: int
    entities: tuple[NewEntity, ...]
    replaces: int = 0
    reach: dict[str, Any] = field(default_factory=dict)
    offer: dict[str, Any] = field(default_factory=dict)
    key_hash: str = ""


class HousePort(Protocol):
    """What the house is made of."""

    def load(self, house: House) -> None:
        """Fill the house with what is stored, latest readings included."""

    def add_floor(self, name: str, position: int) -> Floor: ...

    def save_floor(self, floor: Floor) -> None: ...

    def remove_floor(self, floor: Floor) -> None: ...

    def add_room(self, slug: str, name: str, floor: Floor, position: int) -> Room: ...

    def save_room(self, room: Room) -> None: ...

    def remove_room(self, room: Room) -> None: ...

    def admit(
        self, new: NewNode, arrival: ArrivalRecord | None
    ) -> tuple[int, dict[str, tuple[int, Channels]]]:
        """Store a node with its entities and what became of its arrival: (node id,
        entity ids and their channels by name)."""

    def save_node(self, node: Node) -> None:
        """Store a node's title, room, key, reach and offer."""

    def remove_node(self, node: Node, *, keep_history: bool) -> None: ...

    def add_entity(self, node: Node, new: NewEntity, since_ms: int) -> tuple[int, Channels]:
        """Store one more entity of a node: its id, and its channels. One of this name
        that was there before goes on; of another kind or unit, in another channel."""

    def add_computed(self, entity: Entity) -> int:
        """Store an entity that is computed from others; its id."""

    def add_told(self, entity: Entity) -> int:
        """Store an entity of no node, which is told; its id."""

    def save_entity(self, entity: Entity) -> None:
        """Store what an entity is called, whether it is hidden, and how it is picked
        and written."""

    def remove_entity(self, entity: Entity) -> None:
        """Take an entity away, with its history."""
