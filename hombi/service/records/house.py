"""The house port on the ORM."""

from __future__ import annotations

from dataclasses import asdict

from django.contrib.auth import get_user_model
from django.db import transaction

from hombi.core.kinds import kind_by_key
from hombi.core.series import Channel, Channels, Derivation, Origin
from hombi.core.series.methods import kind_given
from hombi.hub import house as h
from hombi.hub.nodes.pairing_port import ArrivalRecord
from hombi.hub.nodes.port import NewEntity, NewNode
from hombi.links.offer import offer_of
from hombi.service.records import models as m
from hombi.service.records.history import READING, reading_of
from hombi.service.records.others import DatabasePairing


class DatabaseHouse:
    """`hombi.hub.nodes.port.HousePort`."""

    def __init__(self, pairing: DatabasePairing) -> None:
        self._pairing = pairing

    def load(self, house: h.House) -> None:
        for floor in m.Floor.objects.order_by("position"):
            house.floors[floor.pk] = h.Floor(floor.pk, floor.name, floor.position)
        rooms: dict[int, h.Room] = {}
        for room in m.Room.objects.order_by("floor__position", "position"):
            on = house.floors[room.floor_id]
            rooms[room.pk] = h.Room(room.pk, room.slug, room.name, on, room.position)
            house.rooms[room.slug] = rooms[room.pk]
        stored_nodes = m.Node.objects.filter(removed=False)
        for stored in stored_nodes.prefetch_related("entities__channels"):
            node = h.Node(
                stored.pk,
                stored.address,
                stored.title,
                stored.link,
                stored.thing_id,
                stored.key_hash,
                rooms[stored.room_id] if stored.room_id else None,
                stored.admitted_ms,
                reach=stored.reach,
                offer=offer_of(stored.offer),
            )
            for entity in stored.entities.all():
                node.entities[entity.name] = _entity(entity, f"{node.address}/", node, None)
            heard = (e.latest.at_ms for e in node.entities.values() if e.latest)
            node.heard_ms = max(heard, default=stored.admitted_ms)
            house.add(node)
        for entity in m.Entity.objects.filter(node=None).prefetch_related("channels"):
            own = rooms[entity.room_id] if entity.room_id else None
            host = house.nodes.get(entity.derivation.get("node", ""))
            usual = "hub" if h.HUB in entity.own else "house"
            start = host.address if host else own.slug if own else usual
            placed = _entity(entity, f"{start}/", None, own)
            placed.host = host
            house.add_entity(placed)
        users = get_user_model().objects.exclude(account__role__in=("guest", "wall"))
        house.people = set(users.values_list("username", flat=True))

    def add_floor(self, name: str, position: int) -> h.Floor:
        floor = m.Floor.objects.create(name=name, position=position)
        return h.Floor(floor.pk, name, position)

    def save_floor(self, floor: h.Floor) -> None:
        m.Floor.objects.filter(pk=floor.id).update(name=floor.name, position=floor.position)

    def remove_floor(self, floor: h.Floor) -> None:
        m.Floor.objects.filter(pk=floor.id).delete()

    def add_room(self, slug: str, name: str, floor: h.Floor, position: int) -> h.Room:
        room = m.Room.objects.create(slug=slug, name=name, floor_id=floor.id, position=position)
        return h.Room(room.pk, slug, name, floor, position)

    def save_room(self, room: h.Room) -> None:
        m.Room.objects.filter(pk=room.id).update(
            name=room.name, floor_id=room.floor.id, position=room.position
        )

    def remove_room(self, room: h.Room) -> None:
        with transaction.atomic():
            m.Node.objects.filter(room_id=room.id, removed=True).update(room=None)
            m.Room.objects.filter(pk=room.id).delete()

    def admit(
        self, new: NewNode, arrival: ArrivalRecord | None
    ) -> tuple[int, dict[str, tuple[int, Channels]]]:
        with transaction.atomic():
            # A node that was here before, removed or not, goes on with its history.
            node, _ = m.Node.objects.update_or_create(
                thing_id=new.thing_id,
                defaults={
                    "address": new.address,
                    "title": new.title,
                    "link": new.link,
                    "room_id": new.room_id,
                    "admitted_ms": new.admitted_ms,
                    "key_hash": new.key_hash,
                    "removed": False,
                    "reach": new.reach,
                    "offer": new.offer,
                },
            )
            ids = {
                entity.name: _stored(node.pk, entity, new.admitted_ms) for entity in new.entities
            }
            if arrival is not None:
                self._pairing.save(arrival)
        return node.pk, ids

    def save_node(self, node: h.Node) -> None:
        m.Node.objects.filter(pk=node.id).update(
            title=node.title,
            room_id=node.room.id if node.room else None,
            key_hash=node.key_hash,
            reach=node.reach,
            offer=node.offer.as_data(),
        )

    def remove_node(self, node: h.Node, *, keep_history: bool) -> None:
        with transaction.atomic():
            if keep_history:
                m.Node.objects.filter(pk=node.id).update(removed=True, key_hash="", room=None)
                return
            m.Reading.objects.filter(entity__node_id=node.id).delete()
            m.Rollup.objects.filter(entity__node_id=node.id).delete()
            m.Stale.objects.filter(entity__node_id=node.id).delete()
            m.Node.objects.filter(pk=node.id).delete()

    def add_entity(self, node: h.Node, new: NewEntity, since_ms: int) -> tuple[int, Channels]:
        with transaction.atomic():
            return _stored(node.id, new, since_ms)

    def add_computed(self, entity: h.Entity) -> int:
        how = entity.origin
        assert isinstance(how, Derivation), "what a node sends is stored with its node"
        stored = m.Entity.objects.create(
            room_id=entity.own_room.id if entity.own_room else None,
            name=entity.name,
            title=entity.title,
            kind=entity.kind.key,
            low=entity.low,
            high=entity.high,
            writable=False,
            derivation={
                "method": how.method,
                "sources": list(how.sources),
                "parameters": dict(how.parameters),
                "node": entity.host.address if entity.host else "",
            },
        )
        return int(stored.pk)

    def add_told(self, entity: h.Entity) -> int:
        now = entity.channels.now
        with transaction.atomic():
            stored = m.Entity.objects.create(
                name=entity.name,
                title=entity.title,
                kind=entity.kind.key,
                low=entity.low,
                high=entity.high,
                writable=entity.writable,
                own=entity.own,
                channel=now.number,
            )
            m.Channel.objects.create(
                entity=stored, number=now.number, kind=now.kind.key, unit=now.unit,
                since_ms=now.since_ms,
            )  # fmt: skip
        return int(stored.pk)

    def save_entity(self, entity: h.Entity) -> None:
        m.Entity.objects.filter(pk=entity.id).update(
            title=entity.title,
            hidden=entity.hidden,
            own=entity.own,
            source=entity.source,
            sink=entity.sink,
            writable=entity.writable,
        )

    def remove_entity(self, entity: h.Entity) -> None:
        with transaction.atomic():
            m.Reading.objects.filter(entity_id=entity.id).delete()
            m.Rollup.objects.filter(entity_id=entity.id).delete()
            m.Stale.objects.filter(entity_id=entity.id).delete()
            m.Entity.objects.filter(pk=entity.id).delete()


