"""The house as the hub knows it, in memory: floors, rooms, nodes and their entities
with their latest readings. Only the hub's loop looks at it."""

from __future__ import annotations

import hashlib
import hmac
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from hombi.core.errors import UnitError
from hombi.core.house_facts import EntityFacts, HouseFacts, SceneFacts
from hombi.core.kinds import KINDS, Kind
from hombi.core.names import meant
from hombi.core.node_clock import NodeClock
from hombi.core.rhythm import Rhythm, alone_ms
from hombi.core.roles import Has, Role, role_of
from hombi.core.same import VALUES_TO_KNOW, grain
from hombi.core.seen import as_seen
from hombi.core.series import Chain, Channel, Channels, Derivation, Origin, Reading, chain_of
from hombi.core.series.conditioning import Plan
from hombi.core.series.past import Past
from hombi.core.sun import Position
from hombi.core.units import conversion
from hombi.core.values import parse_span_ms
from hombi.hub.lookup import find, several
from hombi.links.base import OnLink, Wired
from hombi.links.offer import Action, Offer, Setting

# What the id of a node that does not know Hombi begins with.
FOREIGN = "urn:hombi:foreign:"


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


# Under this name an entity that says whether somebody is home has the person.
PERSON = "person"
# In the place of a node: what follows is what an entity is called.
BY_NAME = "~"
# What of `own` says which need a value of the hub's own state is about; and those that
# there are, by address: title and need.
HUB = "hub"
OWN_STATES = {
    "hub/disk": ("Hub's disk", "disk"),
    "hub/links": ("Hub's radios and broker", "link"),
    "hub/certificate": ("Hub's certificate", "certificate"),
    "hub/backup": ("Hub's backup", "backup"),
    "hub/clock": ("Hub's clock", "clock"),
}


