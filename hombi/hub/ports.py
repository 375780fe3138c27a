"""What the hub needs of the records. `memory.py` has it in memory; the service has it
on the database.

All methods are plain and blocking; the hub calls them in its one records thread, so
there is one writer.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from typing import Any, Protocol

from hombi.core.kinds import KINDS
from hombi.hub.house import Entity, Floor, House, Node, Reading, Room, Tool

# (entity id, time in ms since 1970, raw value, value, quality)
Row = tuple[int, int, float, float, int]


@dataclass(slots=True)
class ArrivalRecord:
    """A node that was heard and is not let in yet (or was, and has not collected its
    key).

    One that asked has a `proof` of its setup code. One that was found by its link has a
    `reach` instead, and `asks` says what must be known to use it ("user and password",
    "token"; "" for nothing). `sender` is the address that it spoke from. One that is
    still "asking" (being asked what it has) is not stored.
    """

    id: str
    thing_id: str
    title: str
    description: dict[str, Any]
    proof: str
    ticket_hash: str
    asked_ms: int
    state: str = "waiting"
    wrong_codes: int = 0
    node: str = ""
    reach: dict[str, Any] = field(default_factory=dict)
    asks: str = ""
    link: str = "wifi"
    sender: str = ""


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

    def placed(self, number: int, node: Node, latest: Reading | None = None) -> Entity:
        """The entity that it becomes, with the number under which it is stored."""
        return Entity(
            number, f"{node.address}/{self.name}", self.title, KINDS[self.kind], node,
            self.wire_name, self.wire_unit,
            self.low, self.high, self.writable, latest, hidden=self.hidden, source=self.source,
            sink=self.sink,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class NewNode:
    """A node as it is admitted. `replaces` is the id of the node that it was before, 0
    for a new one."""

    address: str
    title: str
    link: str
    thing_id: str
    room_id: int | None
    admitted_ms: int
    entities: tuple[NewEntity, ...]
    replaces: int = 0
    reach: dict[str, Any] = field(default_factory=dict)
    key_hash: str = ""


@dataclass(slots=True)
class AutomationRecord:
    """An automation as it is stored: its text word for word, and where its state
    machine stands."""

    id: int
    slug: str
    text: str
    enabled: bool = True
    state: dict[str, Any] = field(default_factory=dict)


@dataclass(slots=True)
class JournalEntry:
    """Something that happened. `id` is 0 until it is stored."""

    at_ms: int
    event: str
    text: str
    node: str = ""
    entity: str = ""
    automation: str = ""
    data: dict[str, Any] = field(default_factory=dict)
    id: int = 0


@dataclass(slots=True)
class PhoneRecord:
    """A device that takes notifications: its Web Push subscription (RFC 8030) and keys
    (RFC 8291)."""

    id: int
    name: str
    person: str
    endpoint: str
    p256dh: str
    auth: str
    added_ms: int


@dataclass(frozen=True, slots=True)
class NewNotice:
    """A notice as it is stored. `identity` is what push services and phones know it by:
    sent again, it is the same one."""

    identity: str
    title: str
    text: str
    path: str
    created_ms: int


@dataclass(slots=True)
class DeliveryRecord:
    """One notice on its way to one phone; `phone` is what that is called, also when it
    is gone."""

    id: int
    phone_id: int | None
    phone: str
    identity: str
    title: str
    text: str
    path: str
    created_ms: int
    attempts: int = 0
    next_ms: int = 0
    state: str = "waiting"
    problem: str = ""


class Records(Protocol):
    """What is kept."""

    def load_house(self, house: House) -> None:
        """Fill the house with what is stored, latest readings included."""

    def together(self) -> AbstractContextManager[None]:
        """What is done within is committed as one. Raises Busy while the disk does not
        take it."""

    def store_readings(self, rows: Sequence[Row]) -> None:
        """Commit readings in one transaction; one that is there already is left as it
        is."""

    def add_floor(self, name: str, position: int) -> Floor: ...

    def add_room(self, slug: str, name: str, floor: Floor, position: int) -> Room: ...

    def save_room(self, room: Room) -> None: ...

    def remove_room(self, room: Room) -> None: ...

    def admit(self, new: NewNode, arrival: ArrivalRecord | None) -> tuple[int, dict[str, int]]:
        """Store a node with its entities and what became of its arrival: (node id,
        entity ids by name)."""

    def save_node(self, node: Node) -> None:
        """Store a node's title, room, key and reach."""

    def add_entity(self, node: Node, new: NewEntity) -> int:
        """Store one more entity of a node; one of this name that was there before goes
        on with its history. Its id."""

    def save_entity(self, entity: Entity) -> None:
        """Store an entity's title, whether it is hidden, and how it is picked and
        written."""

    def remove_entity(self, entity: Entity) -> None:
        """Take an entity away, with its history."""

    def remove_node(self, node: Node, *, keep_history: bool) -> None: ...

    def arrivals(self) -> list[ArrivalRecord]: ...

    def save_arrival(self, arrival: ArrivalRecord) -> None: ...

    def remove_arrival(self, arrival_id: str) -> None: ...

    def tools(self) -> list[Tool]: ...

    def save_tool(self, tool: Tool) -> None: ...

    def remove_tool(self, name: str) -> None: ...

    def automations(self) -> list[AutomationRecord]: ...

    def add_automation(self, slug: str, text: str) -> AutomationRecord: ...

    def save_automation(self, record: AutomationRecord) -> None: ...

    def remove_automation(self, record: AutomationRecord) -> None: ...

    def add_journal(self, entry: JournalEntry) -> int:
        """Its number. Raises Busy while the disk does not take it."""

    def phones(self) -> list[PhoneRecord]: ...

    def add_phone(self, phone: PhoneRecord) -> PhoneRecord: ...

    def remove_phone(self, phone_id: int) -> None: ...

    def add_notice(self, notice: NewNotice, phones: Sequence[PhoneRecord]) -> list[DeliveryRecord]:
        """Store a notice and its deliveries to these phones."""

    def waiting_deliveries(self) -> list[DeliveryRecord]: ...

    def save_delivery(self, delivery: DeliveryRecord) -> None: ...

    def link_states(self) -> dict[str, dict[str, Any]]:
        """What the links asked to be kept, by key."""

    def keep_link_states(self, states: Mapping[str, dict[str, Any] | None]) -> None:
        """Keep these by key, or (None) keep them no longer, in one transaction."""

    def push_key(self, fresh: str) -> str:
        """The hub's own VAPID key (PEM); `fresh` is kept when there is none yet."""
