"""Nodes that do not know Hombi: looking at what they say, picking values out of it, and
making them entities."""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import Sequence
from typing import Any

import msgspec

from hombi.core.errors import NotASample, UnitError
from hombi.core.house_facts import did_you_mean
from hombi.core.kinds import KINDS, LONGEST_WORD, MOST_WORDS, Kind, kind_called
from hombi.core.names import slug
from hombi.core.picking import (
    PLACEHOLDER,
    Pick,
    PickError,
    check_pointer,
    check_template,
    filter_of,
    node_in,
    pick_value,
)
from hombi.core.quality import Quality
from hombi.core.series import Channel, Reading, sample_of, usual_chain
from hombi.core.topics import valid_filter, valid_name
from hombi.core.units import conversion
from hombi.core.values import show_value
from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import FOREIGN, Entity, House, Node, Room, hash_key
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right
from hombi.hub.naming import proper_name
from hombi.hub.nodes.events import EntityAdded, NodeAdmitted
from hombi.hub.nodes.links import Links
from hombi.hub.nodes.messages import Filter, Message, Messages
from hombi.hub.nodes.port import NewEntity, NewNode
from hombi.hub.rooms.feature import Rooms
from hombi.links.capabilities import Welcomes

PREVIEWED = 12
# The ways in over which topics are somebody else's.
PICKED_FROM = ("door", "broker")


class Picking(msgspec.Struct, frozen=True):
    """What a person picked: where the messages come in ("" for wherever they do), their
    topic (with `{node}` where the node's name stands), and what stands where in them.
    `unit` is the one that the node speaks, "" for the kind's own; `words` are those of
    a kind that has none of its own."""

    via: str
    topic: str
    pointer: str = ""
    at: str = ""
    kind: str = "number"
    unit: str = ""
    words: tuple[str, ...] = ()


class Writing(msgspec.Struct, frozen=True):
    """How the entity is written: a topic (with `{node}`) and a payload with `{value}`
    or `{1|0}` in it."""

    topic: str
    payload: str
    retain: bool = False


class Previewed(msgspec.Struct, frozen=True):
    """What one message would have given: a value as people read it, or why there is
    none."""

    message: Message
    node: str
    shown: str = ""
    problem: str = ""


