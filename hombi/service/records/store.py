"""The hub's records port (`hombi.hub.ports.Records`) on the ORM. All of it runs in the
hub's records thread."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict
from itertools import starmap
from typing import Any

from django.contrib.auth import get_user_model
from django.db import IntegrityError, OperationalError, transaction
from django.db.models import Prefetch

from hombi.core.kinds import KINDS
from hombi.hub import house as h
from hombi.hub.errors import Busy
from hombi.hub.ports import (
    ArrivalRecord,
    AutomationRecord,
    DeliveryRecord,
    JournalEntry,
    NewEntity,
    NewNode,
    NewNotice,
    PhoneRecord,
    Row,
)
from hombi.service.records import models as m


class DatabaseRecords:
    """Records kept in the data folder's SQLite file."""

    def load_house(self, house: h.House) -> None:
        for floor in m.Floor.objects.order_by("position"):
            house.floors[floor.pk] = h.Floor(floor.pk, floor.name, floor.position)
        rooms: dict[int, h.Room] = {}
        for room in m.Room.objects.order_by("floor__position", "position"):
            rooms[room.pk] = h.Room(
                room.pk, room.slug, room.name, house.floors[room.floor_id], room.position
            )
            house.rooms[room.slug] = rooms[room.pk]
        in_use = Prefetch("entities", m.Entity.objects.filter(retired=False))
        for stored in m.Node.objects.filter(removed=False).prefetch_related(in_use):
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
            )
            for entity in stored.entities.all():
                node.entities[entity.name] = _entity(entity, node)
            node.heard_ms = max(
                (e.latest.at_ms for e in node.entities.values() if e.latest),
                default=stored.admitted_ms,
            )
            house.add(node)
        house.people = set(get_user_model().objects.values_list("username", flat=True))

    @contextlib.contextmanager
    def together(self) -> Iterator[None]:
        try:
            with transaction.atomic():
                yield
        except OperationalError as error:  # a full disk, a locked file
            raise Busy(str(error)) from error

    def store_readings(self, rows: Sequence[Row]) -> None:
        try:
            self._insert(rows)
        except IntegrityError:
            # A node was taken out with its history while its last readings were on
            # their way.
            known = set(m.Entity.objects.values_list("pk", flat=True))
            self._insert([row for row in rows if row[0] in known])

    def _insert(self, rows: Sequence[Row]) -> None:
        if not rows:
            return
        with transaction.atomic():
            # A row has the order of the table's columns: filled by name, a reading
            # takes twice as long to make.
            m.Reading.objects.bulk_create(
                starmap(m.Reading, rows), ignore_conflicts=True, batch_size=len(rows)
            )

    def add_floor(self, name: str, position: int) -> h.Floor:
        floor = m.Floor.objects.create(name=name, position=position)
        return h.Floor(floor.pk, name, position)

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

    def admit(self, new: NewNode, arrival: ArrivalRecord | None) -> tuple[int, dict[str, int]]:
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
                },
            )
            ids = {entity.name: self._entity_of(node.pk, entity) for entity in new.entities}
            if arrival is not None:
                self.save_arrival(arrival)
        return node.pk, ids

    def save_node(self, node: h.Node) -> None:
        room_id = node.room.id if node.room else None
        m.Node.objects.filter(pk=node.id).update(
            title=node.title, room_id=room_id, key_hash=node.key_hash, reach=node.reach
        )

    def add_entity(self, node: h.Node, new: NewEntity) -> int:
        with transaction.atomic():
            return self._entity_of(node.id, new)

    @staticmethod
    def _entity_of(node_id: int, new: NewEntity) -> int:
        """A value of another kind under the same name is another value: it does not go
        on with the history."""
        of_name = m.Entity.objects.filter(node_id=node_id, name=new.name, retired=False)
        of_name.exclude(kind=new.kind).update(retired=True)
        return m.Entity.objects.update_or_create(
            node_id=node_id, name=new.name, retired=False, defaults=asdict(new)
        )[0].pk

    def save_entity(self, entity: h.Entity) -> None:
        m.Entity.objects.filter(pk=entity.id).update(
            title=entity.title,
            hidden=entity.hidden,
            source=entity.source,
            sink=entity.sink,
            writable=entity.writable,
        )

    def remove_entity(self, entity: h.Entity) -> None:
        with transaction.atomic():
            m.Reading.objects.filter(entity_id=entity.id).delete()
            m.Entity.objects.filter(pk=entity.id).delete()

    def remove_node(self, node: h.Node, *, keep_history: bool) -> None:
        with transaction.atomic():
            if keep_history:
                m.Node.objects.filter(pk=node.id).update(removed=True, key_hash="", room=None)
                return
            m.Reading.objects.filter(entity__node_id=node.id).delete()
            m.Node.objects.filter(pk=node.id).delete()

    def arrivals(self) -> list[ArrivalRecord]:
        return [ArrivalRecord(**row) for row in m.Arrival.objects.values()]

    def save_arrival(self, arrival: ArrivalRecord) -> None:
        values = asdict(arrival)
        m.Arrival.objects.update_or_create(id=values.pop("id"), defaults=values)

    def remove_arrival(self, arrival_id: str) -> None:
        m.Arrival.objects.filter(id=arrival_id).delete()

    def tools(self) -> list[h.Tool]:
        return [h.Tool(**row) for row in m.Tool.objects.order_by("name").values()]

    def save_tool(self, tool: h.Tool) -> None:
        values = asdict(tool)
        m.Tool.objects.update_or_create(name=values.pop("name"), defaults=values)

    def remove_tool(self, name: str) -> None:
        m.Tool.objects.filter(pk=name).delete()

    def automations(self) -> list[AutomationRecord]:
        return [
            AutomationRecord(a.pk, a.slug, a.text, a.enabled, a.state)
            for a in m.Automation.objects.order_by("pk")
        ]

    def add_automation(self, slug: str, text: str) -> AutomationRecord:
        return AutomationRecord(m.Automation.objects.create(slug=slug, text=text).pk, slug, text)

    def save_automation(self, record: AutomationRecord) -> None:
        m.Automation.objects.filter(pk=record.id).update(
            text=record.text, enabled=record.enabled, state=record.state
        )

    def remove_automation(self, record: AutomationRecord) -> None:
        m.Automation.objects.filter(pk=record.id).delete()

    def add_journal(self, entry: JournalEntry) -> int:
        values = asdict(entry)
        del values["id"]
        try:
            return m.JournalEntry.objects.create(**values).pk
        except OperationalError as error:  # a full disk, a locked file
            raise Busy(str(error)) from error

    def phones(self) -> list[PhoneRecord]:
        return [PhoneRecord(**row) for row in m.Phone.objects.values()]

    def add_phone(self, phone: PhoneRecord) -> PhoneRecord:
        values = asdict(phone)
        del values["id"]
        phone.id = m.Phone.objects.create(**values).pk
        return phone

    def remove_phone(self, phone_id: int) -> None:
        with transaction.atomic():
            waiting = m.Delivery.objects.filter(phone_id=phone_id, state="waiting")
            waiting.update(state="failed", problem="the phone was removed")
            m.Phone.objects.filter(pk=phone_id).delete()

    def add_notice(self, notice: NewNotice, phones: Sequence[PhoneRecord]) -> list[DeliveryRecord]:
        with transaction.atomic():
            stored = m.Notice.objects.create(**asdict(notice))
            known = set(
                m.Phone.objects.filter(pk__in=[p.id for p in phones]).values_list("pk", flat=True)
            )
            made = [
                m.Delivery.objects.create(notice=stored, phone_id=phone.id, phone_name=phone.name)
                for phone in phones
                if phone.id in known  # one may have been removed a moment ago
            ]
        return [_delivery(delivery) for delivery in made]

    def waiting_deliveries(self) -> list[DeliveryRecord]:
        return [
            _delivery(d)
            for d in m.Delivery.objects.filter(state="waiting")
            .select_related("notice")
            .order_by("pk")
        ]

    def save_delivery(self, delivery: DeliveryRecord) -> None:
        m.Delivery.objects.filter(pk=delivery.id).update(
            state=delivery.state,
            attempts=delivery.attempts,
            next_ms=delivery.next_ms,
            problem=delivery.problem,
        )

    def link_states(self) -> dict[str, dict[str, Any]]:
        return dict(m.LinkState.objects.values_list("key", "state"))

    def keep_link_states(self, states: Mapping[str, dict[str, Any] | None]) -> None:
        gone = [key for key, state in states.items() if state is None]
        rows = [
            m.LinkState(key=key, state=state) for key, state in states.items() if state is not None
        ]
        with transaction.atomic():
            if gone:
                m.LinkState.objects.filter(key__in=gone).delete()
            if rows:
                m.LinkState.objects.bulk_create(
                    rows, update_conflicts=True, unique_fields=["key"], update_fields=["state"]
                )

    def push_key(self, fresh: str) -> str:
        return str(m.HubKey.objects.get_or_create(name="vapid", defaults={"value": fresh})[0].value)