@dataclass
class Entity:
    """One value. Its `origin` are the channels over which a node sends it, or how it is
    derived from others; one that is computed has no node. It stands on its `host`, the
    node whose values alone it is computed from, or in a room of its own.

    `low` and `high` are in the unit of its kind. `rhythm` is how often it is
    usually heard; `heard_ms` is when it was heard last. `source` and
    `sink` say for a node that does not know Hombi where its value is picked and how it
    is written; they are its link's affair.
    """

    id: int
    address: str
    title: str
    kind: Kind
    origin: Origin
    low: float
    high: float
    node: Node | None = None
    own_room: Room | None = None
    host: Node | None = None
    wire_name: str = ""
    wire_unit: str = ""
    writable: bool = False
    latest: Reading | None = None
    rhythm: Rhythm = field(default_factory=Rhythm, repr=False)
    # How often its node has promised to send it at least; 0 for no promise.
    agreed_ms: float = 0.0
    hidden: bool = False
    source: dict[str, Any] = field(default_factory=dict)
    sink: dict[str, Any] = field(default_factory=dict)
    heard_ms: int = 0
    # Since when its value is what it is, by its own readings; 0 while nobody knows.
    since_ms: int = 0
    heard_in_this_run: bool = False
    silent: bool = False
    # The latest readings by their time, to tell one that is sent again from another of
    # the same millisecond.
    recent: dict[int, float | None] = field(default_factory=dict)
    # What people have chosen for it alone: `unit` and `decimals` in which it is seen,
    # `keep_ms` for how long its readings are kept.
    own: dict[str, Any] = field(default_factory=dict)
    # How its values are conditioned at present.
    plan: Plan = ()
    _chains: dict[int, Chain] = field(default_factory=dict, repr=False)

    @property
    def name(self) -> str:
        """Its own part of its address."""
        return self.address.partition("/")[2]

    @property
    def room(self) -> Room | None:
        """Where it is: in its node's room, or in its own."""
        node = self.node or self.host
        return node.room if node is not None else self.own_room

    @property
    def channels(self) -> Channels:
        """What it is sent. Raises TypeError for one that is computed."""
        if isinstance(self.origin, Derivation):
            raise TypeError(f"{self.address} is computed; nothing is sent for it")
        return self.origin

    @property
    def sent_unit(self) -> str:
        """The unit of its latest sample, or the one that its node usually speaks."""
        if self.latest is None or isinstance(self.origin, Derivation):
            return self.wire_unit
        return self.origin.unit_of(self.latest.channel)

    def history_channels(self) -> list[int]:
        """The channels whose readings make up its history; what was sent as another
        kind does not."""
        if isinstance(self.origin, Derivation):
            return [0]
        return self.origin.of_kind(self.kind)

    @property
    def past(self) -> Past:
        """What of its readings makes up its history."""
        return Past(self.id, self.history_channels(), self.kind.arithmetic)

    def chain(self, channel: Channel) -> Chain:
        """The steps that make readings of what comes over a channel."""
        result = self._chains.get(channel.number)
        if result is None:
            made = self.fresh_chain(channel)
            result = self._chains[channel.number] = made
        return result

    def fresh_chain(self, channel: Channel, plan: Plan | None = None) -> Chain:
        """A chain that has seen nothing, by its plan or another one."""
        wanted = self.plan if plan is None else plan
        return chain_of(wanted, self.kind, channel.unit, self.low, self.high)

    def snapshot(self) -> Entity:
        """A copy that nobody changes, for other threads: what is so lives in the
        loop."""
        origin = self.origin if isinstance(self.origin, Derivation) else self.origin.copy()
        return replace(self, origin=origin, rhythm=self.rhythm.copy(), recent={}, _chains={})

    def follow_plan(self, plan: Plan, chains: Mapping[int, Chain]) -> None:
        """From now on its values are conditioned so; these chains know its past."""
        self.plan = plan
        self._chains = dict(chains)

    def become(self, kind: Kind, low: float, high: float) -> None:
        """It is something else from now on, or has other limits."""
        if kind != self.kind:
            # What corrects one sort of value says nothing of another.
            self.plan = ()
        self.kind, self.low, self.high = kind, low, high
        self._chains.clear()

    @property
    def rhythm_ms(self) -> float:
        """How long it may go unheard before it counts as silent by itself; 0 while that
        is not known, infinite for what is as fresh as its node."""
        return alone_ms(self.rhythm, self.agreed_ms, learns=self.learns)

    @property
    def latest_value(self) -> float | None:
        """What it was when it was heard last; None where that is not known."""
        return None if self.latest is None else self.latest.value

    @property
    def step(self) -> float:
        """In what steps it goes, in the unit of its kind: as it is shown, or as its
        node does."""
        if not self.kind.measures:
            return 0.0
        shown = self.kind.step
        told = [one for one in self.recent.values() if one is not None]
        if isinstance(self.origin, Derivation) or len(set(told)) < VALUES_TO_KNOW:
            return shown
        factor, _ = conversion(self.wire_unit, self.kind.unit) if self.kind.unit else (1.0, 0.0)
        return max(shown, grain(told) * abs(factor))

    @property
    def learns(self) -> bool:
        """Whether the distances between its readings say something of its node. The
        signal is measured with each message, whatever caused that."""
        return self.kind.a_number and not self.writable and self.kind.name != "signal"

    @property
    def unheard(self) -> bool:
        """Whether it, or its node, is no longer heard; what has happened stays so."""
        if self.kind.moment:
            return False
        return self.silent or (self.node is not None and self.node.silent)

    def overdue(self, now_ms: int, since_ms: int) -> bool:
        """Whether it was not heard for longer than its rhythm; it has had its time from
        `since_ms` on."""
        return 0 < self.rhythm_ms < now_ms - max(self.heard_ms, since_ms)

    @property
    def spoken(self) -> str:
        """Its name as it is said: "Cellar rack humidity"; a value that is what its node
        is needs no second word."""
        node = self.node or self.host
        if node is None:
            return f"{self.own_room.name} {self.title.lower()}" if self.own_room else self.title
        same = node.title.split()[-1].lower()
        if self.title.lower() in (self.kind.name if self.kind.name == "switch" else "", same):
            return node.title
        plain = self.title[1:].islower() or " " in self.title
        return f"{node.title} {self.title.lower() if plain else self.title}"

    def heard(self, reading: Reading) -> None:
        """Take a newer reading, and learn the usual interval from the distance to the
        one before."""
        if self.heard_in_this_run and self.latest is not None:
            gap = float(reading.at_ms - self.latest.at_ms)
            if gap > 0:
                self.rhythm.learn(gap)
        self.heard_in_this_run = True  # for how long the hub was away teaches nothing
        self.take(reading)

    def take(self, reading: Reading) -> None:
        """Have a reading as the latest."""
        if self.latest is None or reading.value != self.latest.value:
            self.since_ms = reading.at_ms
        self.latest = reading

    @property
    def stands(self) -> bool:
        """Whether its values are states, each of which stands for a time."""
        return self.kind.words is not None and not self.kind.moment


