"""Nodes that do not know Hombi: looking at what they say, picking values out of it, and
making them entities."""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from hombi.core.errors import UnitError
from hombi.core.house_facts import did_you_mean
from hombi.core.kinds import KINDS, Kind
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
from hombi.core.units import conversion
from hombi.core.values import show_value
from hombi.hub.clock import Clock
from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import FOREIGN, Entity, House, Node, Room, hash_key
from hombi.hub.intake import measure
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.messages import Filter, Message, Messages
from hombi.hub.ports import NewEntity, NewNode, Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.rooms import Rooms
from hombi.links.base import Driver
from hombi.links.thing_description import slug
from hombi.links.wifi.mqtt.topics import valid_filter, valid_name

PREVIEWED = 12


@dataclass(frozen=True, slots=True)
class Picking:
    """What a person picked: where the messages come in, their topic (with `{node}`
    where the node's name stands), and what stands where in them. `unit` is the one that
    the node speaks, "" for the kind's own."""

    via: str
    topic: str
    pointer: str = ""
    at: str = ""
    kind: str = "number"
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Writing:
    """How the entity is written: a topic (with `{node}`) and a payload with `{value}`
    or `{ON|OFF}` in it."""

    topic: str
    payload: str
    retain: bool = False


@dataclass(frozen=True, slots=True)
class Previewed:
    """What one message would have given: a value as people read it, or why there is
    none."""

    message: Message
    node: str
    shown: str = ""
    problem: str = ""