def _entity(stored: m.Entity, node: h.Node) -> h.Entity:
    """An entity with its latest reading; the distance to the reading before is its
    usual interval until it is heard."""
    rows = list(
        m.Reading.objects.filter(entity_id=stored.pk)
        .order_by("-at_ms")
        .values_list("at_ms", "raw", "value", "quality")[:2]
    )
    latest = h.Reading.of(*rows[0]) if rows else None
    recent = {at_ms: raw for at_ms, raw, _, _ in reversed(rows)}
    interval = float(rows[0][0] - rows[1][0]) if len(rows) == 2 else 0.0
    return h.Entity(
        stored.pk,
        f"{node.address}/{stored.name}",
        stored.title,
        KINDS[stored.kind],
        node,
        stored.wire_name,
        stored.wire_unit,
        stored.low,
        stored.high,
        stored.writable,
        latest,
        interval,
        h.GAPS_TO_KNOW if interval else 0,
        stored.hidden,
        stored.source,
        stored.sink,
        heard_ms=latest.at_ms if latest else 0,
        recent=recent,
    )


def _delivery(stored: m.Delivery) -> DeliveryRecord:
    notice = stored.notice
    return DeliveryRecord(
        stored.pk,
        stored.phone_id,
        stored.phone_name,
        notice.identity or f"notice-{notice.pk}",
        notice.title,
        notice.text,
        notice.path,
        notice.created_ms,
        stored.attempts,
        stored.next_ms,
        stored.state,
        stored.problem,
    )