class Picks(Feature):
    """Values that are picked out of messages, and what is done with them."""

    name = "picks"

    def __init__(
        self, context: Context, house: House, links: Links, rooms: Rooms, messages: Messages
    ) -> None:
        super().__init__(context)
        self.house, self.rooms, self._links, self._messages = house, rooms, links, messages
        self._adding = asyncio.Lock()

    def preview(self, picking: Picking) -> list[Previewed]:
        """What the last messages would have given, newest first. Raises Invalid."""
        kind = self.checked(picking)
        result: dict[int, Message] = {}
        for via in (picking.via,) if picking.via else PICKED_FROM:
            wanted = Filter(via, filter_of(picking.topic))
            # Nodes that were heard long ago have their last message too.
            for each_topic in (False, True):
                messages = self._messages.find(wanted, PREVIEWED, each_topic=each_topic)
                result |= {message.number: message for message in messages}
        rows = []
        for message in sorted(result.values(), key=lambda one: -one.number):
            node = node_in(picking.topic, message.heard.topic)
            if node is not None:
                rows.append(_previewed(message, node, picking, kind))
        return rows

    def _way_in(self, picking: Picking) -> str:
        """Where the messages come in that a value is picked from. Raises Refused when
        they come in by several ways."""
        if picking.via:
            return picking.via
        wanted = filter_of(picking.topic)
        ways = [via for via in PICKED_FROM if self._messages.find(Filter(via, wanted), 1)]
        if len(ways) > 1:
            raise Refused(f"{wanted} comes in by {' and by '.join(ways)}; say which one is meant")
        return ways[0] if ways else PICKED_FROM[0]

    async def take(self, wish: TakePick, by: Actor) -> list[Entity]:
        """Raises as `TakePick` does."""
        picking = msgspec.structs.replace(wish.picking, via=self._way_in(wish.picking))
        kind = self.checked(picking)
        if not slug(proper_name(wish.title, "the name of a value")):
            raise Invalid("the value needs a name with a letter or a digit in it")
        wanted = _nodes_of(wish)
        for topic, _, name in wanted:
            if not slug(name):
                raise Invalid(f"the node that sends {topic} needs a name")
            self._check_free(name, slug(wish.title))
        names = [slug(name) for _, _, name in wanted]
        if twice := next((name for name in names if names.count(name) > 1), ""):
            raise Invalid(f"two of these nodes would be called {twice}; name them apart")
        self.rooms.check_name(wish.room)
        room = await self.rooms.find_or_add(wish.room, by)
        made = []
        for topic, level, name in wanted:
            sink: dict[str, Any] = {}
            if wish.writing is not None:
                sink = {
                    "via": picking.via,
                    "topic": _write_topic(wish.writing, level),
                    "payload": wish.writing.payload,
                    "retain": wish.writing.retain,
                }
            source = {
                "via": picking.via,
                "topic": topic,
                "pointer": picking.pointer,
                "at": picking.at,
            }
            new = _new(wish.title, kind, picking.unit, source, sink)
            entity = await self.add(name, room, new, by)
            made.append(entity)
            if len(made) < len(wanted):  # with the last one the change ends
                self.context.announce(added(entity), by)
        return made

    def _check_free(self, node: str, name: str) -> None:
        """Raises Invalid when a node has such an entity already."""
        address = f"{slug(node)}/{name}"
        if address in self.house.entities:
            raise Invalid(f"there is an entity {address} already; give this value another name")

    async def add(self, node_name: str, room: Room | None, new: NewEntity, by: Actor) -> Entity:
        """One more entity of a node, which is made when there is none. Raises
        Invalid."""
        async with self._adding:  # two values of a new node may be picked at once
            node = self.house.nodes.get(slug(node_name))
            if node is None:
                node = await self.add_node(node_name, room, "")
                where = room.name if room else ""
                event = NodeAdmitted(node=node.address, title=node.title, room=where)
                self.context.announce(event, by)
            self._check_free(node.address, new.name)
            records, now = self.context.records.house, self.context.clock.now_ms()
            number, channels = await self.context.thread.run(records.add_entity, node, new, now)
            entity = new.placed(number, node, channels)
            self.house.add_entity(entity)
        self._links.follow(node)
        return entity

    async def add_node(self, name: str, room: Room | None, key_hash: str) -> Node:
        """A node that does not know Hombi. Raises Invalid, Refused."""
        address = slug(proper_name(name, "the name of a node"))
        if not address:
            raise Invalid("the node needs a name with a letter or a digit in it")
        if address in self.house.mqtt_accounts:
            raise Invalid(f"an MQTT account is called {address}; give this node another name")
        doors = self._links.that(Welcomes)
        if not doors:
            raise Refused("no link of this hub takes such nodes")
        link, now = doors[0].link, self.context.clock.now_ms()
        title = name.strip() if name.strip() != address else name.replace("-", " ").capitalize()
        new = NewNode(
            address,
            title,
            link,
            FOREIGN + address,
            room.id if room else None,
            now,
            (),
            key_hash=key_hash,
        )
        number, _ = await self.context.thread.run(self.context.records.house.admit, new, None)
        node = Node(number, address, title, link, new.thing_id, key_hash, room, now, heard_ms=now)
        self.house.add(node)
        self._links.follow(node)
        return node

    def checked(self, picking: Picking) -> Kind:
        """The kind, when all else is right too. Raises Invalid."""
        levels = picking.topic.split("/")
        if levels.count(PLACEHOLDER) > 1 or not valid_filter(filter_of(picking.topic)):
            raise Invalid(
                f"{picking.topic!r} is not a topic to pick from; write it like "
                f"mill/{{node}}/state, with + and # as in MQTT"
            )
        pointers = picking.pointer, picking.at
        return checked_kind(picking.kind, picking.unit, *pointers, words=picking.words)

    async def remove(self, entity: Entity) -> None:
        """Take an entity away, with its history."""
        await self.context.thread.run(self.context.records.house.remove_entity, entity)
        self.house.take_out_entity(entity)
        if entity.node is not None:
            self._links.follow(entity.node)


def kind_of(name: str) -> Kind:
    """The kind of this name. Raises Invalid, with the nearest one."""
    if (kind := KINDS.get(name)) is not None:
        return kind
    called = kind_called(name, two_states=False) or kind_called(name, two_states=True)
    near = f"did you mean {called.name}?" if called else did_you_mean(name, KINDS)
    raise Invalid(f"there is no kind {name}; {near or 'kinds are ' + ', '.join(KINDS)}")


def checked_kind(name: str, unit: str, *pointers: str, words: Sequence[str] = ()) -> Kind:
    """The kind of this name, with these words if it has none of its own, when the unit
    and the pointers are right too. Raises Invalid."""
    try:
        for pointer in pointers:
            check_pointer(pointer)
    except PickError as error:
        raise Invalid(str(error)) from error
    kind = kind_of(name)
    if words:
        if not kind.brings:
            raise Invalid(f"{kind.shown} has no words of its own to choose; leave them out")
        kind = kind.with_words(words)
        if kind.words != tuple(words):
            raise Invalid(
                f"give each word once, up to {MOST_WORDS} of them, with 1 to {LONGEST_WORD} "
                f"characters and no |"
            )
    if kind.brings and not kind.words:
        raise Invalid(
            f"{kind.shown} needs the words that its node says, like low, medium, high; they are "
            f"given where the value is picked"
        )
    if unit and not kind.unit:
        raise Invalid(f"a {kind.shown} has no unit; leave it empty")
    try:
        if unit:
            conversion(unit, kind.unit)
    except UnitError as error:
        raise Invalid(str(error)) from error
    return kind