@dataclass
class Foreign:
    """The actions on nodes that do not know Hombi."""

    house: House
    rooms: Rooms
    clock: Clock
    records: Records
    thread: RecordsThread
    live: Live
    journal: Journal
    messages: Messages
    drivers: dict[str, Driver]
    house_changed: Callable[[], None]
    _adding: asyncio.Lock = field(default_factory=asyncio.Lock)

    def preview(self, picking: Picking) -> list[Previewed]:
        """What the last messages would have given, newest first. Raises Invalid."""
        kind = self._checked(picking)
        wanted = Filter(picking.via, filter_of(picking.topic))
        found = self.messages.find(wanted, PREVIEWED)
        seen = {message.number for message in found}
        # Nodes that were heard long ago have their last message too.
        found += [
            m
            for m in self.messages.find(wanted, PREVIEWED, each_topic=True)
            if m.number not in seen
        ]
        rows = []
        for message in found:
            node = node_in(picking.topic, message.heard.topic)
            if node is None:
                continue
            rows.append(self._previewed(message, node, picking, kind))
        return rows

    def _previewed(self, message: Message, node: str, picking: Picking, kind: Kind) -> Previewed:
        try:
            sent = pick_value(
                message.payload, Pick(picking.pointer, picking.at), kind, message.at_ms
            )
            low, high = kind.low, kind.high
            reading = measure(kind, picking.unit or kind.unit, low, high, sent, message.at_ms)
        except PickError as error:
            return Previewed(message, node, problem=str(error))
        if isinstance(reading, str):
            return Previewed(message, node, problem=reading)
        shown = show_value(reading.value, kind)
        return Previewed(
            message,
            node,
            shown,
            "" if low <= reading.value <= high else f"{shown} is beyond what a {kind.name} can be",
        )

    async def take(
        self,
        picking: Picking,
        nodes: Sequence[str],
        title: str,
        name: str,
        room: str,
        writing: Writing | None,
    ) -> list[Entity]:
        """Make the value an entity of each of these nodes (what stands at the
        placeholder), or of the node called `name`.

        A node that is there already gets one more entity. Raises Invalid, Refused.
        """
        kind = self._checked(picking)
        entity_name = slug(title)
        if not entity_name:
            raise Invalid("the value needs a name with a letter or a digit in it")
        if PLACEHOLDER in picking.topic.split("/"):
            wanted = [
                (filter_of(picking.topic, node), node, name if len(nodes) == 1 and name else node)
                for node in nodes
            ]
            if not wanted:
                raise Invalid(
                    "no node is chosen; name at least one that stands where {node} is in the topic"
                )
        else:
            wanted = [(picking.topic, "", name)]
        for topic, _, node_name in wanted:
            if not slug(node_name):
                raise Invalid(f"the node that sends {topic} needs a name")
        where = await self.rooms.find_or_add(room) if room.strip() else None
        made = []
        for topic, level, node_name in wanted:
            sink: dict[str, Any] = {}
            if writing is not None:
                sink = {
                    "via": picking.via,
                    "topic": _write_topic(writing, level),
                    "payload": writing.payload,
                    "retain": writing.retain,
                }
            source = {
                "via": picking.via,
                "topic": topic,
                "pointer": picking.pointer,
                "at": picking.at,
            }
            new = NewEntity(
                entity_name, title.strip(), kind.name, entity_name, picking.unit or kind.unit,
                kind.low, kind.high, bool(sink),
                source=source, sink=sink,
            )  # fmt: skip
            made.append(await self._add(node_name, where, new))
        self.house_changed()
        return made

    async def add_node(self, name: str, room: str) -> tuple[Node, str]:
        """A node that posts its values over HTTP: (the node, its key, told this once).
        Raises Invalid."""
        if slug(name) in self.house.nodes:
            raise Invalid(f"there is a node {slug(name)} already; give this one another name")
        where = await self.rooms.find_or_add(room) if room.strip() else None
        key = secrets.token_urlsafe(24)
        node = await self._node(name, where, hash_key(key))
        return node, key

    async def add_entity(
        self, node: str, title: str, kind_name: str, unit: str, pointer: str
    ) -> Entity:
        """One more value that a node posts to /api/intake/<node>/<entity>. Raises
        NotFound, Invalid."""
        known = self.house.node(node)
        picking = Picking("http", "", pointer, kind=kind_name, unit=unit)
        kind = self._kind(picking)
        if not slug(title):
            raise Invalid("the value needs a name with a letter or a digit in it")
        source = {"via": "http", "pointer": pointer}
        new = NewEntity(
            slug(title),
            title.strip(),
            kind.name,
            slug(title),
            unit or kind.unit,
            kind.low,
            kind.high,
            False,
            source=source,
        )
        entity = await self._add(known.address, known.room, new)
        self.house_changed()
        return entity

    async def change_entity(self, address: str, title: str | None, hidden: bool | None) -> Entity:
        """Rename an entity (its address stays), hide or show it. Raises NotFound,
        Invalid."""
        entity = self.house.entity(address)
        if title is not None:
            if not title.strip():
                raise Invalid("an entity needs a name")
            entity.title = title.strip()
        if hidden is not None:
            entity.hidden = hidden
        await self.thread.run(self.records.save_entity, entity)
        self.live.publish("house", {"changed": "node", "node": entity.node.address})
        return entity

    async def remove_entity(self, address: str) -> None:
        """Take an entity that was picked away, with its history. Raises NotFound,
        Refused."""
        entity = self.house.entity(address)
        if not entity.source:
            raise Refused(f"{address} is what its node says it has; it can be hidden, not removed")
        await self.thread.run(self.records.remove_entity, entity)
        self.house.take_out_entity(entity)
        self.drivers[entity.node.link].follow(entity.node.on_link())
        self.house_changed()
        self.journal.note(
            "EntityRemoved", f"{address} was removed", node=entity.node.address, entity=address
        )
        self.live.publish("house", {"changed": "node", "node": entity.node.address})

    async def _add(self, node_name: str, room: Room | None, new: NewEntity) -> Entity:
        async with self._adding:  # two values of a new node may be picked at once
            return await self._add_one(node_name, room, new)

    async def _add_one(self, node_name: str, room: Room | None, new: NewEntity) -> Entity:
        node = self.house.nodes.get(slug(node_name))
        if node is None:
            node = await self._node(node_name, room, "")
        if new.name in node.entities:
            raise Invalid(
                f"there is an entity {node.address}/{new.name} already; give this value "
                f"another name"
            )
        number = await self.thread.run(self.records.add_entity, node, new)
        entity = new.placed(number, node)
        self.house.add_entity(entity)
        self.drivers[node.link].follow(node.on_link())
        self.journal.note(
            "EntityAdded",
            f"{entity.address} is picked from {_origin(new)}",
            node=node.address,
            entity=entity.address,
        )
        self.live.publish("house", {"changed": "node", "node": node.address})
        return entity

    async def _node(self, name: str, room: Room | None, key_hash: str) -> Node:
        address = slug(name)
        if not address:
            raise Invalid("the node needs a name with a letter or a digit in it")
        if address in self.house.tools:
            raise Invalid(
                f"a tool at the MQTT door is called {address}; give this node another name"
            )
        now = self.clock.now_ms()
        title = name.strip() if name.strip() != address else name.replace("-", " ").capitalize()
        new = NewNode(
            address,
            title,
            "wifi",
            FOREIGN + address,
            room.id if room else None,
            now,
            (),
            key_hash=key_hash,
        )
        number, _ = await self.thread.run(self.records.admit, new, None)
        node = Node(number, address, title, "wifi", new.thing_id, key_hash, room, now, heard_ms=now)
        self.house.add(node)
        self.drivers["wifi"].follow(node.on_link())
        self.journal.note(
            "NodeAdmitted",
            f"{title} was added as {address}" + (f" in {room.name}" if room else ""),
            node=address,
        )
        return node

    def _checked(self, picking: Picking) -> Kind:
        """The kind, when all else is right too. Raises Invalid."""
        levels = picking.topic.split("/")
        if levels.count(PLACEHOLDER) > 1 or not valid_filter(filter_of(picking.topic)):
            raise Invalid(
                f"{picking.topic!r} is no topic to pick from; write it like "
                f"mill/{{node}}/state, with + and # as in MQTT"
            )
        try:
            check_pointer(picking.pointer)
            check_pointer(picking.at)
        except PickError as error:
            raise Invalid(str(error)) from error
        return self._kind(picking)

    def _kind(self, picking: Picking) -> Kind:
        kind = KINDS.get(picking.kind)
        if kind is None:
            hint = did_you_mean(picking.kind, KINDS) or f"kinds are {', '.join(KINDS)}"
            raise Invalid(f"there is no kind {picking.kind}; {hint}")
        if picking.unit and not kind.unit:
            raise Invalid(f"a {kind.name} has no unit; leave it empty")
        try:
            if picking.unit:
                conversion(picking.unit, kind.unit)
        except UnitError as error:
            raise Invalid(str(error)) from error
        return kind


def _write_topic(writing: Writing, level: str) -> str:
    topic = filter_of(writing.topic, level) if level else writing.topic
    if not valid_name(topic):
        raise Invalid(f"{topic!r} is no topic to publish under; it has no wildcards")
    try:
        check_template(writing.payload)
    except PickError as error:
        raise Invalid(str(error)) from error
    return topic


def _origin(new: NewEntity) -> str:
    where = new.source.get("topic") or "what it posts"
    return where + (f" at {new.source['pointer']}" if new.source.get("pointer") else "")
