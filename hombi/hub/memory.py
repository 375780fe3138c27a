"""The records in memory: for tests, and for rehearsals that must leave no trace."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import count
from typing import Any

from hombi.hub.house import Entity, Floor, House, Node, Room, Tool
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


class MemoryRecords:
    """`Records` without a disk. What it holds can be looked at."""

    def __init__(self) -> None:
        self._ids = count(1)
        self.readings: dict[tuple[int, int], Row] = {}
        self.journal: list[JournalEntry] = []
        self.deliveries: dict[int, DeliveryRecord] = {}
        self._arrivals: dict[str, ArrivalRecord] = {}
        self._automations: dict[int, AutomationRecord] = {}
        self._phones: dict[int, PhoneRecord] = {}
        self._nodes: dict[str, tuple[int, dict[str, int]]] = {}
        self._entities: dict[tuple[str, str, str], int] = {}
        self._link_states: dict[str, dict[str, Any]] = {}
        self._tools: dict[str, Tool] = {}
        self._key = ""

    def load_house(self, house: House) -> None:
        """A house in memory begins empty."""

    @contextlib.contextmanager
    def together(self) -> Iterator[None]:
        yield

    def store_readings(self, rows: Sequence[Row]) -> None:
        for row in rows:
            self.readings.setdefault(row[:2], row)

    def add_floor(self, name: str, position: int) -> Floor:
        return Floor(next(self._ids), name, position)

    def add_room(self, slug: str, name: str, floor: Floor, position: int) -> Room:
        return Room(next(self._ids), slug, name, floor, position)

    def save_room(self, room: Room) -> None:
        """The house has it."""

    def remove_room(self, room: Room) -> None:
        """The house has let go of it."""

    def admit(self, new: NewNode, arrival: ArrivalRecord | None) -> tuple[int, dict[str, int]]:
        node_id, ids = self._nodes.setdefault(new.thing_id, (next(self._ids), {}))
        for entity in new.entities:
            ids[entity.name] = self._entity_of(new.thing_id, entity)
        if arrival is not None:
            self.save_arrival(arrival)
        return node_id, dict(ids)

    def add_entity(self, node: Node, new: NewEntity) -> int:
        number = self._nodes[node.thing_id][1][new.name] = self._entity_of(node.thing_id, new)
        return number

    def _entity_of(self, thing_id: str, new: NewEntity) -> int:
        return self._entities.setdefault((thing_id, new.name, new.kind), next(self._ids))

    def save_entity(self, entity: Entity) -> None:
        """The house has it."""

    def remove_entity(self, entity: Entity) -> None:
        self.readings = {key: row for key, row in self.readings.items() if row[0] != entity.id}

    def tools(self) -> list[Tool]:
        return list(self._tools.values())

    def save_tool(self, tool: Tool) -> None:
        self._tools[tool.name] = replace(tool)

    def remove_tool(self, name: str) -> None:
        self._tools.pop(name, None)

    def save_node(self, node: Node) -> None:
        """The house has it."""

    def remove_node(self, node: Node, *, keep_history: bool) -> None:
        if not keep_history:
            gone = {entity.id for entity in node.entities.values()}
            self.readings = {key: row for key, row in self.readings.items() if row[0] not in gone}
            self._nodes.pop(node.thing_id, None)
            self._entities = {
                key: number for key, number in self._entities.items() if key[0] != node.thing_id
            }

    def arrivals(self) -> list[ArrivalRecord]:
        return [replace(arrival) for arrival in self._arrivals.values()]

    def save_arrival(self, arrival: ArrivalRecord) -> None:
        self._arrivals[arrival.id] = replace(arrival)

    def remove_arrival(self, arrival_id: str) -> None:
        self._arrivals.pop(arrival_id, None)

    def automations(self) -> list[AutomationRecord]:
        return [replace(record) for record in self._automations.values()]

    def add_automation(self, slug: str, text: str) -> AutomationRecord:
        record = AutomationRecord(next(self._ids), slug, text)
        self._automations[record.id] = replace(record)
        return record

    def save_automation(self, record: AutomationRecord) -> None:
        if record.id in self._automations:  # like an update of a row: one that is gone stays gone
            self._automations[record.id] = replace(record)

    def remove_automation(self, record: AutomationRecord) -> None:
        self._automations.pop(record.id, None)

    def add_journal(self, entry: JournalEntry) -> int:
        self.journal.append(entry)
        return next(self._ids)

    def phones(self) -> list[PhoneRecord]:
        return list(self._phones.values())

    def add_phone(self, phone: PhoneRecord) -> PhoneRecord:
        phone.id = next(self._ids)
        self._phones[phone.id] = phone
        return phone

    def remove_phone(self, phone_id: int) -> None:
        self._phones.pop(phone_id, None)
        for delivery in self.deliveries.values():
            if delivery.phone_id == phone_id:
                delivery.phone_id = None
                if delivery.state == "waiting":
                    delivery.state, delivery.problem = "failed", "the phone was removed"

    def add_notice(self, notice: NewNotice, phones: Sequence[PhoneRecord]) -> list[DeliveryRecord]:
        made = [
            DeliveryRecord(
                next(self._ids),
                phone.id,
                phone.name,
                notice.identity,
                notice.title,
                notice.text,
                notice.path,
                notice.created_ms,
            )
            for phone in phones
        ]
        self.deliveries.update((delivery.id, replace(delivery)) for delivery in made)
        return made

    def waiting_deliveries(self) -> list[DeliveryRecord]:
        return [replace(d) for d in self.deliveries.values() if d.state == "waiting"]

    def save_delivery(self, delivery: DeliveryRecord) -> None:
        self.deliveries[delivery.id] = replace(delivery)

    def link_states(self) -> dict[str, dict[str, Any]]:
        return dict(self._link_states)

    def keep_link_states(self, states: Mapping[str, dict[str, Any] | None]) -> None:
        for key, state in states.items():
            if state is None:
                self._link_states.pop(key, None)
            else:
                self._link_states[key] = state

    def push_key(self, fresh: str) -> str:
        self._key = self._key or fresh
        return self._key