def _stored(node_id: int, new: NewEntity, since_ms: int) -> tuple[int, Channels]:
    """Store an entity, and the channel over which it is sent from now on."""
    entity, _ = m.Entity.objects.update_or_create(
        node_id=node_id, name=new.name, defaults=asdict(new)
    )
    known = [_channel(channel) for channel in entity.channels.all()]
    same = [c for c in known if (c.kind.key, c.unit) == (new.kind, new.wire_unit)]
    if same:
        now = same[0]
    else:
        number = max((c.number for c in known), default=-1) + 1
        now = Channel(number, kind_by_key(new.kind), new.wire_unit, since_ms)
        known.append(now)
        m.Channel.objects.create(
            entity=entity, number=number, kind=new.kind, unit=new.wire_unit, since_ms=since_ms
        )
    m.Entity.objects.filter(pk=entity.pk).update(channel=now.number)
    channels = Channels(known)
    channels.now = now
    return entity.pk, channels


def _channel(stored: m.Channel) -> Channel:
    return Channel(
        stored.number, kind_by_key(stored.kind), stored.unit, stored.since_ms, stored.file
    )


def _entity(stored: m.Entity, start: str, node: h.Node | None, own_room: h.Room | None) -> h.Entity:
    """An entity with its latest reading."""
    origin: Origin
    kind = kind_by_key(stored.kind)
    if stored.derivation:
        how = stored.derivation
        kind = kind_given(how["method"], kind)
        origin = Derivation(how["method"], tuple(how["sources"]), how.get("parameters", {}))
    else:
        channels = [_channel(channel) for channel in stored.channels.all()]
        origin = Channels(channels)
        origin.now = next((c for c in channels if c.number == stored.channel), origin.now)
    entity = h.Entity(
        stored.pk,
        start + stored.name,
        stored.title,
        kind,
        origin,
        stored.low,
        stored.high,
        node=node,
        own_room=own_room,
        wire_name=stored.wire_name,
        wire_unit=stored.wire_unit,
        writable=stored.writable,
        hidden=stored.hidden,
        source=stored.source,
        sink=stored.sink,
        own=stored.own,
    )
    rows = m.Reading.objects.filter(
        entity_id=stored.pk, channel__in=entity.history_channels()
    ).order_by("-at_ms")
    latest = [reading_of(row) for row in rows.values_list(*READING)[:2]]
    entity.recent = {reading.at_ms: reading.sent for reading in reversed(latest)}
    if latest:
        entity.latest, entity.heard_ms = latest[0], latest[0].at_ms
    return entity
