"""The house as the hub knows it, in memory: floors, rooms, nodes and their entities
with their latest readings."""

from __future__ import annotations

import hashlib
import hmac
import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, TypeVar

import msgspec

from hombi.core.house_facts import EntityFacts, HouseFacts, did_you_mean
from hombi.core.kinds import Kind
from hombi.core.node_clock import NodeClock
from hombi.core.quality import Quality
from hombi.hub.errors import NotFound
from hombi.links.base import OnLink, Wired
from hombi.links.thing_description import Action, Setting, ThingDescription

T = TypeVar("T")

SILENT_AFTER_INTERVALS = 3
SILENT_AT_LEAST_MS = 60_000
# What the id of a node that does not know Hombi begins with.
FOREIGN = "urn:hombi:foreign:"
# How many distances between readings must be known before there is a usual one.
GAPS_TO_KNOW = 3


@dataclass
class Floor:
    """A floor of the house; `position` 0 is the lowest."""

    id: int
    name: str
    position: int


@dataclass
class Room:
    """A room; `position` counts from the left on its floor."""

    id: int
    slug: str
    name: str
    floor: Floor
    position: int


class Reading(msgspec.Struct, frozen=True):
    """One value of one entity at one time. `raw` is in the node's unit, `value` in the
    kind's; both NaN for no value."""

    at_ms: int
    raw: float
    value: float
    quality: Quality = Quality.GOOD

    @classmethod
    def of(cls, at_ms: int, raw: float, value: float, quality: int) -> Reading:
        """As it was stored."""
        if quality == Quality.NO_VALUE:
            raw = value = math.nan
        return cls(at_ms, raw, value, Quality(quality))

    @property
    def stored(self) -> tuple[float, float, int]:
        """Raw value, value and quality for the records, where the quality says that 0
        stands for no value."""
        return (
            (0.0, 0.0, self.quality)
            if self.quality == Quality.NO_VALUE
            else (self.raw, self.value, self.quality)
        )

    @property
    def known_value(self) -> float | None:
        """Its value; None for no value."""
        return None if self.quality == Quality.NO_VALUE else self.value

    @property
    def known_raw(self) -> float | None:
        """Its raw value; None for no value."""
        return None if self.quality == Quality.NO_VALUE else self.raw


@dataclass
class Entity:
    """One value of a node. `interval_ms` is how often it is usually heard, 0 while
    unknown; `heard_ms` is when it was heard last.

    `source` and `sink` say for a node that does not know Hombi where its value is
    picked and how it is written; they are its link's affair (`links/wifi/picks.py`).
    """

    id: int
    address: str
    title: str
    kind: Kind
    node: Node
    wire_name: str
    wire_unit: str
    low: float
    high: float
    writable: bool
    latest: Reading | None = None
    interval_ms: float = 0.0
    gaps: int = 0
    hidden: bool = False
    source: dict[str, Any] = field(default_factory=dict)
    sink: dict[str, Any] = field(default_factory=dict)
    heard_ms: int = 0
    silent: bool = False
    # The latest readings by their time, to tell one that is sent again from another of
    # the same millisecond.
    recent: dict[int, float] = field(default_factory=dict)

    @property
    def rhythm_ms(self) -> float:
        """How long it may go unheard before it counts as silent; 0 while its rhythm is
        not known. What has two states is told when it changes: of that, only the node
        can be silent."""
        if self.kind.words is not None or self.gaps < GAPS_TO_KNOW:
            return 0.0
        return max(SILENT_AT_LEAST_MS, SILENT_AFTER_INTERVALS * self.interval_ms)

    def overdue(self, now_ms: int, since_ms: int) -> bool:
        """Whether it was not heard for longer than its rhythm; it has had its time from
        `since_ms` on."""
        return 0 < self.rhythm_ms < now_ms - max(self.heard_ms, since_ms)

    @property
    def spoken(self) -> str:
        """Its name as it is said: "Cellar rack humidity"; a value that is what its node
        is needs no second word."""
        if self.title.lower() in (
            self.kind.name if self.kind.name == "switch" else "",
            self.node.title.split()[-1].lower(),
        ):
            return self.node.title
        plain = self.title[1:].islower() or " " in self.title
        return f"{self.node.title} {self.title.lower() if plain else self.title}"

    def heard(self, reading: Reading) -> None:
        """Take a newer reading, and learn the usual interval from the distance to the
        one before."""
        if self.latest is not None and (gap := float(reading.at_ms - self.latest.at_ms)) > 0:
            # The longest of the latest distances: a door that is opened twice in a
            # minute and then not for an hour is not silent. One long gap (the node was
            # away) counts for no more than a silence, and is forgotten within thirty
            # readings.
            if self.gaps >= GAPS_TO_KNOW:
                gap = min(gap, max(SILENT_AT_LEAST_MS, SILENT_AFTER_INTERVALS * self.interval_ms))
            self.interval_ms = max(gap, 0.9 * self.interval_ms)
            self.gaps += 1
        self.latest = reading