@dataclass
class Node:
    """One physical device. `heard_ms` moves with everything it sends, also when no
    value changed.

    `reach` is what its link needs to reach it, `offer` what it says it has.
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
    offer: Offer = field(default_factory=lambda: Offer(""))
    told: dict[str, Any] = field(default_factory=dict)
    # Why it refuses the hub; "" while it does not.
    shut_out: str = ""
    heard_in_this_run: bool = False
    clock: NodeClock = field(default_factory=NodeClock)
    # Worked out once, until it has other values.
    _parts: tuple[Offer, Mapping[str, str]] | None = field(default=None, repr=False)
    _roles: dict[str, Role] = field(default_factory=dict, repr=False)

    @property
    def left(self) -> bool:
        """Whether it has taken its leave of the house by itself."""
        return bool(self.reach.get("left"))

    @property
    def settings(self) -> Mapping[str, Setting]:
        """Its own settings, by their names on the wire."""
        return {setting.wire_name: setting for setting in self.offer.settings}

    @property
    def actions(self) -> Mapping[str, Action]:
        """What it can be asked to do, by name."""
        return {action.name: action for action in self.offer.actions}

    def endpoint_of(self, entity: Entity) -> str:
        """The part of it that has an entity; "" for none."""
        return self.endpoints.get(entity.wire_name, "")

    @property
    def endpoints(self) -> Mapping[str, str]:
        """Its parts, by the wire names of their values."""
        if self._parts is None or self._parts[0] is not self.offer:
            self._parts = self.offer, self.offer.endpoints()
            self._roles.clear()
        return self._parts[1]

    def role_of(self, endpoint: str) -> Role:
        """What one of its parts is for a person."""
        if endpoint not in self._roles:
            self._roles[endpoint] = role_of(
                Has(entity.name, entity.kind, entity.writable)
                for entity in self.entities.values()
                if self.endpoint_of(entity) == endpoint
            )
        return self._roles[endpoint]

    def has_changed(self) -> None:
        """Its values are others now."""
        self._roles.clear()

    @property
    def make(self) -> str:
        """What it says of itself: make, model, software."""
        return ", ".join(filter(None, (self.offer.title, self.offer.about)))[:300]

    @property
    def foreign(self) -> bool:
        """Whether it does not know Hombi: its values are picked out of what it says."""
        return self.thing_id.startswith(FOREIGN)

    def on_link(self) -> OnLink:
        """What its link must know of it."""
        return OnLink(
            self.address,
            self.reach,
            tuple(
                Wired(e.wire_name, e.wire_unit, e.kind, e.source, e.sink)
                for e in self.entities.values()
            ),
            self.offer,
            self.foreign,
        )

    def overdue(self, now_ms: int) -> bool:
        """Whether nothing was heard for longer than it promised or, without a promise,
        than is usual."""
        if self.left:
            return False
        entities = self.entities.values()
        patience = min(
            (e.rhythm_ms for e in entities if e.agreed_ms),
            default=min(
                (e.rhythm.patience_ms for e in entities if e.learns and e.rhythm.known), default=0.0
            ),
        )
        return 0 < patience < now_ms - self.heard_ms


@dataclass(frozen=True, slots=True)
class Scene:
    """States of several entities that are recalled together: by address, each in its
    kind's unit."""

    slug: str
    title: str
    states: dict[str, float]