def _new(
    title: str, kind: Kind, unit: str, source: dict[str, Any], sink: dict[str, Any]
) -> NewEntity:
    name = slug(title)
    return NewEntity(
        name,
        title.strip(),
        kind.key,
        name,
        unit or kind.unit,
        kind.low,
        kind.high,
        bool(sink),
        source=source,
        sink=sink,
    )


def _nodes_of(wish: TakePick) -> list[tuple[str, str, str]]:
    """For each node: its topic, what stands at the placeholder, and its name."""
    topic = wish.picking.topic
    if PLACEHOLDER not in topic.split("/"):
        return [(topic, "", wish.name)]
    if not wish.nodes:
        raise Invalid(
            "no node is chosen; name at least one that stands where {node} is in the topic"
        )
    one = wish.name if len(wish.nodes) == 1 else ""
    return [(filter_of(topic, node), node, one or node) for node in wish.nodes]


def _previewed(message: Message, node: str, picking: Picking, kind: Kind) -> Previewed:
    unit, pick = picking.unit or kind.unit, Pick(picking.pointer, picking.at)
    try:
        sent = pick_value(message.payload, pick, kind, message.at_ms)
        sample = sample_of(sent, kind, unit, message.at_ms)
    except (PickError, NotASample) as error:
        return Previewed(message, node, problem=str(error))
    chain = usual_chain(kind, sample.unit, kind.low, kind.high)
    reading: Reading = chain.reading(sample, Channel(0, kind, sample.unit, 0))
    if reading.value is None:
        return Previewed(message, node, problem="the node says that it has no value")
    shown = show_value(reading.value, kind)
    beyond = f"{shown} is beyond what a {kind.shown} can be"
    return Previewed(message, node, shown, beyond if reading.quality >= Quality.STUCK else "")


def _write_topic(writing: Writing, level: str) -> str:
    topic = filter_of(writing.topic, level) if level else writing.topic
    if not valid_name(topic):
        raise Invalid(f"{topic!r} cannot be published under; use a topic without wildcards")
    try:
        check_template(writing.payload)
    except PickError as error:
        raise Invalid(str(error)) from error
    return topic


def origin_of(entity: Entity) -> str:
    """Where an entity is picked from, in words."""
    source = entity.source
    where = source.get("topic") or "what it posts"
    return where + (f" at {source['pointer']}" if source.get("pointer") else "")


class TakePick(Change[Picks, list[Entity]], frozen=True):
    """Make a value an entity of each of these nodes (what stands at the placeholder),
    or of the node called `name`.

    A node that is there already gets one more entity. Raises Invalid, Refused.
    """

    picking: Picking
    title: str
    nodes: Sequence[str] = ()
    name: str = ""
    room: str = ""
    writing: Writing | None = None

    feature = Picks
    right = Right.ADMIT

    async def do(self, feature: Picks, by: Actor) -> Done[list[Entity]]:
        made = await feature.take(self, by)
        return Done(made, added(made[-1]))


def added(entity: Entity) -> EntityAdded:
    """The event that an entity was picked ends in."""
    node = entity.node.address if entity.node else ""
    return EntityAdded(node=node, entity=entity.address, origin=origin_of(entity))


class AddNode(Change[Picks, tuple[Node, str]], frozen=True):
    """Add a node that posts its values over HTTP: (the node, its key, told this once).
    Raises Invalid."""

    name: str
    room: str = ""

    feature = Picks
    right = Right.ADMIT

    async def do(self, feature: Picks, by: Actor) -> Done[tuple[Node, str]]:
        if slug(self.name) in feature.house.nodes:
            raise Invalid(f"there is a node {slug(self.name)} already; give this one another name")
        room = await feature.rooms.find_or_add(self.room, by)
        key = secrets.token_urlsafe(24)
        node = await feature.add_node(self.name, room, hash_key(key))
        where = room.name if room else ""
        return Done((node, key), NodeAdmitted(node=node.address, title=node.title, room=where))


class AddPosted(Change[Picks, Entity], frozen=True):
    """Add a value that a node posts to /api/intake/<node>/<entity>. Raises NotFound,
    Invalid."""

    node: str
    title: str
    kind: str
    unit: str = ""
    pointer: str = ""

    feature = Picks
    right = Right.ADMIT

    async def do(self, feature: Picks, by: Actor) -> Done[Entity]:
        known = feature.house.node(self.node)
        kind = checked_kind(self.kind, self.unit, self.pointer)
        if not slug(proper_name(self.title, "the name of a value")):
            raise Invalid("the value needs a name with a letter or a digit in it")
        source = {"via": "http", "pointer": self.pointer}
        new = _new(self.title, kind, self.unit, source, {})
        entity = await feature.add(known.address, known.room, new, by)
        return Done(entity, added(entity))