@dataclass
class Node:
    """One physical device. `heard_ms` moves with everything it sends, also when no
    value changed.

    `reach` is what its link needs to reach it, `settings` are the node's own, by their
    names on the wire.
    """

    id: int
    address: str
    title: str
    link: str
    thing_id: str
    key_hash: str
    room: Room | None
    admitted_ms: int
    here: bool = False
    silent: bool = False
    heard_ms: int = 0
    refused: int = 0
    entities: dict[str, Entity] = field(default_factory=dict)
    by_wire_name: dict[str, Entity] = field(default_factory=dict)
    reach: dict[str, Any] = field(default_factory=dict)
    settings: dict[str, Setting] = field(default_factory=dict)
    actions: dict[str, Action] = field(default_factory=dict)
    told: dict[str, Any] = field(default_factory=dict)
    heard_in_this_run: bool = False
    clock: NodeClock = field(default_factory=NodeClock)

    @property
    def left(self) -> bool:
        """Whether it has taken its leave of the house by itself."""
        return bool(self.reach.get("left"))

    @property
    def way(self) -> str:
        """How it speaks: "paired" over a radio of its own, else "senml" by itself,
        "described" as its Thing Description says, "foreign" as it likes."""
        if self.link != "wifi":
            return "paired"
        if self.reach.get("url"):
            return "described"
        return (
            "senml"
            if "description" in self.reach or not self.thing_id.startswith(FOREIGN)
            else "foreign"
        )

    def described(self, thing: ThingDescription) -> None:
        """Take over what its description promises beside entities."""
        self.settings = {one.wire_name: one for one in thing.settings}
        self.actions = {one.name: one for one in thing.actions}

    def on_link(self) -> OnLink:
        """What its link must know of it."""
        return OnLink(
            self.address,
            self.reach,
            tuple(
                Wired(e.wire_name, e.wire_unit, e.kind, e.source, e.sink)
                for e in self.entities.values()
            ),
        )

    def overdue(self, now_ms: int) -> bool:
        """Whether nothing was heard for three times the usual interval."""
        if self.left:
            return False
        usual = min(
            (e.interval_ms for e in self.entities.values() if e.gaps >= GAPS_TO_KNOW), default=0.0
        )
        return usual > 0 and now_ms - self.heard_ms > max(
            SILENT_AT_LEAST_MS, SILENT_AFTER_INTERVALS * usual
        )


@dataclass(slots=True)
class Tool:
    """A person's own tool at the MQTT door: the topic filters it may publish under and
    subscribe to."""

    name: str
    key_hash: str
    publish: list[str]
    subscribe: list[str]
    added_ms: int


def hash_key(secret: str) -> str:
    """How a node's key is stored. It has 256 random bits, so one round of SHA-256 is
    enough."""
    return hashlib.sha256(secret.encode()).hexdigest()


class House:
    """All of it, found by id and by address."""

    def __init__(self) -> None:
        self.floors: dict[int, Floor] = {}
        self.rooms: dict[str, Room] = {}
        self.nodes: dict[str, Node] = {}
        self.entities: dict[str, Entity] = {}
        self.people: set[str] = set()
        self.tools: dict[str, Tool] = {}

    def add(self, node: Node) -> None:
        """Put a node and its entities in their places."""
        self.nodes[node.address] = node
        for entity in node.entities.values():
            self.add_entity(entity)

    def add_entity(self, entity: Entity) -> None:
        """Put one entity in its places."""
        entity.node.entities[entity.address.partition("/")[2]] = entity
        entity.node.by_wire_name[entity.wire_name] = entity
        self.entities[entity.address] = entity

    def take_out_entity(self, entity: Entity) -> None:
        """Forget one entity."""
        entity.node.entities.pop(entity.address.partition("/")[2], None)
        entity.node.by_wire_name.pop(entity.wire_name, None)
        self.entities.pop(entity.address, None)

    def take_out(self, node: Node) -> None:
        """Forget a node and its entities."""
        self.nodes.pop(node.address, None)
        for entity in node.entities.values():
            self.entities.pop(entity.address, None)

    def node(self, address: str) -> Node:
        """Raises NotFound, with the nearest name."""
        return _find(self.nodes, address, "node")

    def entity(self, address: str) -> Entity:
        """Raises NotFound, with the nearest name."""
        return _find(self.entities, address, "entity")

    def room(self, slug: str) -> Room:
        """Raises NotFound, with the nearest name."""
        return _find(self.rooms, slug, "room")

    def node_by_thing(self, thing_id: str) -> Node | None:
        """The node that describes itself with this id."""
        return next((n for n in self.nodes.values() if n.thing_id == thing_id), None)

    def fits(self, node: str, secret: str) -> bool:
        """Whether this is the node's key."""
        known = self.nodes.get(node)
        return (
            known is not None
            and bool(known.key_hash)
            and hmac.compare_digest(known.key_hash, hash_key(secret))
        )

    def tool(self, name: str, secret: str) -> tuple[Sequence[str], Sequence[str]] | None:
        """The topic filters that a person's tool may publish and subscribe to; None
        when this is not its key."""
        known = self.tools.get(name)
        if known is None or not hmac.compare_digest(known.key_hash, hash_key(secret)):
            return None
        return known.publish, known.subscribe

    def facts(self) -> HouseFacts:
        """What the text of an automation is checked against."""
        entities = {
            address: EntityFacts(e.kind, e.writable) for address, e in self.entities.items()
        }
        return HouseFacts(entities, frozenset(self.people))


def _find(known: dict[str, T], name: str, what: str) -> T:
    found = known.get(name)
    if found is None:
        hint = did_you_mean(name, known)
        raise NotFound(f"no {what} {name}" + (f"; {hint}" if hint else ""))
    return found