@dataclass(slots=True)
class MqttAccount:
    """An account at the MQTT listener: the topic filters it may publish under
    and subscribe to."""

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
        # Their contacts, like `ada/mail`.
        self.contacts: frozenset[str] = frozenset()
        # The units that the household prefers.
        self.units: tuple[str, ...] = ()
        # Where it stands on the earth.
        self.position: Position | None = None
        self.mqtt_accounts: dict[str, MqttAccount] = {}
        self.scenes: dict[str, Scene] = {}
        # The texts of the sequences, by address.
        self.sequences: dict[str, str] = {}

    def add(self, node: Node) -> None:
        """Put a node and its entities in their places."""
        self.nodes[node.address] = node
        for entity in node.entities.values():
            self.add_entity(entity)
        for entity in self.entities.values():
            if entity.host is not None and entity.host.address == node.address:
                entity.host = node  # it was let in anew

    def add_entity(self, entity: Entity) -> None:
        """Put one entity in its places."""
        if entity.node is not None:
            entity.node.entities[entity.name] = entity
            entity.node.by_wire_name[entity.wire_name] = entity
            entity.node.has_changed()
        self.entities[entity.address] = entity

    def host_of(self, sources: Sequence[Entity]) -> Node | None:
        """The node on which something stands that is computed from these: theirs, if
        that is one and the same."""
        nodes = {id(node): node for source in sources if (node := source.node or source.host)}
        stands = all(source.node or source.host for source in sources)
        return next(iter(nodes.values())) if stands and len(nodes) == 1 else None

    def own_name(self, node: str, name: str) -> str:
        """The name for a value of a node: another one where a computed value has it."""
        result, number = name, 1
        while (there := self.entities.get(f"{node}/{result}")) and there.node is None:
            number += 1
            result = f"{name}-{number}"
        return result

    def take_out_entity(self, entity: Entity) -> None:
        """Forget one entity."""
        if entity.node is not None:
            entity.node.entities.pop(entity.name, None)
            entity.node.by_wire_name.pop(entity.wire_name, None)
            entity.node.has_changed()
        self.entities.pop(entity.address, None)

    def take_out(self, node: Node) -> None:
        """Forget a node and its entities."""
        self.nodes.pop(node.address, None)
        for entity in node.entities.values():
            self.entities.pop(entity.address, None)

    def derived_from(self, addresses: Iterable[str]) -> list[str]:
        """The addresses of what is computed from one of these."""
        given = set(addresses)
        return [
            entity.address
            for entity in self.entities.values()
            if isinstance(entity.origin, Derivation)
            and entity.address not in given
            and given.intersection(entity.origin.sources)
        ]

    def node(self, name: str) -> Node:
        """The node with this address or name. Raises NotFound, with the nearest one;
        Refused when several have the name."""
        return find(self.nodes, name, "node", lambda node: (node.title,))

    def numbered(self, number: int) -> Entity | None:
        """The entity that is stored under a number, if it is still there."""
        return next((entity for entity in self.entities.values() if entity.id == number), None)

    def entity(self, name: str) -> Entity:
        """The entity with this address; its node, itself, or both may be named as
        people call them. Raises as `node` does."""
        if (result := self.entities.get(name)) is not None:
            return result
        node, slash, own = name.partition("/")
        if not slash or node == BY_NAME:
            return find(self.entities, own or name, "entity", _names_of)
        nodes = [self.nodes[one] for one in meant(node, _titles(self.nodes))]
        beside = {e.address: e for one in nodes for e in one.entities.values()}
        within = {address: (e.name, e.title, e.spoken) for address, e in beside.items()}
        addresses = meant(own, within)
        if len(addresses) > 1:
            raise several("entity", name, addresses)
        return beside[addresses[0]] if addresses else find(self.entities, name, "entity")

    def room(self, name: str) -> Room:
        """The room with this address or name. Raises as `node` does."""
        return find(self.rooms, name, "room", lambda room: (room.name,))

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

    def account(self, name: str, secret: str) -> tuple[Sequence[str], Sequence[str]] | None:
        """The topic filters that an MQTT account may publish and subscribe to; None
        when this is not its key."""
        known = self.mqtt_accounts.get(name)
        if known is None or not hmac.compare_digest(known.key_hash, hash_key(secret)):
            return None
        return known.publish, known.subscribe

    def seen(self, entity: Entity) -> Kind:
        """The kind of an entity as the household sees it."""
        own = entity.own
        try:
            return as_seen(entity.kind, self.units, own.get("unit", ""), own.get("decimals"))
        except UnitError:  # it has become something else since
            return as_seen(entity.kind, self.units)

    def spoken_names(self) -> dict[str, str]:
        """What each entity is called now, by its address; also what is there once a
        text names it."""
        return dict(SpokenNames(self))

    def facts(self, sequences: Mapping[str, str] | None = None) -> HouseFacts:
        """What the text of an automation is checked against; with other sequences, if
        some are given."""
        entities = {
            a: EntityFacts(self.seen(e), e.writable, e.room.slug if e.room else "")
            for a, e in self.entities.items()
        }
        scenes = {
            scene.slug: SceneFacts(scene.title, tuple(scene.states.items()))
            for scene in self.scenes.values()
        }
        means = {
            (e.origin.sources[0], round(parse_span_ms(e.origin.parameters["window"]))): a
            for a, e in self.entities.items()
            if isinstance(e.origin, Derivation) and e.origin.method == "moving-mean"
        }
        alarm = EntityFacts(KINDS["alarm"], writable=False)
        entities |= {state: alarm for state in OWN_STATES if state not in entities}
        homes = {e.own[PERSON]: a for a, e in self.entities.items() if PERSON in e.own}
        return HouseFacts(
            entities,
            frozenset(self.people),
            scenes,
            self.position,
            contacts=self.contacts,
            homes=homes,
            sequences=dict(self.sequences) if sequences is None else sequences,
            means=means,
        )


def _titles(nodes: Mapping[str, Node]) -> dict[str, tuple[str, ...]]:
    return {address: (node.title,) for address, node in nodes.items()}


class SpokenNames(Mapping[str, str]):
    """What each entity is called, looked up when it is asked for."""

    def __init__(self, house: House) -> None:
        self._house = house

    def __getitem__(self, address: str) -> str:
        entity = self._house.entities.get(address)
        return OWN_STATES[address][0] if entity is None else entity.spoken

    def __iter__(self) -> Iterator[str]:
        return iter({**OWN_STATES, **self._house.entities})

    def __len__(self) -> int:
        return len({**OWN_STATES, **self._house.entities})


def _names_of(entity: Entity) -> tuple[str, ...]:
    both = f"{entity.node.title} {entity.title}" if entity.node else entity.title
    return entity.title, entity.spoken, both
